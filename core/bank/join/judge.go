package join

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Elements bear a short current above what they bear for ever. Cells: their typical peak; a BMS what it says; a fuse
// and a cable the same as for ever, since a fuse ages and a lug heats first.
type bears struct {
	what       string
	ever, peak float64
	typical    bool
	code       string
}

// add keeps a finding.
func (r *Result) add(f finding.Finding) {
	if slices.ContainsFunc(r.Parts, func(p Part) bool { return p.Typical }) {
		f = f.Resting(known.Assumed)
	}
	r.Findings = append(r.Findings, f.Or("", rule).Rounded(round))
}

// amps writes a current with about three figures.
func amps(v float64) string {
	switch {
	case v >= 100:
		return fmt.Sprintf("%.0f", v)
	case v >= 10:
		return fmt.Sprintf("%.1f", v)
	}
	return fmt.Sprintf("%.2f", v)
}

func round(v float64) float64 { return math.Round(v*1e4) / 1e4 }

// bounds gives the first current over what typical resistances leave open, and the charge over what the rest voltages
// leave open.
func (r *Result) bounds(in Input, parts []Part) {
	r.AhLow, r.AhHigh = r.AhMoved, r.AhMoved
	r.firsts(in, parts, longestSeconds)
	if !slices.ContainsFunc(parts, func(p Part) bool { return p.SoCHigh-p.SoCLow > 1e-9 }) {
		return
	}
	for high := range 2 { // the giver fuller and the receiver emptier, and the other way round
		y := r.vary(in, parts, longestSeconds, func(b *Bank, p Part) {
			full := p.FirstAmps > 0 == (high == 1)
			at := p.SoCLow
			if full {
				at = p.SoCHigh
			}
			b.SoC = &at
		})
		r.AhLow, r.AhHigh = min(r.AhLow, y.AhMoved), max(r.AhHigh, y.AhMoved)
	}
}

// vary runs the banks for so many seconds with something changed; as they are where they cannot be so.
func (r *Result) vary(in Input, parts []Part, seconds float64, change func(b *Bank, p Part)) Result {
	x := in
	x.Banks = slices.Clone(in.Banks)
	for i := range x.Banks {
		change(&x.Banks[i], parts[i])
	}
	c, _, err := prepare(x)
	if err != nil {
		return *r
	}
	return c.run(seconds, nil)
}

// firsts gives the first current, and what still flows after ten seconds, over what typical resistances leave open, and
// with them the charge that moves within so many seconds.
func (r *Result) firsts(in Input, parts []Part, seconds float64) {
	r.FirstLow, r.FirstHigh, r.late = r.FirstAmps, r.FirstAmps, r.amps10s
	if slices.ContainsFunc(parts, func(p Part) bool { return p.Typical }) {
		for high := range 2 {
			y := r.vary(in, parts, seconds, func(b *Bank, p Part) {
				if !p.Typical {
					return
				}
				k, _ := chem.Lookup(b.Chemistry)
				t := k.TypicalMOhm(b.Ah)
				b.MOhm10s = float64(b.Series) * []float64{t.High, t.Low}[high]
			})
			r.FirstLow, r.FirstHigh = min(r.FirstLow, y.FirstAmps), max(r.FirstHigh, y.FirstAmps)
			r.late = max(r.late, y.amps10s)
			r.AhLow, r.AhHigh = min(r.AhLow, y.AhMoved), max(r.AhHigh, y.AhMoved)
		}
	}
	r.FirstMost = r.FirstHigh
	r.dangerous(in, parts)
}

// dangerous widens the first current to its dangerous end: the first moment sees the ohmic part of the resistance
// alone, and the volts may lie further apart by what the meter leaves open.
func (r *Result) dangerous(in Input, parts []Part) {
	if r.FirstAmps <= 0 {
		return
	}
	widest := func(from, to int) float64 {
		ohms := in.LinkMOhm / 1000
		for _, i := range []int{from, to} {
			own := parts[i].MOhm10s
			if parts[i].Typical {
				k, _ := chem.Lookup(in.Banks[i].Chemistry)
				own = float64(in.Banks[i].Series) * k.TypicalMOhm(in.Banks[i].Ah).Low
			}
			ohms += ohmicShare * own / 1000
		}
		return (parts[from].RestVolts - parts[to].RestVolts + in.ReadWithin) / ohms
	}
	wider := 1.0
	if len(parts) == 2 {
		from, to := 0, 1
		if parts[1].RestVolts > parts[0].RestVolts {
			from, to = 1, 0
		}
		if d := parts[from].RestVolts - parts[to].RestVolts; d > 0 {
			wider = 1 + in.ReadWithin/d
			r.FirstLow = max(0, min(r.FirstLow, r.FirstLow*(1-in.ReadWithin/d)))
		}
		r.FirstHigh = max(r.FirstHigh, widest(from, to))
	} else { // several at once: all of the resistances at their ohmic part
		r.FirstHigh /= ohmicShare * tenSecondRatio
	}
	r.FirstMost *= wider
	r.late *= wider
}

// judge holds the currents against what the way bears.
func (r *Result) judge(in Input, c *circuit) {
	giver, receiver := 0, 0
	for i, p := range r.Parts {
		if p.RestVolts > r.Parts[giver].RestVolts {
			giver = i
		}
		if p.RestVolts < r.Parts[receiver].RestVolts {
			receiver = i
		}
	}
	if giver == receiver { // all alike
		receiver = 1
	}
	r.Giver, r.Receiver = r.Parts[giver].ID, r.Parts[receiver].ID
	r.DiffVolts = r.Parts[giver].RestVolts - r.Parts[receiver].RestVolts
	r.unlike(in)
	r.typical(in)
	r.cells(in, c)
	never := finding.Blocks(r.Findings) // whatever flows: no difference would make it pass
	ok := r.currents(in, giver, receiver)
	if !ok && !never && len(in.Banks) == 2 {
		r.pass(in, giver, receiver)
	}
	if r.DiffVolts > limits.JoinVolts && finding.Worst(r.Findings) < finding.Caution {
		r.add(finding.New(finding.Caution, codeDifference).About(r.Giver).
			Reads(r.DiffVolts*1000, "mV").Against(limits.JoinVolts*1000).
			Says("%.0f mV between them: %.1f A flow at first, and %.1f Ah "+
				"move. No limit that is known is passed.", r.DiffVolts*1000, r.FirstAmps, r.AhMoved).
			Then("Measure both again in the same minute before closing the link."))
	}
	r.Findings = finding.Sorted(r.Findings)
}

// typical says of the banks whose resistance nobody gave what was taken for it.
func (r *Result) typical(in Input) {
	var names, spans []string
	most, at := 0.0, 0.0
	for i, p := range r.Parts {
		if !p.Typical {
			continue
		}
		k, _ := chem.Lookup(in.Banks[i].Chemistry)
		t, s := k.TypicalMOhm(in.Banks[i].Ah), float64(in.Banks[i].Series)
		names = append(names, p.ID)
		spans = append(spans, fmt.Sprintf("%.2g to %.2g mΩ", t.Low*s, t.High*s))
		most, at = max(most, t.High*s), max(at, p.MOhm10s)
	}
	if len(names) == 0 {
		return
	}
	if alike := slices.Compact(slices.Clone(spans)); len(alike) == 1 {
		spans = alike
	} else { // each its own
		for i := range spans {
			spans[i] = names[i] + " " + spans[i]
		}
	}
	r.add(finding.New(finding.Note, codeResistanceTypical).About(strings.Join(names, ", ")).Reads(at, "mΩ").
		Against(most).
		Says("Resistance not given: typical for this chemistry and capacity, %s. The first "+
			"current lies between %.0f and %.0f A, in its first milliseconds up to %.0f A.", strings.Join(spans, ", "),
			r.FirstLow, r.FirstMost, r.FirstHigh).
		Then("Measure it by a load step; the worse end is judged."))
}

// unlike refuses what is never joined.
func (r *Result) unlike(in Input) {
	a := in.Banks[0]
	for _, b := range in.Banks[1:] {
		if b.Series != a.Series {
			r.add(finding.New(finding.Refuse, codeSeriesUnlike).About(b.ID).
				Reads(float64(b.Series), "groups").Against(float64(a.Series)).
				Says("%s in series beside %d: at most charges they are full at different volts.",
					numeral.Count(b.Series, "group"),
					a.Series).
				Then("Never join strings of different series counts."))
		}
		if b.Chemistry != a.Chemistry {
			ka, _ := chem.Lookup(a.Chemistry)
			kb, _ := chem.Lookup(b.Chemistry)
			r.add(finding.New(finding.Refuse, codeChemistryUnlike).About(b.ID).
				Reads(kb.ChargeLimitVolts, "V").Against(ka.ChargeLimitVolts).
				Says("%s beside %s: their charge limits and curves differ, one would overcharge or carry the other.",
					kb.Name, ka.Name).
				Then("Never join banks of unlike chemistry."))
		}
	}
	for i, p := range r.Parts {
		k, _ := chem.Lookup(in.Banks[i].Chemistry)
		g := p.RestVolts / float64(in.Banks[i].Series)
		if v := float64(in.Banks[i].Series) * k.ChargeLimitVolts; v > limits.TouchDryVolts && i == 0 {
			r.add(finding.New(finding.Caution, limits.HighVoltage).About(p.ID).
				Reads(v, "V").Against(limits.TouchDryVolts).
				Says("%.1f V at full charge is above the touch limit.", v).
				Then("Work by the hazards of high voltage: a licensed person, one hand, gloves, covers."))
		}
		if k = k.WithCurve(in.Banks[i].Curve); g > k.Curve.Volts(1)+chem.OverToleranceVolts && in.Banks[i].SoC == nil {
			r.add(finding.New(finding.Caution, codeNotAtRest).About(p.ID).Reads(g, "V").Against(k.Curve.Volts(1)).
				Says("%.3f V per group is "+
					"above the top of the rest curve: it is no rest voltage, and no charge is told from it.", g).
				Then("Let it rest for half an hour with nothing connected, and read it again."))
		}
		switch {
		case g < k.NeverRechargeVolts:
			r.add(finding.New(finding.Refuse, codeNeverRecharge).About(p.ID).Reads(g, "V").
				Against(k.NeverRechargeVolts).
				Says("%.3f V per group is below never-recharge: a join would charge it.", g).
				Then("Do not join. Read every group again; quarantine it."))
		case g < k.LookCloserVolts:
			r.add(finding.New(finding.Stop, codeLookCloser).About(p.ID).Reads(g, "V").Against(k.LookCloserVolts).
				Says("%.3f V per group is very low: a join would charge it faster than a watched recharge does.", g).
				Then("Recharge it slowly under watch first, every group monitored."))
		case g > k.ChargeLimitVolts+chem.OverToleranceVolts:
			r.add(finding.New(finding.Stop, codeOver).About(p.ID).Reads(g, "V").Against(k.ChargeLimitVolts).
				Says("%.3f V per group is above the charge limit.", g).
				Then("Read it again; discharge it under watch before anything is joined."))
		}
	}
}

// cells says where a group would leave its window on the way.
func (r *Result) cells(in Input, c *circuit) {
	for i := range c.b {
		k, _ := chem.Lookup(in.Banks[i].Chemistry)
		if v := c.b[i].highest; v > k.ChargeLimitVolts+1e-9 {
			r.add(finding.New(finding.Stop, codeCeiling).About(r.Parts[i].ID).Reads(v, "V").Against(k.ChargeLimitVolts).
				Says("Its groups reach %.3f V while it takes charge: above the charge limit.", v).
				Then("Discharge the fuller bank first."))
		}
		if c.b[i].soc0-c.b[i].q/c.b[i].ah > 1 {
			r.add(finding.New(finding.Stop, codeOverfull).About(r.Parts[i].ID).
				Reads((c.b[i].soc0-c.b[i].q/c.b[i].ah)*100, "%").Against(100).
				Says("It would take more charge than it holds.").
				Then("Discharge the fuller bank first."))
		}
		if v := c.b[i].lowest; v > 0 && v < k.FloorVolts {
			r.add(finding.New(finding.Caution, codeFloor).About(r.Parts[i].ID).Reads(v, "V").Against(k.FloorVolts).
				Says("Its groups fall to %.3f V while it gives.", v).
				Then("Charge it first."))
		}
	}
}

// elements lists what the current goes through with what it bears.
func elements(in Input, giver, receiver int) []bears {
	l := in.Limits
	out := []bears{
		{what: "the cells of " + in.Banks[receiver].ID + " on charge", ever: l.ChargeAmps, code: "charge-current"},
		{what: "the cells of " + in.Banks[giver].ID + " on discharge", ever: l.DischargeAmps,
			code: "discharge-current"},
	}
	if out[0].ever == 0 {
		out[0].ever, out[0].typical = unknownChargeC*in.Banks[receiver].Ah, true
	}
	if out[1].ever == 0 {
		out[1].ever, out[1].typical = chem.TypicalDischargeC*in.Banks[giver].Ah, true
	}
	out[0].peak, out[1].peak = 2*out[0].ever, chem.TypicalPeakC/chem.TypicalDischargeC*out[1].ever
	for _, x := range []bears{{what: "the BMS", ever: l.BMSAmps, peak: max(l.BMSAmps, l.BMSPeakAmps),
		code: "bms-current"}, {what: "the fuse", ever: l.FuseAmps, peak: l.FuseAmps, code: "fuse-current"},
		{what: "the cable", ever: l.CableAmps, peak: l.CableAmps, code: "cable-current"}} {
		if x.ever > 0 {
			out = append(out, x)
		}
	}
	return out
}

// currents judges the worse end of the first current, and what still flows after ten seconds.
func (r *Result) currents(in Input, giver, receiver int) (ok bool) {
	ok = true
	late := r.late
	for _, e := range elements(in, giver, receiver) {
		typical := ""
		if e.typical {
			typical = ", typical"
		}
		switch {
		case r.FirstHigh > e.peak:
			ok = false
			r.add(finding.New(finding.Refuse, e.code).About(r.Receiver).Reads(r.FirstHigh, "A").Against(e.peak).
				Says("Refused: %s A at first "+
					"through %s, which bears %s A for seconds%s.", amps(r.FirstHigh), e.what, amps(e.peak), typical).
				Then("Level the banks first, or join through a resistor."))
		case late > e.ever:
			ok = false
			r.add(finding.New(finding.Stop, e.code).About(r.Receiver).Reads(late, "A").Against(e.ever).
				Says("%s A still flow after ten seconds through %s, which bears %s A for ever%s.",
					amps(late), e.what, amps(e.ever), typical).
				Then("Level the banks first, or join through a resistor."))
		case r.FirstHigh > e.ever:
			r.add(finding.New(finding.Caution, e.code).About(r.Receiver).Reads(r.FirstHigh, "A").Against(e.ever).
				Says("%s A at first through %s, which bears %s A for ever%s; after ten seconds it is %s A.",
					amps(r.FirstHigh), e.what, amps(e.ever), typical, amps(late)).
				Then("Watch it, and feel no joint while it flows."))
		}
	}
	return ok
}

// pass works out what would make two banks pass.
func (r *Result) pass(in Input, giver, receiver int) {
	least, ratio := math.Inf(1), 1.0
	for _, e := range elements(in, giver, receiver) {
		least = min(least, e.ever)
		ratio = min(ratio, e.peak/r.FirstHigh, e.ever/max(r.late, 1e-9))
	}
	// The circuit is nearly, not quite, as many amps for as many volts: a twentieth below the limit stays below it.
	p := Pass{DiffVolts: 0.95 * r.DiffVolts * ratio, LowerID: r.Receiver}
	p.ChargeToVolts = r.Parts[giver].RestVolts - p.DiffVolts
	// For ever through the resistor from the first moment: then nobody has to hurry.
	ohms := r.DiffVolts / r.FirstHigh // of all there is, at the worse end
	p.ResistorMOhm = max(0, r.DiffVolts/least-ohms) * 1000
	x := in
	x.LinkMOhm += p.ResistorMOhm
	c, _, err := prepare(x)
	if err != nil {
		return
	}
	flow := c.run(longestSeconds, func(s state, t float64) bool {
		d := (c.b[giver].emf(s.q[giver]) - s.v1[giver]) - (c.b[receiver].emf(s.q[receiver]) - s.v1[receiver])
		p.Seconds, p.InTime = t, d <= p.DiffVolts
		return p.InTime
	})
	p.InTime = p.InTime || flow.EndSeconds < longestSeconds
	p.ResistorWatts = flow.FirstAmps * flow.FirstAmps * p.ResistorMOhm / 1000
	p.ResistorJ = flow.HeatJ * p.ResistorMOhm / max(x.LinkMOhm, 1e-9)
	r.Pass = &p
}

// Limits of the fitted join limit: it is not asked for finer than a meter reads, nor let above half a volt.
const (
	leastFitted = 0.005
	mostFitted  = 0.5
)

// Fitted is the largest difference of rest voltages, in volts, at which two banks as they are may be joined, by what
// they, their BMS, fuse and cable bear: found by bisection, rounded down to 5 mV, at most 0.5 V. The first bank is
// taken as the higher one. It fails where the banks cannot be as they are said.
func Fitted(in Input) (float64, error) {
	if len(in.Banks) != 2 {
		return 0, fmt.Errorf("%s: expected two", numeral.Count(len(in.Banks), "bank"))
	}
	x := in
	x.Banks = slices.Clone(in.Banks)
	base := x.Banks[1].RestVolts
	passes := func(d float64) (bool, error) {
		x.Banks[0].SoC, x.Banks[0].RestVolts = nil, base+d
		c, parts, err := prepare(x)
		if err != nil {
			return false, err
		}
		r := c.run(60, nil)
		r.Parts = parts
		r.firsts(x, parts, 60)
		return r.currents(x, 0, 1), nil
	}
	low, high := 0.0, mostFitted
	ok, err := passes(high)
	if err != nil || ok {
		return high, err
	}
	for range 12 {
		mid := (low + high) / 2
		if ok, err = passes(mid); err != nil {
			return 0, err
		}
		if ok {
			low = mid
		} else {
			high = mid
		}
	}
	return max(leastFitted, math.Floor(low/leastFitted)*leastFitted), nil
}
