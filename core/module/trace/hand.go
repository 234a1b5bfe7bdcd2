package trace

import (
	"pandrel/core/base/chem"
)

// Hand is a result that was not logged: what was written down of how it began and ended. Volts are 0 where
// nobody looked.
type Hand struct {
	FromFull       bool
	LowestEndVolts float64 // of a group
	EndVolts       float64 // of the module
	Series         int
	Chemistry      chem.ID
}

// handMarginVolts is how far above the floor the mean of the groups may lie when the first of them is at it.
const handMarginVolts = 0.30

// HandComplete reports whether a result typed by hand is a capacity: it began full, and ended with a group at
// its floor. Without the lowest group's voltage the module's decides, with a margin for the weakest.
func HandComplete(h Hand) bool {
	c, err := chem.Lookup(h.Chemistry)
	if err != nil || !h.FromFull || h.Series < 1 {
		return false
	}
	if h.LowestEndVolts > 0 {
		return h.LowestEndVolts <= c.FloorVolts+2*floorSlackVolts
	}
	return h.EndVolts > 0 && h.EndVolts/float64(h.Series) <= c.FloorVolts+handMarginVolts
}
