package plan

import (
	"pandrel/core/bank/match"
	"pandrel/core/bank/unsure"
	"pandrel/core/base/known"
	"pandrel/core/module/capacity"
)

// Ah is what the module holds: as it was tested, else within the interval that is known.
func (p Place) Ah() known.Value {
	basis := p.Basis
	if p.Unrated() {
		return known.Value{}
	}
	if basis == "" { // of before it was written down
		basis = capacity.Measured
	}
	if p.HighAh <= 0 {
		return basis.Known(p.CapacityAh, p.CapacityAh, p.CapacityAh)
	}
	return basis.Known(min(p.LowAh, p.CapacityAh), p.CapacityAh, max(p.HighAh, p.CapacityAh))
}

// Provisional reports whether nobody tested the module whole.
func (p Place) Provisional() bool {
	return p.Unrated() || p.Basis != "" && p.Basis != capacity.Measured
}

// Unrated reports whether nothing is known of what the module holds.
func (p Place) Unrated() bool { return p.CapacityAh <= 0 && p.HighAh <= 0 }

// Unrated lists the modules of which nothing is known what they hold.
func (d Design) Unrated() (out []string) {
	for _, p := range d.Places {
		if p.Unrated() {
			out = append(out, p.Number)
		}
	}
	return out
}

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
		out[i] = unsure.Part{Name: p.Number, Position: p.Position, Mate: p.Mate, Ah: p.Ah()}
	}
	return out
}

// Ah is the capacity of the design: what it gave when it was tested whole, else within what it holds if every module
// holds the least or the most that it may.
func (d Design) Ah() known.Value {
	if ah := d.TestedAh; ah > 0 {
		return known.Of(ah, known.Measured).With(capacity.DefaultPolicy.Accuracy * ah)
	}
	if len(d.Unrated()) > 0 {
		return known.Value{}
	}
	if v, err := unsure.JudgeParts(d.parts(), d.Style == match.StringsFirst); err == nil {
		return v
	}
	return d.Candidate.Ah()
}

// Usable is the usable energy, kWh, and Total that from empty to full, as far as the charge is known.
func (d Design) Usable() known.Value { return d.energyOf(d.Candidate.UsableKWh) }

// Total is the energy from empty to full, kWh.
func (d Design) Total() known.Value { return d.energyOf(d.Candidate.TotalKWh) }

// HighestEach is what the charger's highest setting leaves for each group, volts; not known where nobody gave it.
func (d Design) HighestEach(n Need) known.Value {
	if n.ChargeMaxVolts <= 0 || d.Candidate.Series < 1 {
		return known.Value{}
	}
	return known.Of(n.ChargeMaxVolts, known.Typed).Times(1 / float64(d.Candidate.Series))
}

// As is a number that was worked out of what its modules hold, as sure as they are.
func (d Design) As(v float64) known.Value { return known.Of(v, d.Ah().From()).Times(1) }

func (d Design) energyOf(kWh float64) known.Value {
	if d.Candidate.CapacityAh <= 0 {
		return known.Value{}
	}
	return d.Ah().Times(kWh / d.Candidate.CapacityAh)
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
