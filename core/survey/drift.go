package survey

import (
	"fmt"
	"math"

	"pandrel/core/chem"
	"pandrel/core/finding"
)

// daysPerMonth turns a drift per day into the per cent per month of the limits.
const daysPerMonth = 30.4

// leastDays below which two surveys are one sitting.
const leastDays = 0.5

// Drift compares a survey with an earlier one of the same module at rest, days before it, and adds
// to r what it finds (handbook §3, last row). A group drifts when its offset changed by more than
// the uncertainty of both; otherwise the finding says after how many more days a drift at the
// limit would show. Where the curve is flat, or either survey was not at rest, nothing can be said
// and a finding says so. Offsets are only comparable when no group was charged or discharged by
// itself in between: the caller sees to that.
func Drift(r *Result, earlier Result, m Module, days float64, p Policy) {
	d := drift{r: r, m: m, days: days, p: p}
	c, err := chem.Lookup(m.Chemistry)
	c = c.WithCurve(m.Curve)
	switch {
	case err != nil || days < leastDays || len(earlier.Groups) != len(r.Groups) || len(r.Groups) < 2:
		return
	case m.RestMinutes >= 0 && m.RestMinutes < chem.FullRestMinutes:
		d.note("drift-not-at-rest", fmt.Sprintf("Taken after %.0f min of rest: not compared with the survey before.", m.RestMinutes), "Survey again at rest.")
		return
	case c.Curve.Flat(r.MedianV) || c.Curve.Flat(earlier.MedianV):
		d.note("drift-not-resolved", "The curve is flat here: voltage cannot tell whether a group leaks.", "Compare two surveys near full or near empty.")
		return
	}
	longest := 0.0
	for i := range r.Groups {
		longest = max(longest, d.group(i, earlier.Groups[i]))
	}
	if longest > 0 {
		d.note("drift-too-soon", fmt.Sprintf("After %.0f days a leak at the limit of %.0f %% a month could not be told from the meter's noise yet.", days, p.DriftLeakPercent), fmt.Sprintf("Survey again in %.0f days.", math.Ceil(longest)))
	}
	r.Findings = finding.Sorted(r.Findings)
}

type drift struct {
	r    *Result
	m    Module
	days float64
	p    Policy
}

func (d *drift) note(code, text, do string) {
	d.r.Findings = append(d.r.Findings, finding.Finding{Level: finding.Note, Code: code, Subject: d.m.Name, Rule: "rules §3", Text: text, Do: do})
}

// group judges one group. It returns the days still missing until a drift at the limit would show,
// 0 where enough time has passed.
func (d *drift) group(i int, before GroupResult) (missing float64) {
	g := &d.r.Groups[i]
	if g.OffsetPct == nil || before.OffsetPct == nil {
		return 0
	}
	mid := func(o *[2]float64) (value, u float64) { return (o[0] + o[1]) / 2, (o[1] - o[0]) / 2 }
	now, u1 := mid(g.OffsetPct)
	then, u2 := mid(before.OffsetPct)
	change, u := now-then, u1+u2
	if math.Abs(change) <= u {
		return max(0, u/(d.p.DriftLeakPercent/daysPerMonth)-d.days)
	}
	month := round1(change / d.days * daysPerMonth)
	g.Drift = &month
	verdict, level := OK, finding.Note
	switch fall := -month; {
	case fall > d.p.DriftLeakPercent:
		verdict, level = Leaking, finding.Stop
	case fall > d.p.DriftWatchPercent:
		verdict, level = Watch, finding.Caution
	default:
		return 0
	}
	g.Verdict = Worse(g.Verdict, verdict)
	d.r.Verdict = Worse(d.r.Verdict, verdict)
	amount := fmt.Sprintf("%.1f %% a month against its siblings", -month)
	if d.m.RatedAh > 0 {
		ah := -change / 100 * d.m.RatedAh
		amount += fmt.Sprintf(": %.2f Ah in %.0f days, a leakage of %.1f mA", ah, d.days, LeakageMilliamps(ah, d.days))
	}
	do := "Survey again in two weeks before it goes into a bank."
	if verdict == Leaking {
		do = "Use it for parts only: no balancing keeps up with a leak."
	}
	d.r.Findings = append(d.r.Findings, finding.Finding{Level: level, Code: "drift", Subject: fmt.Sprintf("%s group %d", d.m.Name, g.Group), Measured: finding.Of(-month), Limit: finding.Of(d.p.DriftLeakPercent), Unit: "%/month", Rule: "rules §3",
		Text: fmt.Sprintf("Group %d loses %s.", g.Group, amount), Do: do})
	return 0
}

// LeakageMilliamps is the current that takes ah amp hours in days.
func LeakageMilliamps(ah, days float64) float64 { return ah / (days * 24) * 1000 }
