package kind

import (
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/test/condition"
)

// Figures is what a test came to, whatever made it. Zero and nil are not known.
type Figures struct {
	Source         Source
	From, To       int     // of the part that was tested alone, 0 for the whole
	CapacityAh     float64 // what flowed in the discharge that counts
	UncertaintyAh  float64
	GapAh          float64 // what gaps of a log may hide beyond that
	HighAh         float64 // with what they may hide, 0 for no gaps
	EnergyWh       float64
	ResistanceMOhm float64 // at 10 s, else at 30 s
	Amps           float64 // in the mean
	TempC          *float64
	EndVolts       float64 // of what was on the clamps
	LowestEndVolts float64 // of a group, as somebody read it

	Complete  bool        // from full to the first group at its floor
	Lacks     string      // what it lacks to be that, "" for nothing or where nothing says it
	Said      bool        // a figure without a word of how it began, ended or was taken: somebody's word
	EndedBy   int         // the group that ended it, of the module; 0 for not known
	Balanced  float64     // Ah of it once every group begins full
	OthersAh  float64     // of the groups but that one, at least
	Note      string      // what somebody wrote beside it
	Holds     known.Value // Ah that what was on the clamps holds, where its rest volts tell; else not known
	RestVolts float64     // of a group of it in the mean, at rest after the test; 0 for not known
	Tells     string      // what it says in words beside the figures, "" for nothing
	ModuleAh  float64     // the share of one module in a test of its bank

	Moved     bool // it moved charge after the newest survey, so that its volts hold no more
	Cycles    []condition.Done
	Stands    []finding.Finding // what it says of its module beside the capacity
	Unsettled []finding.Finding // what only a survey settles
	Lowest    *float64          // what it drove a group down to, below never-recharge; nil where it did not
}

// ByHand reports whether nothing but a person's word and pencil stands behind it.
func (f Figures) ByHand() bool {
	k, _ := Of(f.Source)
	return k.Person
}

// Capacity is what flowed, as a known number: an interval from a complete discharge, a lower bound from a part of one.
func (f Figures) Capacity() known.Value {
	from := known.Measured
	if f.Said {
		from = known.Said
	}
	switch {
	case !(f.CapacityAh > 0):
		return known.Value{}
	case f.Said:
		return known.Of(f.CapacityAh, from)
	case !f.Complete:
		return known.AtLeast(f.CapacityAh, from)
	}
	return known.Within(f.CapacityAh, max(0, f.CapacityAh-f.UncertaintyAh), f.CapacityAh+max(f.GapAh, f.UncertaintyAh),
		from)
}
