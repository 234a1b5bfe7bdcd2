package trace

import (
	"math"
	"slices"

	"pandrel/core/test/logfile"
)

// settleSign makes charging positive. A current with both signs is signed, and its sense comes from the
// voltage's answer to it, whatever a step column says. A current with one sign only is taken stretch by
// stretch: from the step column where it says charge or discharge, else from the trend of the voltage; a
// stretch in which the voltage turns without a rest is cut there.
func (a *analysis) settleSign() {
	amps := a.log.Amps
	up, down := 0, 0
	for _, x := range amps {
		switch a.state(x) {
		case 1:
			up++
		case -1:
			down++
		}
	}
	switch {
	case up > 0 && down > 0 && min(up, down) >= confirmedSamples:
		a.r.Sign = "as written: positive charges"
		if a.answer() < 0 {
			a.r.Sign = "turned round: the log counts discharge as positive"
			negate(amps)
		}
	case down > up: // one direction, and a minus in front of it
		a.r.Sign = "as written: positive charges"
		if a.answer() < 0 {
			a.r.Sign = "turned round: the log counts discharge as positive"
			negate(amps)
		}
	default:
		a.unsigned()
	}
	if a.opt.FlipCurrent {
		a.r.Sign += ", then flipped by hand"
		negate(amps)
	}
}

// answer is positive where the voltage rises with the current as written: on its steps, and meanwhile.
func (a *analysis) answer() float64 {
	amps, v := a.log.Amps, a.volts
	var sum float64
	for i := 1; i < len(amps); i++ {
		di, dv := amps[i]-amps[i-1], v[i]-v[i-1]
		if math.Abs(di) > a.band {
			sum += di * dv
		} else {
			sum += amps[i] * dv
		}
	}
	return sum
}

// unsigned gives each stretch of flowing current its sense. A step column that the voltage contradicts is not believed.
func (a *analysis) unsigned() {
	step := a.log.Step
	if step != nil && slices.ContainsFunc(step, func(s int8) bool { return s == 1 || s == -1 }) {
		a.r.Sign = "from the step column"
		was := slices.Clone(a.log.Amps)
		a.bySteps(true)
		if a.answer() >= 0 {
			return
		}
		copy(a.log.Amps, was)
	}
	a.r.Sign = "unsigned: each stretch from the trend of the voltage"
	a.bySteps(false)
}

// bySteps signs each stretch, from the step column where said is true and it tells, else from the trend.
func (a *analysis) bySteps(said bool) {
	amps, step := a.log.Amps, a.log.Step
	word := func(i int) int8 {
		if !said {
			return logfile.StepOther
		}
		if w := step[i]; w == 1 || w == -1 {
			return w
		}
		return logfile.StepOther
	}
	for start := 0; start < len(amps); {
		end := start + 1
		for end < len(amps) && (a.state(amps[end]) != 0) == (a.state(amps[start]) != 0) && word(end) == word(start) &&
			!a.partBetween(end, end) {
			end++
		}
		switch w := word(start); {
		case w != logfile.StepOther:
			for i := start; i < end; i++ {
				amps[i] = float64(w) * math.Abs(amps[i])
			}
		case a.state(amps[start]) != 0:
			a.byTrend(start, end)
		}
		start = end
	}
}

// byTrend signs the samples start…end, which all flow, from the voltage. It turns where the voltage
// turns by more than a tenth of what it covers in the stretch.
func (a *analysis) byTrend(start, end int) {
	v := a.volts
	low, high := slices.Min(v[start:end]), slices.Max(v[start:end])
	turn := max(0.15*(high-low), 0.010)
	cuts := []int{start}
	// A zigzag: an extreme counts once the voltage has come back from it by more than turn.
	dir, lowAt, highAt := 0, start, start
	for i := start; i < end; i++ {
		if v[i] > v[highAt] {
			highAt = i
		}
		if v[i] < v[lowAt] {
			lowAt = i
		}
		switch {
		case dir >= 0 && v[highAt]-v[i] > turn:
			if dir > 0 {
				cuts = append(cuts, highAt+1)
			}
			dir, lowAt = -1, i
			highAt = i
		case dir <= 0 && v[i]-v[lowAt] > turn:
			if dir < 0 {
				cuts = append(cuts, lowAt+1)
			}
			dir, highAt = 1, i
			lowAt = i
		}
	}
	cuts = append(cuts, end)
	for k := 1; k < len(cuts); k++ {
		from, to := cuts[k-1], cuts[k]
		if to <= from {
			continue
		}
		falls := a.falls(from, to)
		for i := from; i < to; i++ {
			a.log.Amps[i] = math.Abs(a.log.Amps[i])
			if falls {
				a.log.Amps[i] = -a.log.Amps[i]
			}
		}
	}
}

func negate(v []float64) {
	for i := range v {
		v[i] = -v[i]
	}
}

// falls reports whether current in samples start…end discharges: from the step at its start if there is
// a sample at rest before it, else from the trend.
func (a *analysis) falls(start, end int) bool {
	v := a.volts
	if start > 0 && a.state(a.log.Amps[start-1]) == 0 && !a.partBetween(start, start) {
		if step := v[start] - v[start-1]; math.Abs(step) > 0.005 {
			return step < 0
		}
	}
	// The mean of the second half against that of the first: steadier than two samples.
	mid := start + (end-start)/2
	if mid == start || mid >= end {
		return v[end-1] < v[start]
	}
	first, second := 0.0, 0.0
	for i := start; i < mid; i++ {
		first += v[i]
	}
	for i := mid; i < end; i++ {
		second += v[i]
	}
	return second/float64(end-mid) < first/float64(mid-start)
}
