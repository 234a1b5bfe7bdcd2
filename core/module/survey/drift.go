package survey

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// daysPerMonth turns a drift per day into the per cent per month of the limits.
const daysPerMonth = 30.4

// leastDays below which two surveys are one sitting.
const leastDays = 0.5

// movedPercentMonth is a common fall beyond which charge was taken out rather than lost by itself.
const movedPercentMonth = 15

// fewGroups is the number of groups below which their median is no reference: the group that changed least is one.
const fewGroups = 4

// Drift compares a survey with an earlier one of the same module at rest, days before it, and adds
// to r what it finds (rules §3, last row).
//
// A group drifts when its charge changed against that of its siblings by more than the uncertainty of both
// surveys; the reference is the median of the changes, and with fewer than four groups the one that fell
// least. Where all fell alike by more than self-discharge explains, the module leaks as a whole. Where the
// common charge rose, or fell by more than any leak, it was charged or discharged in between: a change of an
// offset may then be a difference of capacity, and no leak is named. The least drift that the two surveys
// could have shown is said always. Where the curve is flat, or either survey was not at rest, nothing can be
// said and a finding says so. That no group was charged by itself in between the caller sees to.
func Drift(r *Result, earlier Result, m Module, days float64, p Policy) {
	d := drift{r: r, m: m, days: days, p: p}
	c, err := chem.Lookup(m.Chemistry)
	d.c = c.WithCurve(m.Curve)
	switch {
	case err != nil || days < leastDays || len(earlier.Groups) != len(r.Groups) || len(r.Groups) < 2 ||
		len(r.good) != len(r.Groups) || len(earlier.good) != len(r.Groups):
		return
	case notRested(m.RestMinutes):
		d.note(codeDriftNotAtRest, fmt.Sprintf("Taken after %.0f min of rest: not compared with the survey before.",
			m.RestMinutes), "Survey again at rest.")
		return
	case notRested(earlier.restMinutes):
		d.note(codeDriftNotAtRest, fmt.Sprintf("The earlier survey was taken after %.0f min of rest: not compared "+
			"with it.", earlier.restMinutes), "Survey again at rest after some days.")
		return
	case d.c.Curve.Flat(r.MedianV) || d.c.Curve.Flat(earlier.MedianV) || d.c.Curve.Outside(r.MedianV) ||
		d.c.Curve.Outside(earlier.MedianV):
		d.note(codeDriftNotResolved, "The curve is flat here: voltage cannot tell whether a group leaks.",
			"Compare two surveys near full or near empty.")
		return
	}
	if m.RestMinutes < 0 || earlier.restMinutes < 0 {
		d.note(codeDriftRestUnknown, fmt.Sprintf("How long the module had rested is not recorded for both surveys: "+
			"compared as if %d min or more.", chem.FullRestMinutes), "Record the rest: an unrested reading looks "+
			"like a leak.")
	}
	d.changes(earlier)
	if len(d.change) < 2 {
		return
	}
	d.judge()
	r.Findings = finding.Sorted(r.Findings)
}

func notRested(minutes float64) bool { return minutes >= 0 && minutes < chem.FullRestMinutes }

type drift struct {
	r      *Result
	m      Module
	c      chem.Chemistry
	days   float64
	p      Policy
	at     []int     // index of each group compared
	change []float64 // of its charge, %
	u      []float64 // ± of each
}

func (d *drift) note(code, text, do string) {
	d.r.Findings = append(d.r.Findings, finding.New(finding.Note, code).About(d.m.Name).By("rules §3").
		Says("%s", text).
		Then("%s", do))
}

func (d *drift) find(f finding.Finding) { d.r.Findings = append(d.r.Findings, f.By("rules §3")) }

// changes fills in how the charge of each group changed, from readings that can be right in both surveys.
func (d *drift) changes(earlier Result) {
	for i := range d.r.Groups {
		now, then := d.r.good[i], earlier.good[i]
		if math.IsNaN(now) || math.IsNaN(then) {
			continue
		}
		a, b := d.c.Curve.SoCInterval(now, max(d.p.ResolutionVolts, d.r.digit)),
			d.c.Curve.SoCInterval(then, max(d.p.ResolutionVolts, earlier.digit))
		d.at = append(d.at, i)
		d.change = append(d.change, (a.Mid()-b.Mid())*100)
		d.u = append(d.u, (a.Width()+b.Width())/2*100)
	}
}

func (d *drift) perMonth(pct float64) float64 { return round1(pct / d.days * daysPerMonth) }

func (d *drift) judge() {
	ref, uRef := median(d.change), slices.Max(d.u)
	if len(d.change) < fewGroups {
		best := 0
		for i := range d.change {
			if d.change[i] > d.change[best] {
				best = i
			}
		}
		ref, uRef = d.change[best], d.u[best]
	}
	common := d.perMonth(ref)
	d.r.CommonPctMonth = &common
	// Between sittings the curve's hysteresis counts as well.
	mid := d.c.Curve.SoCInterval(d.r.MedianV, d.c.HysteresisVolts+d.p.ResolutionVolts)
	uCommon := mid.Width() * 100
	if ref > uCommon || -ref > uCommon && -common > movedPercentMonth {
		d.note(codeDriftChargeMoved, fmt.Sprintf("The charge of all groups moved by about %.0f %% in between: the "+
			"module was charged or discharged. A change of an offset may be a difference of capacity, so no leak "+
			"is named.", ref), "Survey twice without charging or discharging in between.")
		return
	}
	least, missing := 0.0, 0.0
	for n, i := range d.at {
		u := d.u[n] + uRef
		least = max(least, u)
		if change := d.change[n] - ref; math.Abs(change) > u {
			d.group(i, change)
		} else {
			missing = max(missing, u/(d.p.DriftLeakPercent/daysPerMonth)-d.days)
		}
	}
	provable := d.perMonth(least)
	d.r.LeastPctMonth = &provable
	if missing > 0 {
		d.note(codeDriftTooSoon, fmt.Sprintf("After %.0f days a leak at the limit of %.0f %% a month could not be "+
			"told from the meter's noise yet: the least that could be seen is %.1f %% a month.", d.days,
			d.p.DriftLeakPercent, provable), fmt.Sprintf("Survey again in %.0f days.", math.Ceil(missing)))
	} else {
		d.note(codeDriftLeast, fmt.Sprintf("Compared over %.0f days: a drift of less than %.1f %% a month could not "+
			"have been seen. All groups together moved by %.1f %% a month.", d.days, provable, common),
			"Survey again after a longer time to see less.")
	}
	if -common > d.p.DriftLeakPercent && -ref > uCommon {
		d.r.Verdict = Worse(d.r.Verdict, Leaking)
		for _, i := range d.at {
			d.r.Groups[i].Verdict = Worse(d.r.Groups[i].Verdict, Leaking)
		}
		d.find(finding.New(finding.Stop, codeDriftCommon).About(d.m.Name).
			Reads(-common, "%/month").Against(d.p.DriftLeakPercent).
			Says("All groups lose charge alike, %.1f %% a month: all leak, or something draws on the module.", -common).
			Then("Look for what is connected to it, and survey twice with nothing connected. If it stays: parts only."))
	}
}

// group judges one group whose charge changed against its siblings by pct.
func (d *drift) group(i int, pct float64) {
	g := &d.r.Groups[i]
	month := d.perMonth(pct)
	g.Drift = &month
	verdict, level := OK, finding.Note
	if -month > unlikelyPercentMonth && !d.repeated(g.Group) {
		d.unlikely(g, month)
		return
	}
	switch fall := -month; {
	case fall > d.p.DriftLeakPercent:
		verdict, level = Leaking, finding.Stop
	case fall > d.p.DriftWatchPercent:
		verdict, level = Watch, finding.Caution
	default:
		return
	}
	g.Verdict = Worse(g.Verdict, verdict)
	d.r.Verdict = Worse(d.r.Verdict, verdict)
	amount := fmt.Sprintf("%.1f %% a month against its siblings", -month)
	if d.m.RatedAh > 0 {
		ah := -pct / 100 * d.m.RatedAh
		amount += fmt.Sprintf(": %.2f Ah in %.0f days, a leakage of %.1f mA", ah, d.days, LeakageMilliamps(ah, d.days))
	}
	do := "Survey again in two weeks before it goes into a bank."
	if verdict == Leaking { // which of two groups is the odd one is known now
		for k := range d.r.Findings {
			if f := &d.r.Findings[k]; f.Code == codePairDiffers {
				at := strings.Index(f.Text, ". Which")
				if at > 0 {
					f.Text, f.Do = f.Text[:at+1], "See which of them loses charge."
				}
			}
		}
	}
	if verdict == Leaking {
		do = "Use it for parts only: no balancing keeps up with a leak."
	}
	d.find(finding.New(level, codeDrift).About(fmt.Sprintf("%s group %d", d.m.Name, g.Group)).
		Reads(-month, "%/month").Against(d.p.DriftLeakPercent).
		Says("Group %d loses %s.", g.Group, amount).
		Then("%s", do))
}

// unlikelyPercentMonth is a fall that a mistyped digit or a bad contact explains before a leak does.
const unlikelyPercentMonth = 60

// repeated reports whether a group was read twice, alike.
func (d *drift) repeated(group int) bool {
	k := slices.IndexFunc(d.m.Readings, func(r Reading) bool { return r.Group == group })
	return k >= 0 && d.m.Readings[k].Repeated
}

// unlikely asks for a second reading of a group that fell by more than any but a short lets it.
func (d *drift) unlikely(g *GroupResult, month float64) {
	g.Verdict = Worse(g.Verdict, Reread)
	d.r.Verdict = Worse(d.r.Verdict, Reread)
	do := "Read it a second time: that decides. Plan no charge step meanwhile."
	if offer, ok := numeral.Mistyped(g.Volts, d.r.MedianV, mistypedWithin); ok {
		g.Offer = &offer
		do = fmt.Sprintf("If a digit slipped, enter %s V. Otherwise read it a second time: that decides. Plan no "+
			"charge step meanwhile.", numeral.Text(offer))
	}
	d.find(finding.New(finding.Stop, codeDriftUnlikely).About(fmt.Sprintf("%s group %d", d.m.Name,
		g.Group)).Reads(-month, "%/month").Against(unlikelyPercentMonth).
		Says("Group %d reads %s V, which would be a loss of %.0f %% a month against its siblings: a digit that "+
			"slipped, a bad contact, or a short inside.", g.Group, numeral.Text(g.Volts), -month).
		Then("%s", do))
}

// mistypedWithin is how near to its siblings a reading would lie with its digit put right, V.
const mistypedWithin = 0.1

// LeakageMilliamps is the current that takes ah amp hours in days.
func LeakageMilliamps(ah, days float64) float64 { return ah / (days * 24) * 1000 }

// LossAhDay is the loss in Ah a day of a group that drifts by percentMonth per cent of its capacity a month; 0 for
// one that gains.
func LossAhDay(percentMonth, capacityAh float64) float64 {
	return max(0, -percentMonth/100*capacityAh/daysPerMonth)
}
