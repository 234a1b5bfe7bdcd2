package trace

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
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

// What a module may show at most, handbook §4: anything above is a slip.
const (
	MostC          = 20.0 // current over capacity
	MostGroupVolts = 5.0
)

// handMarginVolts is how far above the floor the mean of the groups may lie when the first of them is at it.
const handMarginVolts = 0.30

// HandComplete reports whether a result typed by hand is a capacity: it began full, and ended with a group at
// its floor. Without the lowest group's voltage the module's decides, with a margin for the weakest.
func HandComplete(h Hand) bool { return HandLacks(h) == "" }

// HandLacks says what a result typed by hand lacks to be a capacity, "" for nothing.
func HandLacks(h Hand) string {
	c, err := chem.Lookup(h.Chemistry)
	switch {
	case err != nil || h.Series < 1:
		return "its chemistry or its groups are not known"
	case !h.FromFull:
		return "it did not begin full"
	case h.LowestEndVolts > c.FloorVolts+2*floorSlackVolts:
		return fmt.Sprintf("its lowest group ended at %.2f V, and its floor is %.2f V", h.LowestEndVolts, c.FloorVolts)
	case h.LowestEndVolts > 0:
		return ""
	case h.EndVolts <= 0:
		return "nobody wrote down at what volts it ended"
	case h.EndVolts/float64(h.Series) > c.FloorVolts+handMarginVolts:
		return fmt.Sprintf("it ended at %.2f V a group in the mean, and the floor of a group is %.2f V",
			h.EndVolts/float64(h.Series), c.FloorVolts)
	}
	return ""
}

// HandSlip finds what a module of so many groups, 0 not known, cannot show: a slip of the point, or a figure of another
// module. ah is its capacity or rating, whichever is more. It names the field as forms do, "" for nothing.
func HandSlip(h Hand, amps, ah float64) (field, text string) {
	if most := MostC * ah; amps > most {
		return "amps", fmt.Sprintf("%s A is more than %.0f C of it: expected the current of the test, %s A at most",
			numeral.Text(amps), MostC, numeral.Text(math.Round(most)))
	}
	if h.Series < 1 {
		return "", ""
	}
	groups := float64(h.Series)
	if most := MostGroupVolts * groups; h.EndVolts > most {
		return "end_volts", fmt.Sprintf("%s V at the end of %.0f groups: expected %s V at most",
			numeral.Text(h.EndVolts),
			groups, numeral.Text(most))
	}
	if mean := h.EndVolts / groups; h.EndVolts > 0 && h.LowestEndVolts > mean+limits.StepVolts {
		return "lowest_end_v", fmt.Sprintf("%s V for the lowest group, where all of them are at %.2f V in the mean: "+
			"expected no more than that", numeral.Text(h.LowestEndVolts), mean)
	}
	return "", ""
}
