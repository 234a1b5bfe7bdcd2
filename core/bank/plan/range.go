package plan

import (
	"pandrel/core/bank/match"
	"pandrel/core/bank/unsure"
	"pandrel/core/module/capacity"
)

// Range is the least and the most that the module may hold, amp hours: equal where it was measured.
func (p Place) Range() (low, high float64) {
	if p.HighAh <= 0 {
		return p.CapacityAh, p.CapacityAh
	}
	return p.LowAh, p.HighAh
}

// Provisional reports whether nobody tested the module whole.
func (p Place) Provisional() bool { return p.Basis != "" && p.Basis != capacity.Measured }

// Provisional reports whether modules of the design were never tested, and neither was the bank as a whole.
func (d Design) Provisional() bool { return d.TestedAh == 0 && len(d.Untested()) > 0 }

// Untested lists the modules that were never tested whole.
func (d Design) Untested() (out []string) {
	for _, p := range d.Places {
		if p.Provisional() {
			out = append(out, p.Number)
		}
	}
	return out
}

// parts are the places as what is unsure of them.
func (d Design) parts() []unsure.Part {
	out := make([]unsure.Part, len(d.Places))
	for i, p := range d.Places {
		low, high := p.Range()
		out[i] = unsure.Part{Name: p.Number, Position: p.Position, Mate: p.Mate, LowAh: min(low, p.CapacityAh),
			LikelyAh: p.CapacityAh, HighAh: max(high, p.CapacityAh)}
	}
	return out
}

// Range is the capacity of the design as an interval: what it gave when it was tested whole, else if every module holds
// the least or the most that it may.
func (d Design) Range() unsure.Bank {
	if ah := d.TestedAh; ah > 0 {
		u := capacity.DefaultPolicy.Accuracy * ah
		return unsure.Bank{LowAh: ah - u, LikelyAh: ah, HighAh: ah + u}
	}
	b, err := unsure.JudgeParts(d.parts(), d.Style == match.StringsFirst)
	if err != nil {
		return unsure.Bank{LowAh: d.Candidate.CapacityAh, LikelyAh: d.Candidate.CapacityAh,
			HighAh: d.Candidate.CapacityAh}
	}
	return b
}

// RangeKWh is the usable energy as an interval.
func (d Design) RangeKWh() (low, high float64) {
	r, c := d.Range(), d.Candidate
	if c.CapacityAh <= 0 {
		return 0, 0
	}
	return c.UsableKWh * r.LowAh / c.CapacityAh, c.UsableKWh * r.HighAh / c.CapacityAh
}

// mostFirst is how many modules are named as those to test first.
const mostFirst = 3

// TestFirst lists the modules whose test would settle most of what is unsure of the design.
func (d Design) TestFirst() []unsure.Decisive {
	list, err := unsure.TestFirst(d.parts(), d.Style == match.StringsFirst, mostFirst)
	if err != nil {
		return nil
	}
	return list
}

// WithoutVolts lists the modules that were never surveyed: without their voltages no wiring can be judged.
func (d Design) WithoutVolts() (out []string) {
	for _, p := range d.Places {
		if len(p.Volts) == 0 {
			out = append(out, p.Number)
		}
	}
	return out
}

// UntestedAlike reports whether the untested modules are known alike: the same interval, so that any of them would do
// as the first to test.
func (d Design) UntestedAlike() bool {
	first := -1
	for i, p := range d.Places {
		if !p.Provisional() {
			continue
		}
		if first < 0 {
			first = i
		}
		if q := d.Places[first]; p.LowAh != q.LowAh || p.HighAh != q.HighAh {
			return false
		}
	}
	return first >= 0
}
