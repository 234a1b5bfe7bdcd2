// Package trace turns a log of a test into capacity, energy, resistance and the group that ended
// it (handbook §4).
//
// Parse reads the many dialects of loggers into a Log; Analyse judges it. Charge and energy are
// integrated by the trapezoid rule from the samples themselves: a logger's own counter is compared,
// never trusted, and Ah are never multiplied with a nominal voltage.
package trace

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/chem"
	"pandrel/core/finding"
)

// Limits of the trace rules, handbook §4.
const (
	deadBandAmps      = 0.050
	deadBandFraction  = 0.005
	debounceSamples   = 3
	gapFactor         = 10
	fullWithin        = 0.02 // a discharge that starts within 2 % of full counts
	stepCRate         = 0.1  // the least load step that gives a resistance
	constantWithin    = 0.05 // how steady the load must be meanwhile
	normalLowTempC    = 20
	normalHighTempC   = 30
	normalCRate       = 0.5
	counterDisagrees  = 0.02
	gainError         = 0.005 // typical shunt logger: ± 0.5 % of reading ± 10 mA
	zeroErrorAmps     = 0.010
	floorSlackVolts   = 0.015
	fullRestSeconds   = chem.FullRestMinutes * 60
	rule              = "rules §4"
	minCapacityShare  = 0.01 // of the rated Ah: shorter pulses are not a capacity
	taperedBelowShare = 1.0 / 3
)

var resistanceAfter = []float64{1, 10, 30}

// Options are what is known about the module. FloorVolts is per group; 0 takes the chemistry's.
// RatedAh 0 means unknown.
type Options struct {
	Series      int
	Chemistry   chem.ID
	Curve       *chem.Curve // the type's own rest curve, nil for the chemistry's typical one
	RatedAh     float64
	FloorVolts  float64
	FlipCurrent bool
}

// Segment is a stretch of charge, discharge or rest. Ah and Wh are magnitudes.
type Segment struct {
	Kind   string  `json:"kind"`
	StartS float64 `json:"start_s"`
	EndS   float64 `json:"end_s"`
	Ah     float64 `json:"ah"`
	Wh     float64 `json:"wh"`
	MeanV  float64 `json:"mean_v"`
	FirstV float64 `json:"first_v"`
	LastV  float64 `json:"last_v"`

	first, last  int // sample numbers
	unsureAh     float64
	gapAh        float64
	sumAmps      float64
	flowing      float64 // seconds
	maxAbs, tail float64 // largest and last current
}

// Capacity is the result of the main discharge. UncertaintyAh is ±; GapAh is what a gap may hide
// on top. SoH is nil without a rating, and for a part of a discharge.
type Capacity struct {
	Ah            float64  `json:"ah"`
	Wh            float64  `json:"wh"`
	Complete      bool     `json:"complete"`
	CRate         *float64 `json:"c_rate"`
	SoH           *float64 `json:"soh"`
	UncertaintyAh float64  `json:"uncertainty_ah"`
	GapAh         float64  `json:"gap_ah"`
	MeanAmps      float64  `json:"mean_amps"`
	TempC         *float64 `json:"temp_c"`
	EndVolts      float64  `json:"end_v"`
	StartS        float64  `json:"start_s"`
	EndS          float64  `json:"end_s"`
}

// Resistance is the DC resistance of the whole module at one load step.
type Resistance struct {
	AtS    float64 `json:"at_s"`
	AfterS float64 `json:"after_s"`
	MilliO float64 `json:"mohm"`
}

// Gap is a hole in the log while current flowed. The charge inside is only bounded.
type Gap struct {
	FromS  float64 `json:"from_s"`
	ToS    float64 `json:"to_s"`
	AhLow  float64 `json:"ah_low"`
	AhHigh float64 `json:"ah_high"`
}

// Result is what a log says.
type Result struct {
	Columns       Columns           `json:"columns"`
	Samples       int               `json:"samples"`
	Skipped       int               `json:"skipped_lines"`
	Sign          string            `json:"current_sign"`
	Segments      []Segment         `json:"segments"`
	Capacity      *Capacity         `json:"capacity"`
	Resistance    []Resistance      `json:"resistance"`
	LimitingGroup *int              `json:"limiting_group"`
	AsFoundAh     *float64          `json:"as_found_ah"`
	BalancedAh    *float64          `json:"balanced_ah"`
	Gaps          []Gap             `json:"gaps"`
	Problems      []Problem         `json:"problems"`
	Findings      []finding.Finding `json:"findings"`
}

// Analyse judges a log. It settles the sign of log.Amps in place (positive charges). It fails only
// when series is negative or the log is empty.
func Analyse(log *Log, opt Options) (Result, error) {
	if len(log.Seconds) == 0 {
		return Result{}, &ParseError{Text: "no samples"}
	}
	if opt.Series < 0 {
		return Result{}, fmt.Errorf("series count %d: expected 1 or more", opt.Series)
	}
	if len(log.Groups) > 0 && opt.Series == 0 {
		opt.Series = len(log.Groups)
	}
	if opt.Series == 0 {
		opt.Series = 1
	}
	a := &analysis{log: log, opt: opt}
	a.r = Result{Columns: log.Columns, Samples: len(log.Seconds), Skipped: log.Skipped, Problems: log.Problems,
		Segments: []Segment{}, Resistance: []Resistance{}, Gaps: []Gap{}, Findings: []finding.Finding{}}
	if a.r.Problems == nil {
		a.r.Problems = []Problem{}
	}
	if c, err := chem.Lookup(opt.Chemistry); err == nil {
		a.c, a.known = c.WithCurve(opt.Curve), true
		if a.opt.FloorVolts == 0 {
			a.opt.FloorVolts = c.FloorVolts
		}
	}
	a.problems()
	if log.Columns.Amps == "" {
		a.find(finding.Stop, "no-current", "amps", nil, nil, "", "The log has no column of current, so no charge can be counted.", "Log the current with the voltage, or type the result by hand.")
		return a.r, nil
	}
	a.band = max(deadBandAmps, deadBandFraction*maxAbs(log.Amps))
	a.settleSign()
	a.segments()
	a.integrate()
	a.capacity()
	a.resistances()
	a.belowLimits()
	a.r.Findings = finding.Sorted(a.r.Findings)
	return a.r, nil
}

type analysis struct {
	log   *Log
	opt   Options
	c     chem.Chemistry
	known bool
	band  float64
	main  *Segment
	r     Result
}

func (a *analysis) find(l finding.Level, code, subject string, measured, limit *float64, unit, text, do string) {
	a.r.Findings = append(a.r.Findings, finding.Finding{Level: l, Code: code, Subject: subject, Measured: measured, Limit: limit, Unit: unit, Rule: rule, Text: text, Do: do})
}

func (a *analysis) problems() {
	if a.log.Skipped == 0 {
		return
	}
	p := a.log.Problems[0]
	a.find(finding.Caution, "lines-left-out", "file", finding.Of(float64(a.log.Skipped)), finding.Of(0), "lines",
		fmt.Sprintf("%d lines could not be used. The first is line %d: %s.", a.log.Skipped, p.Line, p.Text),
		"Look at those lines. What they held is missing from the result.")
}

func maxAbs(v []float64) float64 {
	m := 0.0
	for _, x := range v {
		m = max(m, math.Abs(x))
	}
	return m
}

// state is +1, −1 or 0 for a current outside or inside the dead band.
func (a *analysis) state(amps float64) int {
	switch {
	case amps > a.band:
		return 1
	case amps < -a.band:
		return -1
	}
	return 0
}

// settleSign makes charging positive. Evidence, in order: a step column; the voltage's answer to
// changes of current (it rises with charging current); its trend while current flows. A log whose
// current is never negative is unsigned: then each stretch is judged by itself.
func (a *analysis) settleSign() {
	amps, v := a.log.Amps, a.log.Volts
	unsigned := !slices.ContainsFunc(amps, func(x float64) bool { return x < -a.band })
	switch {
	case a.log.Step != nil && slices.ContainsFunc(a.log.Step, func(s int8) bool { return s != 0 }):
		a.r.Sign = "from the step column"
		for i := range amps {
			if s := a.log.Step[i]; s != 0 {
				amps[i] = float64(s) * math.Abs(amps[i])
			}
		}
	case unsigned:
		a.r.Sign = "unsigned: each stretch from the trend of the voltage"
		for start := 0; start < len(amps); {
			end := start
			for end < len(amps) && (a.state(amps[end]) != 0) == (a.state(amps[start]) != 0) {
				end++
			}
			if a.state(amps[start]) != 0 && a.falls(start, end) {
				for i := start; i < end; i++ {
					amps[i] = -amps[i]
				}
			}
			start = end
		}
	default:
		a.r.Sign = "as written: positive charges"
		var answer float64
		for i := 1; i < len(amps); i++ {
			di, dv := amps[i]-amps[i-1], v[i]-v[i-1]
			if math.Abs(di) > a.band {
				answer += di * dv
			} else {
				answer += amps[i] * dv
			}
		}
		if answer < 0 {
			a.r.Sign = "turned round: the log counts discharge as positive"
			negate(amps)
		}
	}
	if a.opt.FlipCurrent {
		a.r.Sign += ", then flipped by hand"
		negate(amps)
	}
}

func negate(v []float64) {
	for i := range v {
		v[i] = -v[i]
	}
}

// falls reports whether current in samples start…end discharges: from the step at its start if
// there is a sample before it, else from the trend.
func (a *analysis) falls(start, end int) bool {
	v := a.log.Volts
	if start > 0 {
		if step := v[start] - v[start-1]; math.Abs(step) > 0.005 {
			return step < 0
		}
	}
	return v[end-1] < v[start]
}

// segments cuts the log into charge, discharge and rest. A new state must last three samples.
func (a *analysis) segments() {
	amps := a.log.Amps
	n := len(amps)
	begin, state := 0, a.state(amps[0])
	add := func(from, to int) {
		a.r.Segments = append(a.r.Segments, Segment{Kind: kindOf(state), first: from, last: to})
	}
	for i := 1; i < n; i++ {
		s := a.state(amps[i])
		if s == state {
			continue
		}
		stays := true
		for k := i; k < min(i+debounceSamples, n); k++ {
			if a.state(amps[k]) != s {
				stays = false
				break
			}
		}
		if !stays {
			continue
		}
		add(begin, i-1)
		begin, state = i, s
	}
	add(begin, n-1)
}

func kindOf(state int) string {
	switch state {
	case 1:
		return "charge"
	case -1:
		return "discharge"
	}
	return "rest"
}

// integrate sums charge and energy of each segment by trapezoids. The interval in which the
// current switches on or off belongs to the flowing segment and adds half its Ah to the
// uncertainty.
func (a *analysis) integrate() {
	t, amps, v := a.log.Seconds, a.log.Amps, a.log.Volts
	for k := range a.r.Segments {
		s := &a.r.Segments[k]
		s.StartS, s.EndS, s.FirstV, s.LastV = t[s.first], t[s.last], v[s.first], v[s.last]
		typical := a.typicalStep(s.first, s.last)
		var vdt float64
		for i := s.first + 1; i <= s.last; i++ {
			dt := t[i] - t[i-1]
			vdt += 0.5 * (v[i] + v[i-1]) * dt
			if s.Kind == "rest" {
				continue
			}
			if dt > gapFactor*typical {
				high := max(math.Abs(amps[i-1]), math.Abs(amps[i])) * dt / 3600
				a.r.Gaps = append(a.r.Gaps, Gap{t[i-1], t[i], 0, high})
				s.gapAh += high
				continue
			}
			s.Ah += math.Abs(0.5*(amps[i]+amps[i-1])) * dt / 3600
			s.Wh += math.Abs(0.5*(amps[i]*v[i]+amps[i-1]*v[i-1])) * dt / 3600
			s.sumAmps += math.Abs(0.5*(amps[i]+amps[i-1])) * dt
			s.flowing += dt
		}
		if d := s.EndS - s.StartS; d > 0 {
			s.MeanV = vdt / d
		} else {
			s.MeanV = s.FirstV
		}
		if s.Kind == "rest" {
			continue
		}
		for i := s.first; i <= s.last; i++ {
			s.maxAbs = max(s.maxAbs, math.Abs(amps[i]))
		}
		s.tail = math.Abs(amps[s.last])
		edge := func(i, j int) { // the switching interval between samples i and j
			dt := t[j] - t[i]
			if dt > gapFactor*typical {
				high := max(math.Abs(amps[i]), math.Abs(amps[j])) * dt / 3600
				a.r.Gaps = append(a.r.Gaps, Gap{t[i], t[j], 0, high})
				s.gapAh += high
				return
			}
			ah := math.Abs(0.5*(amps[i]+amps[j])) * dt / 3600
			s.Ah += ah
			s.Wh += math.Abs(0.5*(amps[i]*v[i]+amps[j]*v[j])) * dt / 3600
			s.unsureAh += ah / 2
		}
		if s.first > 0 {
			edge(s.first-1, s.first)
		}
		// Between two flowing segments the interval already belongs to the later one.
		if s.last+1 < len(t) && a.r.Segments[k+1].Kind == "rest" {
			edge(s.last, s.last+1)
		}
	}
	for _, g := range a.r.Gaps {
		a.find(finding.Caution, "gap", "log", finding.Of(math.Round(g.ToS-g.FromS)), nil, "s",
			fmt.Sprintf("Nothing was logged from %.0f s to %.0f s while current flowed. Between 0 and %.2f Ah may be missing.", g.FromS, g.ToS, g.AhHigh),
			"Treat the capacity as a lower bound, or test again.")
	}
}

// typicalStep is the median sampling interval, from at most 1001 of the intervals.
func (a *analysis) typicalStep(first, last int) float64 {
	t := a.log.Seconds
	n := last - first
	if n < 1 {
		return math.Inf(1)
	}
	stride := max(1, n/1000)
	var d []float64
	for i := first + 1; i <= last; i += stride {
		d = append(d, t[i]-t[i-1])
	}
	slices.Sort(d)
	return d[len(d)/2]
}

// capacity takes the discharge that moved most charge.
func (a *analysis) capacity() {
	best := -1
	for k := range a.r.Segments {
		s := &a.r.Segments[k]
		if s.Kind == "discharge" && s.Ah > a.opt.RatedAh*minCapacityShare && (best < 0 || s.Ah > a.r.Segments[best].Ah) {
			best = k
		}
	}
	if best < 0 {
		a.find(finding.Stop, "no-discharge", "log", nil, nil, "", "The log holds no discharge.", "Log a discharge from full to the first group at its floor. If the sign of the current is wrong, flip it.")
		return
	}
	s := &a.r.Segments[best]
	a.main = s
	c := &Capacity{Ah: s.Ah, Wh: s.Wh, GapAh: s.gapAh, EndVolts: s.LastV, StartS: s.StartS, EndS: s.EndS}
	if s.flowing > 0 {
		c.MeanAmps = s.sumAmps / s.flowing
	}
	hours := s.flowing / 3600
	c.UncertaintyAh = math.Sqrt(math.Pow(gainError*s.Ah, 2)+math.Pow(zeroErrorAmps*hours, 2)) + s.unsureAh
	if a.opt.RatedAh > 0 {
		c.CRate = finding.Of(c.MeanAmps / a.opt.RatedAh)
		if *c.CRate > normalCRate {
			a.find(finding.Note, "fast", "capacity", c.CRate, finding.Of(normalCRate), "C", fmt.Sprintf("Taken at %.2f C: above C/2 the figure is lower than at rest.", *c.CRate), "Compare only with tests at the same current.")
		}
	}
	if a.log.TempC != nil {
		sum := 0.0
		for _, x := range a.log.TempC[s.first : s.last+1] {
			sum += x
		}
		mean := sum / float64(s.last-s.first+1)
		c.TempC = &mean
		if mean < normalLowTempC || mean > normalHighTempC {
			a.find(finding.Note, "temperature", "capacity", finding.Of(math.Round(mean*10)/10), finding.Of(normalLowTempC), "°C", fmt.Sprintf("Taken at %.0f °C: outside 20 to 30 °C the figure is not comparable.", mean), "Compare only with tests at the same temperature.")
		}
	}
	full, whyFull := a.startsFull(best)
	floor, whyFloor := a.endsAtFloor(s)
	c.Complete = full && floor && s.gapAh == 0
	if c.Complete && a.opt.RatedAh > 0 {
		c.SoH = finding.Of(s.Ah / a.opt.RatedAh)
	}
	a.r.Capacity = c
	if !full || !floor {
		why := whyFull
		if full {
			why = whyFloor
		} else if !floor {
			why += ", and " + whyFloor
		}
		a.find(finding.Caution, "part-discharge", "capacity", finding.Of(round3(s.Ah)), nil, "Ah",
			fmt.Sprintf("Part of a discharge: %s. At least %.1f Ah are there.", why, s.Ah),
			"Charge to full, rest, and discharge to the first group at its floor for a capacity.")
	}
	a.counter(s)
	a.limiting(best)
}

func round3(v float64) float64 { return math.Round(v*1000) / 1000 }

// groupVolts returns the lowest and highest group voltage at sample i; without group columns both
// are the mean.
func (a *analysis) groupVolts(i int) (low, high float64) {
	if len(a.log.Groups) == 0 {
		m := a.log.Volts[i] / float64(a.opt.Series)
		return m, m
	}
	low, high = math.Inf(1), math.Inf(-1)
	for _, g := range a.log.Groups {
		low, high = min(low, g[i]), max(high, g[i])
	}
	return low, high
}

// startsFull reports whether the discharge in segment k starts within 2 % of full: from the rest
// voltage before it, or because a charge before it ended on tapering current.
func (a *analysis) startsFull(k int) (bool, string) {
	for back := k - 1; back >= 0; back-- {
		s := &a.r.Segments[back]
		switch s.Kind {
		case "charge":
			if s.tail < s.maxAbs*taperedBelowShare {
				return true, ""
			}
			return false, "the charge before it did not taper off"
		case "rest":
			if !a.known {
				continue
			}
			_, high := a.groupVolts(s.last)
			if soc := a.c.Curve.SoC(high); soc >= 1-fullWithin {
				return true, ""
			} else if back == 0 || a.r.Segments[back-1].Kind != "charge" {
				return false, fmt.Sprintf("it started at about %.0f %% of charge", soc*100)
			}
		default:
			return false, "another discharge came before it"
		}
	}
	if !a.known {
		return false, "without the chemistry it is not known whether it started full"
	}
	return false, "no rest and no charge before it shows that it started full"
}

// endsAtFloor reports whether the first group reached the floor at the end of s.
func (a *analysis) endsAtFloor(s *Segment) (bool, string) {
	if a.opt.FloorVolts <= 0 {
		return false, "no floor is known"
	}
	low, _ := a.groupVolts(s.last)
	if low <= a.opt.FloorVolts+floorSlackVolts {
		return true, ""
	}
	return false, fmt.Sprintf("it ended at %.3f V per group, above the floor of %.2f V", low, a.opt.FloorVolts)
}

// counter compares the logger's own Ah with the integral.
func (a *analysis) counter(s *Segment) {
	if a.log.LoggerAh == nil {
		return
	}
	own := math.Abs(a.log.LoggerAh[s.last] - a.log.LoggerAh[s.first])
	if s.Ah > 0 && math.Abs(own-s.Ah)/s.Ah > counterDisagrees {
		a.find(finding.Caution, "counter-disagrees", "capacity", finding.Of(round3(own)), finding.Of(round3(s.Ah)), "Ah",
			fmt.Sprintf("The logger's own counter says %.2f Ah, the samples add up to %.2f Ah.", own, s.Ah), "Trust the samples; check the logger's settings.")
	}
}

// limiting names the group that reached the floor first, and with a full rest at both ends what
// balancing would add: with q_up,i = charge from start to full and q_dn,i = charge from start to
// empty of group i, as found = min(q_dn) + min(q_up), after balancing = min(q_dn + q_up).
func (a *analysis) limiting(k int) {
	groups := a.log.Groups
	if len(groups) == 0 {
		return
	}
	s := &a.r.Segments[k]
	lowest := 0
	for i := range groups {
		if groups[i][s.last] < groups[lowest][s.last] {
			lowest = i
		}
	}
	n := lowest + 1
	a.r.LimitingGroup = &n
	if !a.known || k == 0 || k+1 >= len(a.r.Segments) || s.gapAh > 0 {
		return
	}
	before, after := &a.r.Segments[k-1], &a.r.Segments[k+1]
	if before.Kind != "rest" || after.Kind != "rest" || before.EndS-before.StartS < fullRestSeconds*0.99 || after.EndS-after.StartS < fullRestSeconds*0.99 {
		a.find(finding.Note, "balance-not-resolved", "groups", nil, nil, "", "What balancing would add needs a rest of 30 min before and after the discharge.", "Log the rests as well next time.")
		return
	}
	up, down, whole := math.Inf(1), math.Inf(1), math.Inf(1)
	for i := range groups {
		from, to := a.c.Curve.SoC(groups[i][before.last]), a.c.Curve.SoC(groups[i][after.last])
		if from-to < 0.3 { // too little of the curve was crossed to scale from it
			return
		}
		q := s.Ah / (from - to)
		up, down, whole = min(up, (1-from)*q), min(down, from*q), min(whole, q)
	}
	a.r.AsFoundAh, a.r.BalancedAh = finding.Of(round3(up+down)), finding.Of(round3(whole))
}

// resistances takes every load step: |V before − V after t| / |ΔI| at 1, 10 and 30 s where a
// sample lies within a fifth of that time and the current was steady. Time counts from the first
// sample with the new current.
func (a *analysis) resistances() {
	least := stepCRate * a.opt.RatedAh
	if least == 0 {
		least = 0.1 * maxAbs(a.log.Amps)
	}
	t, amps, v := a.log.Seconds, a.log.Amps, a.log.Volts
	for k := 1; k < len(a.r.Segments); k++ {
		s := &a.r.Segments[k]
		if s.Kind == "rest" || a.r.Segments[k-1].Kind != "rest" || s.first == 0 {
			continue
		}
		i0 := s.first
		if math.Abs(amps[i0]-amps[i0-1]) < least && i0+1 < len(amps) {
			i0++ // the load came on within the interval
		}
		di := amps[i0] - amps[s.first-1]
		if math.Abs(di) < least {
			continue
		}
		for _, after := range resistanceAfter {
			i := i0
			for i+1 <= s.last && t[i+1]-t[i0] <= after*1.2 && math.Abs(t[i+1]-t[i0]-after) <= math.Abs(t[i]-t[i0]-after) {
				i++
			}
			if math.Abs(t[i]-t[i0]-after) > 0.2*after || math.Abs(amps[i]-amps[i0]) > constantWithin*math.Abs(di) {
				continue
			}
			a.r.Resistance = append(a.r.Resistance, Resistance{t[i0], after, math.Round(math.Abs((v[i]-v[s.first-1])/di)*1e6) / 1e3})
		}
	}
}

// belowLimits looks for groups that the test drove outside what they may ever see.
func (a *analysis) belowLimits() {
	if !a.known {
		return
	}
	for i, g := range a.log.Groups {
		low, high := slices.Min(g), slices.Max(g)
		if low < a.c.NeverRechargeVolts {
			a.find(finding.Refuse, "driven-below", fmt.Sprintf("group %d", i+1), finding.Of(round3(low)), finding.Of(a.c.NeverRechargeVolts), "V",
				fmt.Sprintf("Group %d was driven to %.3f V, below %.2f V.", i+1, low, a.c.NeverRechargeVolts), "Quarantine the module. A group once this low is never recharged.")
		}
		if high > a.c.ChargeLimitVolts+chem.OverToleranceVolts {
			a.find(finding.Stop, "driven-above", fmt.Sprintf("group %d", i+1), finding.Of(round3(high)), finding.Of(a.c.ChargeLimitVolts), "V",
				fmt.Sprintf("Group %d was charged to %.3f V, above the limit of %.2f V.", i+1, high, a.c.ChargeLimitVolts), "Survey the module before any further step.")
		}
	}
}

// ResistanceAt returns the resistance of the first load step that has one at after seconds, in
// milliohms; ok is false where none was sampled.
func (r Result) ResistanceAt(after float64) (mohm float64, ok bool) {
	for _, x := range r.Resistance {
		if x.AfterS == after {
			return x.MilliO, true
		}
	}
	return 0, false
}
