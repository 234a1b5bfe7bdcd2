package trace

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// run is one discharge: its segments with the rests between them, none longer than two hours. Charge
// below the floor does not count.
type run struct {
	from, to int // numbers of its first and last segment
	pauses   int
	floorAt  int // the sample at which the first group met its floor, −1 for none
	Ah, Wh   float64
	unsureAh float64
	gapAh    float64
	sumAmps  float64
	flowing  float64
	cut      bool    // a part of the log begins inside it: how long it was off is not known
	lost     int     // lines left out inside it
	belowAh  float64 // counted below the floor and left out
	regenAh  float64 // given back by short charges within it, which net out
	regenWh  float64
	full     bool
	floor    bool
	whyFull  string
	whyFloor string
}

func (r *run) complete() bool {
	return r.full && r.floor && !r.cut && r.lost == 0 && r.gapAh <= tinyGapShare*r.Ah
}

// findRuns gathers discharges, and judges where each began and ended.
func (a *analysis) findRuns() {
	seg := a.r.Segments
	for k := 0; k < len(seg); k++ {
		if seg[k].Kind != Discharge || seg[k].out {
			continue
		}
		r := run{from: k, to: k, floorAt: -1}
		drawn, rests, rested := seg[k].Ah, 0, 0.0
		var back, backWh float64
		for n := k + 1; n < len(seg) && !seg[n].out && rested <= pauseSeconds; n++ {
			s := &seg[n]
			switch {
			case s.Kind == Rest:
				rests, rested = rests+1, rested+s.EndS-s.StartS
			case s.Kind == Charge && s.EndS-s.StartS <= regenSeconds && back+s.Ah <= regenShare*drawn:
				back, backWh, rested = back+s.Ah, backWh+s.Wh, 0
			case s.Kind == Discharge:
				r.to, r.pauses, r.regenAh, r.regenWh = n, r.pauses+rests, back, backWh
				drawn, rests, rested = drawn+s.Ah, 0, 0
			default:
				rested = math.Inf(1)
			}
		}
		a.sum(&r)
		r.full, r.whyFull = a.startsFull(k)
		r.floor, r.whyFloor = a.endsAtFloor(&r)
		a.runs = append(a.runs, r)
		k = r.to
	}
}

// sum adds up a run to where its first group meets the floor.
func (a *analysis) sum(r *run) {
	seg, t, amps, v := a.r.Segments, a.log.Seconds, a.amps, a.volts
	first, last := seg[r.from].first, seg[r.to].last
	r.cut = a.partBetween(first+1, last)
	if a.opt.FloorVolts > 0 {
		r.floorAt = a.meetsFloor(r)
	}
	for k := r.from; k <= r.to; k++ {
		s := &seg[k]
		if s.Kind != Discharge {
			continue
		}
		r.Ah, r.Wh, r.unsureAh, r.gapAh = r.Ah+s.Ah, r.Wh+s.Wh, r.unsureAh+s.unsureAh, r.gapAh+s.gapAh
		r.sumAmps, r.flowing = r.sumAmps+s.sumAmps, r.flowing+s.flowing
	}
	r.Ah, r.Wh = r.Ah-r.regenAh, r.Wh-r.regenWh
	if f := r.floorAt; f >= 0 && f < last { // what flowed after the floor
		for k := r.from; k <= r.to; k++ {
			s := &seg[k]
			if s.Kind != Discharge || s.last <= f {
				continue
			}
			for i := max(s.first, f+1); i <= s.last; i++ {
				if i == s.first && i > f+1 {
					continue // the edge is small and belongs to the segment
				}
				dt := t[i] - t[i-1]
				ah := math.Abs(0.5*(amps[i]+amps[i-1])) * dt / 3600
				if ah > r.Ah {
					continue
				}
				r.belowAh += ah
				r.Wh -= math.Abs(0.5*(amps[i]*v[i]+amps[i-1]*v[i-1])) * dt / 3600
			}
		}
		r.Ah = max(0, r.Ah-r.belowAh)
	}
	end := last
	if r.floorAt >= 0 {
		end = r.floorAt
	}
	r.lost = a.log.LostBetween(first, end)
}

// meetsFloor is the sample at which the lowest group met the floor for good: none behind it in the same stretch of
// discharge stands higher at the same current, and after a rest it did not go on above for long. −1 for none.
func (a *analysis) meetsFloor(r *run) int {
	quiet := max(0.002, 3*a.groupNoise())
	for k := r.from; k <= r.to; k++ {
		s := &a.r.Segments[k]
		if s.Kind != Discharge {
			continue
		}
		at, samples := -1, 0
		higher := 0.0 // the largest current at which a later sample stands above the floor
		for i := s.last; i >= s.first; i-- {
			low, _ := a.groupVolts(i)
			amps := math.Abs(a.amps[i])
			switch {
			case low < brokenContact || a.state(a.amps[i]) == 0:
			case low > a.opt.FloorVolts+quiet:
				higher = max(higher, amps)
			case low <= a.opt.FloorVolts+1e-9 && higher < sameCurrent*amps:
				at = i
				samples++
			}
		}
		if at < 0 || samples < confirmedSamples && at < a.lastFlowing(s) || a.goesOn(r, k, at) {
			continue
		}
		return at
	}
	return -1
}

// goesOn reports whether a run went on well above the floor after a rest: then what was read at the floor before it was
// a contact.
func (a *analysis) goesOn(r *run, k, at int) bool {
	before, after := 0.0, 0.0
	for n := r.from; n <= k; n++ {
		before += a.r.Segments[n].Ah
	}
	amps := math.Abs(a.amps[at])
	for n := k + 1; n <= r.to && a.budget > 0 && after <= afterFloorShare*before; n++ {
		s := &a.r.Segments[n]
		a.budget -= 1 + s.last - s.first
		if s.Kind != Discharge {
			continue
		}
		for i := s.first + 1; i <= s.last; i++ {
			if low, _ := a.groupVolts(i); low > a.opt.FloorVolts+standsHigher &&
				math.Abs(a.amps[i]) >= sameCurrent*amps {
				after += math.Abs(a.amps[i]) * (a.log.Seconds[i] - a.log.Seconds[i-1]) / 3600
			}
		}
	}
	return after > afterFloorShare*before
}

// lastFlowing is the last sample of a segment in which current flowed: a rest of a sample or two at its end belongs to
// it.
func (a *analysis) lastFlowing(s *Segment) int {
	for i := s.last; i > s.first; i-- {
		if a.state(a.amps[i]) != 0 {
			return i
		}
	}
	return s.first
}

// groupNoise is the noise of the volts of a group, worked out once.
func (a *analysis) groupNoise() float64 {
	if a.noise == nil {
		a.noise = finding.Of(a.voltNoise())
	}
	return *a.noise
}

func (a *analysis) voltNoise() float64 {
	flows := func(i int) bool { return a.state(a.amps[i]) != 0 }
	if len(a.groups) > 0 {
		return noiseOf(a.groups[0], flows)
	}
	return noiseOf(a.volts, flows) / float64(a.opt.Series)
}

// capacity takes the first complete discharge, else the one that moved most charge.
func (a *analysis) capacity() {
	for i := range a.runs {
		r := &a.runs[i]
		if r.Ah <= a.opt.RatedAh*minCapacityShare {
			continue
		}
		switch {
		case a.main == nil, r.complete() && !a.main.complete(), !a.main.complete() && r.Ah > a.main.Ah:
			a.main = r
		}
	}
	if a.main == nil {
		a.find(finding.New(finding.Stop, codeNoDischarge).About("log").
			Says("The log holds no discharge.").
			Then("Log a discharge from full to the first group at its floor. If the sign of the " +
				"current is wrong, flip it."))
		return
	}
	r := a.main
	seg := a.r.Segments
	first, last := &seg[r.from], &seg[r.to]
	c := &Capacity{Ah: r.Ah, Wh: r.Wh, GapAh: r.gapAh, Pauses: r.pauses, EndVolts: last.LastV, StartS: first.StartS,
		EndS: last.EndS}
	if r.floorAt >= 0 {
		c.EndVolts, c.EndS = a.volts[r.floorAt], a.log.Seconds[r.floorAt]
	}
	if r.flowing > 0 {
		c.MeanAmps = r.sumAmps / r.flowing
	}
	hours := r.flowing / 3600
	c.UncertaintyAh = math.Sqrt(math.Pow(gainError*r.Ah, 2)+math.Pow(zeroErrorAmps*hours, 2)) + r.unsureAh
	if a.opt.RatedAh > 0 {
		c.CRate = finding.Of(c.MeanAmps / a.opt.RatedAh)
		if *c.CRate > normalCRate {
			a.find(finding.New(finding.Note, codeFast).About("capacity").Reads(*c.CRate, "C").Against(normalCRate).
				Says("Taken at %.2f C: above C/2 the figure is lower than at rest.", *c.CRate).
				Then("Compare only with tests at the same current."))
		}
	}
	a.warmth(c, first.first, last.last)
	c.Complete = r.complete()
	c.Whole = r.full && r.floor && !r.cut && r.lost == 0
	if a.opt.RatedAh > 0 && c.Whole {
		c.SoHLow, c.SoHHigh = finding.Of(numeral.AmpHours(r.Ah)/a.opt.RatedAh),
			finding.Of(numeral.AmpHours(r.Ah+r.gapAh)/a.opt.RatedAh)
	}
	if c.Complete && a.opt.RatedAh > 0 {
		c.SoH = finding.Of(numeral.AmpHours(r.Ah) / a.opt.RatedAh)
	}
	a.r.Capacity = c
	a.remarks(r)
	a.counter(r)
	a.limiting(r)
}

// warmth is the mean temperature of the discharge, from the samples that have one.
func (a *analysis) warmth(c *Capacity, first, last int) {
	if a.log.TempC == nil {
		return
	}
	sum, n := 0.0, 0
	for _, x := range a.log.TempC[first : last+1] {
		if x := float64(x); !math.IsNaN(x) {
			sum += x
			n++
		}
	}
	if n == 0 {
		return
	}
	mean := sum / float64(n)
	c.TempC = &mean
	if mean < normalLowTempC || mean > normalHighTempC {
		a.find(finding.New(finding.Note, codeTemperature).About("capacity").
			Reads(math.Round(mean*10)/10, "°C").Against(normalLowTempC).
			Says("Taken at %.0f °C: outside 20 to 30 °C the figure is not comparable.", mean).
			Then("Compare only with tests at the same temperature."))
	}
}

// remarks says what a discharge lacks, and what was left out of it.
func (a *analysis) remarks(r *run) {
	if r.pauses > 0 {
		a.find(finding.New(finding.Note, codePauses).About("capacity").Reads(float64(r.pauses), "rests").
			Says("The discharge was interrupted by %d rests without a charge between: its parts are added up.",
				r.pauses).
			Then("Nothing. A long rest lets the voltage recover a little, so that the figure may be slightly higher."))
	}
	if r.regenAh > 0 {
		a.find(finding.New(finding.Note, codeRegeneration).About("capacity").Reads(numeral.Round3(r.regenAh), "Ah").
			Says("Short charges within the discharge gave back %.2f Ah: the figure is what was drawn less that.",
				r.regenAh).
			Then("Nothing. A steady discharge is easier to compare."))
	}
	if r.belowAh > 0.001*r.Ah {
		a.find(finding.New(finding.Caution, codeBelowFloor).About("capacity").
			Reads(numeral.Round3(r.belowAh), "Ah").Against(0).
			Says("The discharge went on below the floor of %.2f V: the last %.2f Ah are not counted.",
				a.opt.FloorVolts, r.belowAh).
			Then("End the discharge at the first group's floor, by a device."))
	}
	var why []string
	if !r.full {
		why = append(why, r.whyFull)
	}
	if !r.floor {
		why = append(why, r.whyFloor)
	}
	if len(why) > 0 {
		text := why[0]
		if len(why) > 1 {
			text += ", and " + why[1]
		}
		a.find(finding.New(finding.Caution, codePartDischarge).About("capacity").Reads(numeral.Round3(r.Ah), "Ah").
			Says("Part of a discharge: %s. At least %.1f Ah are there.", text, r.Ah).
			Then("Charge to full, rest, and discharge to the first group at its floor for a capacity."))
	}
	switch {
	case r.cut:
		a.find(finding.New(finding.Caution, codeAtLeast).About("capacity").Reads(numeral.Round3(r.Ah), "Ah").
			Says("The log was off in the middle of the discharge, for how long is not known: at least %.1f Ah.", r.Ah).
			Then("Test again, or log with a clock."))
	case r.lost > 0:
		a.find(finding.New(finding.Caution, codeAtLeast).About("capacity").Reads(float64(r.lost), "lines").Against(0).
			Says("%s inside the discharge could not be used: at least %.1f Ah.", numeral.Count(r.lost, "line"), r.Ah).
			Then("Look at those lines and upload the log again when they are put right."))
	case r.full && r.floor && r.gapAh > 0 && a.opt.RatedAh > 0:
		a.find(finding.New(finding.Note, codeGapInterval).About("capacity").Reads(numeral.Round3(r.gapAh), "Ah").
			Says("With what the gaps may hide the capacity lies between %.1f and %.1f Ah, %.1f to %.1f %% "+
				"of rated.", r.Ah, r.Ah+r.gapAh, *a.r.Capacity.SoHLow*100, *a.r.Capacity.SoHHigh*100).
			Then("It is graded where both ends give one class."))
	}
}

// groupVolts returns the lowest and highest group voltage at sample i; without group columns both are the mean.
func (a *analysis) groupVolts(i int) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, g := range a.groups {
		if x := g[i]; !math.IsNaN(x) {
			low, high = min(low, x), max(high, x)
		}
	}
	if math.IsInf(low, 1) {
		m := a.volts[i] / float64(a.opt.Series)
		return m, m // no group was read in this line
	}
	return low, high
}

// startsFull reports whether the discharge in segment k starts within 2 % of full. The rest voltage before
// it decides where the curve can tell; where it cannot, a charge before it that tapered off at the charge
// limit does. Full LFP that rested long lies at 3.33 to 3.36 V, where the curve cannot tell.
//
// In one piece: the signs of a full start are asked in turn, and the first that can tell decides.
func (a *analysis) startsFull(k int) (bool, string) {
	if !a.known && a.opt.FullVolts <= 0 {
		return false, "without the chemistry it is not known whether it started full"
	}
	seg := a.r.Segments
	tells := "no rest and no charge before it shows that it started full"
	for back := k - 1; back >= 0; back-- {
		s := &seg[back]
		switch s.Kind {
		case Charge:
			high := a.settledVolts(s, a.lastFlowing(s))
			limit := a.c.ChargeLimitVolts - atLimitVolts
			if a.c.TopBalanceVolts > 0 {
				limit = a.c.TopBalanceVolts
			}
			if a.opt.FullVolts > 0 {
				limit = a.opt.FullVolts - 0.010
			}
			switch {
			case s.tail >= s.maxAbs*taperedBelowShare:
				return false, "the charge before it did not taper off"
			case high < limit:
				return false, fmt.Sprintf("the charge before it tapered off at %.3f V per group, below the limit "+
					"of %.2f V", high, max(a.c.ChargeLimitVolts, a.opt.FullVolts))
			}
			return true, ""
		case Rest:
			high := a.settledVolts(s, s.last)
			if !a.known {
				if back > 0 && seg[back-1].Kind == Charge {
					continue // how it tapered off tells more
				}
				if high >= a.opt.FullVolts-fullRestVolts {
					return true, ""
				}
				return false, fmt.Sprintf("it rested at %.3f V per group, and full is %.2f V", high, a.opt.FullVolts)
			}
			u := a.c.HysteresisVolts + a.groupNoise()
			short := s.EndS-s.StartS < fullRestSeconds
			if short {
				u += chem.ShortRestVolts
			}
			soc := a.c.Curve.SoCInterval(high, u)
			exact := a.c.Curve.SoC(high)
			long := a.c.TopBalanceVolts > 0 && high >= longRestFullLFP
			switch {
			case soc.High < 1-fullWithin && !long:
				why := fmt.Sprintf("it started at about %.0f %% of charge", exact*100)
				if back > 0 && seg[back-1].Kind == Charge && seg[back-1].tail >= seg[back-1].maxAbs*taperedBelowShare {
					why += ", as the charge before it did not taper off"
				}
				return false, why
			case a.c.Curve.SoCInterval(high, a.c.HysteresisVolts+a.groupNoise()).High >= 1-fullWithin:
				afterCharge := back > 0 && seg[back-1].Kind == Charge
				if !afterCharge || s.EndS-s.StartS >= settledSeconds {
					return true, ""
				}
			}
			tells = fmt.Sprintf("a rest at %.3f V per group does not show that it started full", high)
		default:
			return false, "another discharge came before it"
		}
	}
	return false, tells
}

// settledVolts is the highest group at the end of a segment: the mean of its last samples up to last, so that noise and
// a coarse last digit tell less.
func (a *analysis) settledVolts(s *Segment, last int) float64 {
	sum, n := 0.0, 0.0
	for i := max(s.first, last-settledSamples+1); i <= last; i++ {
		_, high := a.groupVolts(i)
		sum, n = sum+high, n+1
	}
	return sum / n
}

// endsAtFloor reports whether the first group reached the floor at the end of a run.
func (a *analysis) endsAtFloor(r *run) (bool, string) {
	if a.opt.FloorVolts <= 0 {
		return false, "no floor is known"
	}
	end := a.lastFlowing(&a.r.Segments[r.to])
	if r.floorAt >= 0 {
		end = r.floorAt
	}
	if c := a.opened(end); c != nil {
		return false, fmt.Sprintf("the lead of %s opened, and whether it met its floor first is not known", c.what)
	}
	if r.floorAt >= 0 {
		return true, ""
	}
	s := &a.r.Segments[r.to]
	last := a.lastFlowing(s)
	low, _ := a.groupVolts(last)
	if low <= a.opt.FloorVolts+floorSlackVolts && low >= brokenContact {
		return true, ""
	}
	if v := a.opt.EndedAtVolts; a.opt.EndedByGroup > 0 && v > 0 && v <= a.opt.FloorVolts+floorSlackVolts {
		return true, "" // somebody looked
	}
	// The device looks more often than the log: between the last sample and the next it may have met the floor.
	if last > s.first && low >= brokenContact {
		ah := math.Abs(a.amps[last]) * (a.log.Seconds[last] - a.log.Seconds[last-1]) / 3600
		is, next := a.nextFall(s.first, last)
		if above := low - a.opt.FloorVolts; above-max(next, kneeVolts*ah/max(r.Ah, a.opt.RatedAh)) <= floorSlackVolts {
			r.unsureAh += ah * max(1, min(above/max(is, 1e-3), mostIntervals))
			return true, ""
		}
	}
	if n, v := a.opt.EndedByGroup, a.opt.EndedAtVolts; n > 0 && v > 0 {
		return false, fmt.Sprintf("group %d was at %.3f V, above the floor of %.2f V", n+max(a.opt.FirstGroup, 1)-1, v,
			a.opt.FloorVolts)
	}
	return false, fmt.Sprintf("it ended at %.3f V per group, above the floor of %.2f V", low, a.opt.FloorVolts)
}

// nextFall is how far the lowest group fell in the interval before a sample, and how far it may fall in the one behind:
// no less, and steeper by as much as it had steepened there, up to three times.
func (a *analysis) nextFall(first, last int) (is, next float64) {
	if last-2 < first {
		return 0, 0
	}
	v0, _ := a.groupVolts(last - 2)
	v1, _ := a.groupVolts(last - 1)
	v2, _ := a.groupVolts(last)
	was, is := v0-v1, v1-v2
	if is <= 3*a.groupNoise() {
		return is, 0
	}
	next = max(is, 2*is-was)
	if was > 0 {
		next = max(next, is*is/was)
	}
	return is, min(next, 3*is)
}

// counter compares the logger's own Ah with the integral.
func (a *analysis) counter(r *run) {
	if a.log.LoggerAh == nil || r.pauses > 0 {
		return
	}
	first, last := a.r.Segments[r.from].first, a.r.Segments[r.to].last
	if first > 0 && !a.partBetween(first, first) {
		first--
	}
	if r.floorAt >= 0 {
		last = r.floorAt
	}
	own := math.Abs(a.log.LoggerAh[last] - a.log.LoggerAh[first])
	if math.IsNaN(own) || own == 0 {
		return
	}
	// Both ends of the interval in which the current was switched on are right.
	if other := math.Abs(a.log.LoggerAh[last] - a.log.LoggerAh[a.r.Segments[r.from].first]); math.Abs(
		other-r.Ah) < math.Abs(own-r.Ah) {
		own = other
	}
	if r.Ah > 0 && math.Abs(own-r.Ah)/r.Ah > counterDisagrees {
		a.find(finding.New(finding.Caution, codeCounterDisagrees).About("capacity").
			Reads(numeral.Round3(own), "Ah").Against(numeral.Round3(r.Ah)).
			Says("The logger's own counter says %.2f Ah, the samples add up to %.2f Ah.", own, r.Ah).
			Then("Trust the samples; check the logger's settings."))
	}
}

// limiting names the group that reached the floor first, and with a full rest at both ends what
// balancing would add: with q_up,i = charge from start to full and q_dn,i = charge from start to
// empty of group i, as found = min(q_dn) + min(q_up), after balancing = min(q_dn + q_up).
func (a *analysis) limiting(r *run) {
	groups := a.groups
	if len(groups) == 0 {
		if a.opt.EndedByGroup > 0 {
			n := a.opt.EndedByGroup
			a.r.LimitingGroup = &n
		}
		return
	}
	end := a.r.Segments[r.to].last
	if r.floorAt >= 0 {
		end = r.floorAt
	}
	lowest := -1
	for i := range groups {
		if x := groups[i][end]; !math.IsNaN(x) && (lowest < 0 || x < groups[lowest][end]) {
			lowest = i
		}
	}
	if lowest < 0 {
		return
	}
	n := a.groupNumber(lowest)
	if !r.floor { // none met its floor: the lowest is no more than that
		v := groups[lowest][end]
		a.find(finding.New(finding.Note, codeLowestAtEnd).About(a.groupName(lowest)).
			Reads(numeral.Round3(v), "V").Against(a.opt.FloorVolts).
			Says("%s", upperFirst(a.groupName(lowest))+fmt.Sprintf(" was the lowest when it ended, at %.3f V.", v)).
			Then("It is likely the one that would meet its floor first."))
		return
	}
	a.r.LimitingGroup = &n
	if !a.known || r.from == 0 || r.to+1 >= len(a.r.Segments) || r.gapAh > 0 {
		return
	}
	before, after := &a.r.Segments[r.from-1], &a.r.Segments[r.to+1]
	if before.Kind != Rest || after.Kind != Rest || before.EndS-before.StartS < fullRestSeconds*0.99 ||
		after.EndS-after.StartS < fullRestSeconds*0.99 {
		a.find(finding.New(finding.Note, codeBalanceNotResolved).About("groups").
			Says("What balancing would add needs a rest of 30 min before and after the discharge.").
			Then("Log the rests as well next time."))
		return
	}
	a.others(r, lowest, before.last, after.last)
	up, down, whole := math.Inf(1), math.Inf(1), math.Inf(1)
	for i := range groups {
		from, to := a.c.Curve.SoC(groups[i][before.last]), a.c.Curve.SoC(groups[i][after.last])
		if !(from-to >= 0.3) { // too little of the curve was crossed to scale from it
			return
		}
		q := (r.Ah + r.belowAh) / (from - to)
		up, down, whole = min(up, (1-from)*q), min(down, from*q), min(whole, q)
	}
	a.r.AsFoundAh, a.r.BalancedAh = finding.Of(numeral.Round3(up+down)), finding.Of(numeral.Round3(whole))
}

// others is what the groups hold at least without the one that met the floor first: what was drawn from each, over as
// much of the curve as its rest volts allow at most. Where the curve is flat that is little more than what was drawn.
func (a *analysis) others(r *run, lowest, before, after int) {
	if len(a.groups) < 2 {
		return
	}
	least := math.Inf(1)
	u := a.c.HysteresisVolts + restUncertainVolts
	for i, g := range a.groups {
		if i == lowest {
			continue
		}
		if math.IsNaN(g[before]) || math.IsNaN(g[after]) {
			return
		}
		crossed := a.c.Curve.SoCInterval(g[before], u).High - a.c.Curve.SoCInterval(g[after], u).Low
		if !(crossed > 0) {
			return
		}
		least = min(least, (r.Ah+r.belowAh)/crossed)
	}
	if least > r.Ah {
		a.r.OthersAh = finding.Of(numeral.Round3(least))
	}
}

// cycles lists every discharge with its charge before, growth from one to the next, and the efficiencies
// of closed cycles.
func (a *analysis) cycles() {
	seg := a.r.Segments
	sums := func(from, to int) (ah, wh float64, full bool) {
		for k := max(from, 0); k < to && k < len(seg); k++ {
			if seg[k].Kind == Charge {
				ah, wh = ah+seg[k].Ah, wh+seg[k].Wh
			}
		}
		return ah, wh, ah > 0
	}
	for i := range a.runs {
		r := &a.runs[i]
		if r.Ah <= a.opt.RatedAh*minCapacityShare {
			continue
		}
		c := Cycle{StartS: seg[r.from].StartS, EndS: seg[r.to].EndS, Ah: r.Ah, Wh: r.Wh, Complete: r.complete()}
		begin := 0
		if i > 0 {
			begin = a.runs[i-1].to + 1
		}
		c.ChargedAh, c.ChargedWh, _ = sums(begin, r.from)
		if c.Complete && a.opt.RatedAh > 0 {
			c.SoH = finding.Of(numeral.AmpHours(r.Ah) / a.opt.RatedAh)
		}
		// Closed: the discharge before ended at the floor, the charge went to full, and this one ended at
		// the floor again.
		if i > 0 && a.runs[i-1].floor && r.complete() && c.ChargedAh > 0 && c.ChargedWh > 0 {
			c.Coulombic, c.EnergyWise = finding.Of(r.Ah/c.ChargedAh), finding.Of(r.Wh/c.ChargedWh)
		}
		if n := len(a.r.Cycles); n > 0 && c.Complete && a.r.Cycles[n-1].Complete {
			c.GrowthPct = finding.Of(math.Round((c.Ah/a.r.Cycles[n-1].Ah-1)*10000) / 100)
		}
		a.r.Cycles = append(a.r.Cycles, c)
	}
	if n := len(a.r.Cycles); n > 1 {
		first, last := a.r.Cycles[0], a.r.Cycles[n-1]
		a.find(finding.New(finding.Note, codeCycles).About("log").Reads(float64(n), "discharges").
			Says("%d discharges: %.2f Ah in the first, %.2f Ah in the last. The first complete one is the capacity.", n,
				first.Ah, last.Ah).
			Then("Both are kept: the first is the cautious figure, the last what conditioning gave."))
	}
}

// belowLimits looks for groups that the test drove outside what they may ever see.
func (a *analysis) belowLimits() {
	if !a.known {
		return
	}
	a.openLeads()
	for i, g := range a.groups {
		a.checkLimits(a.groupName(i), func(k int) float64 { return g[k] })
	}
	if len(a.groups) == 0 && a.seriesTold {
		a.checkLimits("the mean of the groups", func(k int) float64 { return a.volts[k] / float64(a.opt.Series) })
	}
}

// checkLimits looks at one voltage over the log. One sample alone is a contact that opened, or a reading to be taken
// again, and no verdict for ever.
func (a *analysis) checkLimits(name string, volts func(i int) float64) {
	n := len(a.log.Seconds)
	in, lowest, single := 0, math.Inf(1), math.Inf(1)
	high := math.Inf(-1)
	overIn, over := 0, math.Inf(-1)
	for i := range n {
		x := volts(i)
		if math.IsNaN(x) {
			continue
		}
		if x > a.c.ChargeLimitVolts+chem.OverToleranceVolts {
			if overIn++; overIn >= confirmedSamples {
				over = max(over, x)
			}
		} else {
			overIn = 0
		}
		high = max(high, x)
		if x >= a.c.NeverRechargeVolts {
			in = 0
			continue
		}
		single = min(single, x)
		if in++; in >= confirmedSamples && x > brokenContact {
			lowest = min(lowest, x)
		}
	}
	switch {
	case !math.IsInf(lowest, 1):
		a.find(finding.New(finding.Stop, CodeDrivenBelow).About(name).
			Reads(numeral.Round3(min(lowest, max(single, brokenContact))), "V").Against(a.c.NeverRechargeVolts).
			Says("%s was driven to %.3f V, below %.2f V.", upperFirst(name), lowest, a.c.NeverRechargeVolts).
			Then("No charge before it was surveyed at rest, " +
				"half an hour and more after the current went off: that reading decides, and a second one after it."))
	case !math.IsInf(single, 1):
		a.find(finding.New(finding.Stop, CodeSampleDoubtful).About(name).
			Reads(numeral.Round3(single), "V").Against(a.c.NeverRechargeVolts).
			Says("%s reads %.3f V in single samples: a contact that "+
				"opened, or a group driven too low.", upperFirst(name), single).
			Then("Survey the module at rest before any further step: that second reading decides."))
	}
	if !math.IsInf(over, -1) {
		a.find(finding.New(finding.Stop, CodeDrivenAbove).About(name).
			Reads(numeral.Round3(over), "V").Against(a.c.ChargeLimitVolts).
			Says("%s was charged to %.3f V, above the limit of %.2f V.", upperFirst(name), over, a.c.ChargeLimitVolts).
			Then("Survey the module before any further step."))
	}
}

// openLeads holds a module of which a lead opened while it was discharged: what that group had is not known.
func (a *analysis) openLeads() {
	for _, c := range a.bad {
		if c.open && (c.volts < a.c.NeverRechargeVolts || len(a.groups) == 0) {
			a.find(finding.New(finding.Stop, CodeSampleDoubtful).About(c.what).
				Reads(numeral.Round3(c.volts), "V").Against(a.c.NeverRechargeVolts).
				Says("%s was read at %.3f V by a contact that opened: what "+
					"it had is not known.", upperFirst(c.what), c.volts).
				Then("Survey the module at rest before any further step: that second reading decides."))
		}
	}
}

func upperFirst(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]-'a'+'A') + s[1:]
}
