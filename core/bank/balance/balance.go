// Package balance judges the charge of groups in series against each other: how unequal it is, what
// the bank gives as it stands, and what balancing would gain (rules §4 and §13).
//
// Method. A group's charge is read from its rest voltage as an interval. With q_dn the charge from now to empty and
// q_up from now to full, a series bank gives min(q_dn) + min(q_up) as it stands, and the least q_dn + q_up once all are
// equal at the top (rules §4). Where the curve is flat a difference in volts is all that can be compared.
package balance

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// Limits on how unequal the charge of a bank may be before anything is said, rules §3.
const (
	OKShare      = 0.02  // of capacity
	SuspectShare = 0.06  //
	FlatOKVolts  = 0.020 // where the curve is flat
	NoiseVolts   = 0.002 // of readings by one meter in one sitting
	rule         = "rules §3, §13"
)

// Group is one series level: a group, or several in parallel with their capacities added up.
type Group struct {
	Name      string
	Chemistry chem.ID
	Curve     *chem.Curve // the type's own, nil for the typical one
	Volts     float64     // at rest
	Ah        float64     // 0 not known
	LastDigit float64     // of Volts as written, 0 not known
}

// Result is what the charge of a bank amounts to. Shares are fractions of capacity. AsFoundAh and
// BalancedAh are 0 where a capacity is not known or voltage cannot tell the charge.
type Result struct {
	Lowest, Highest int // indices of the groups with least and most charge
	SpreadVolts     float64
	SpreadShare     chem.Interval // charge of the highest less that of the lowest
	Resolved        bool          // the curve is steep enough to tell
	AsFoundAh       float64       // with the charge that its groups have now
	AsFoundLowAh    float64       // and the interval of it: a voltage is not a charge
	AsFoundHighAh   float64
	BalancedAh      float64
	OffsetsAh       []float64 // to the median, nil where not resolved or where some stand where the curve is flat
	Findings        []finding.Finding
}

// JudgeGroups compares groups in series, any order. It fails for no groups and chemistries not known.
func JudgeGroups(groups []Group) (Result, error) {
	r := Result{}
	if len(groups) == 0 {
		return r, fmt.Errorf("no groups: expected at least one")
	}
	of := make([]chem.Chemistry, len(groups))
	mid := make([]float64, len(groups))
	flat, u := false, Noise(groups)
	for i, g := range groups {
		c, err := chem.Lookup(g.Chemistry)
		if err != nil {
			return r, fmt.Errorf("%s: %w", g.Name, err)
		}
		of[i] = c.WithCurve(g.Curve)
		mid[i] = of[i].Curve.SoC(g.Volts)
		flat = flat || of[i].Curve.Flat(g.Volts) && of[i].Curve.SoCInterval(g.Volts, u).Width() > OKShare
		if g.Volts < groups[r.Lowest].Volts {
			r.Lowest = i
		}
		if g.Volts > groups[r.Highest].Volts {
			r.Highest = i
		}
	}
	l, h := r.Lowest, r.Highest
	r.SpreadVolts = groups[h].Volts - groups[l].Volts
	r.SpreadShare = chem.Interval{Low: math.Inf(1)}
	least, most := math.Inf(1), 0.0
	low, high := make([]float64, len(groups)), make([]float64, len(groups))
	for e := -1.0; e <= 1; e += lagStep {
		for i, g := range groups {
			s := of[i].Curve.SoCInterval(g.Volts+e*of[i].HysteresisVolts, u)
			low[i], high[i] = s.Low, s.High
		}
		r.SpreadShare.Low = min(r.SpreadShare.Low, max(0, low[h]-high[l]))
		r.SpreadShare.High = max(r.SpreadShare.High, high[h]-low[l])
		least, most = min(least, gives(groups, low, high)), max(most, gives(groups, high, low))
	}
	r.Resolved = !flat || r.SpreadShare.Low > SuspectShare
	r.charge(groups, mid, least, most)
	if flat { // how far the others are apart, voltage cannot tell
		r.OffsetsAh = nil
	}
	r.say(groups)
	return r, nil
}

// lagStep parts the volts by which a rest curve may be off for all groups alike, from its hysteresis below them to that
// above: how far two groups are apart in charge depends on where on the curve both stand.
const lagStep = 0.25

// Noise is u of the groups' voltages against each other: the meter's noise, and no less than its last digit.
func Noise(groups []Group) float64 { return max(NoiseVolts, coarse(groups)) }

// coarse is the last digit of the readings where it is coarser than a meter's usual one, else 0.
func coarse(groups []Group) float64 {
	digit := math.Inf(1)
	for _, g := range groups {
		digit = min(digit, g.LastDigit)
	}
	if digit <= NoiseVolts {
		return 0
	}
	return digit
}

// charge fills in what the bank gives as it stands and once balanced.
func (r *Result) charge(groups []Group, soc []float64, least, most float64) {
	if !r.Resolved {
		return
	}
	down, up, whole := math.Inf(1), math.Inf(1), math.Inf(1)
	charges := make([]float64, len(groups))
	for i, g := range groups {
		if g.Ah <= 0 {
			return
		}
		charges[i] = soc[i] * g.Ah
		down, up, whole = min(down, charges[i]), min(up, g.Ah-charges[i]), min(whole, g.Ah)
	}
	r.AsFoundAh, r.BalancedAh = down+up, whole
	r.AsFoundLowAh, r.AsFoundHighAh = max(0, min(least, r.AsFoundAh)), min(whole, max(most, r.AsFoundAh))
	sorted := slices.Clone(soc)
	slices.Sort(sorted)
	n := len(sorted)
	median := (sorted[(n-1)/2] + sorted[n/2]) / 2
	for i, g := range groups {
		r.OffsetsAh = append(r.OffsetsAh, (soc[i]-median)*g.Ah)
	}
}

// gives is what groups of charges in give down to the first that is empty and take up to the first that is full, where
// they may be as empty as down and as full as up.
func gives(groups []Group, down, up []float64) float64 {
	d, u := math.Inf(1), math.Inf(1)
	for i, g := range groups {
		d, u = min(d, down[i]*g.Ah), min(u, (1-up[i])*g.Ah)
	}
	return d + u
}

// AsFound is what the groups give with the charge they have now, in whole Ah that hold the interval.
func (r Result) AsFound() string {
	return fmt.Sprintf("%.0f to %.0f Ah", math.Floor(r.AsFoundLowAh), math.Ceil(r.AsFoundHighAh))
}

func (r *Result) say(groups []Group) {
	lo, hi := groups[r.Lowest], groups[r.Highest]
	add := func(level finding.Level, measured, limit float64, unit, text, do string) {
		r.Findings = append(r.Findings, finding.New(level,
			codeUnequalCharge).About(lo.Name).Reads(math.Round(measured*1000)/1000, unit).Against(limit).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	equal := "Charge each to full by its own charger, or balance by hand, before the bank goes into service."
	mV := r.SpreadVolts * 1000
	switch share := r.SpreadShare; {
	case r.Resolved && share.Low > OKShare:
		level, limit := finding.Note, OKShare*100
		if share.Low > SuspectShare {
			level, limit = finding.Caution, SuspectShare*100
		}
		text := fmt.Sprintf("Unequal charge: %s is %.0f mV and %.0f to %.0f %% of its capacity below %s.", lo.Name,
			mV, share.Low*100, share.High*100, hi.Name)
		if r.BalancedAh > 0 {
			text += fmt.Sprintf(" With the charge they have now they would give %s of the bank's %.1f Ah; balanced, "+
				"all of it.", r.AsFound(), r.BalancedAh)
		}
		add(level, share.Low*100, limit, "%", text, equal)
	case !r.Resolved && r.SpreadVolts-coarse(groups) > FlatOKVolts+1e-9:
		add(finding.Caution, mV, FlatOKVolts*1000, "mV", fmt.Sprintf("%s is %.0f mV below %s, where the curve is "+
			"flat: that may be much charge, voltage cannot tell how much.", lo.Name, mV, hi.Name), equal)
	}
}

// Summary is the result in one sentence for a page.
func (r Result) Summary(groups []Group) string {
	var parts []string
	parts = append(parts, fmt.Sprintf("spread %.0f mV", r.SpreadVolts*1000))
	if r.Resolved {
		parts = append(parts, fmt.Sprintf("%.0f to %.0f %% of charge", r.SpreadShare.Low*100, r.SpreadShare.High*100))
	} else {
		parts = append(parts, "voltage cannot tell the charge there")
	}
	if r.BalancedAh > 0 {
		parts = append(parts, fmt.Sprintf("with the charge they have now %s of %.1f Ah", r.AsFound(), r.BalancedAh))
	}
	return strings.Join(parts, "; ")
}
