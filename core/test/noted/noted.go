// Package noted judges a result of a test that was not logged but written down: what it lacks to be a capacity, and
// what no module can show (rules §4).
package noted

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Result is a result that was not logged: what was written down of how it began and ended. Volts are 0 where
// nobody looked.
type Result struct {
	FromFull       bool
	LowestEndVolts float64 // of a group
	EndVolts       float64 // of the module
	Series         int
	Chemistry      chem.ID
	Ah             float64
	RatedAh        float64
	EnergyWh       float64
	MilliOhm       float64
	Amps           float64
	Checked        bool // what is far from usual was looked at a second time
}

// What a module may show at most, rules §4: anything above is a slip.
const (
	MostC          = 20.0 // current over capacity
	MostGroupVolts = 5.0
)

// FloorSlackVolts is how far from the floor a group may end and still be at it: a meter's error.
const FloorSlackVolts = 0.015

// handMarginVolts is how far above the floor the mean of the groups may lie when the first of them is at it.
const handMarginVolts = 0.30

// Complete reports whether a result typed by hand is a capacity: it began full, and ended with a group at
// its floor. Without the lowest group's voltage the module's decides, with a margin for the weakest.
func Complete(h Result) bool { return Lacks(h) == "" }

// Lacks says what a result typed by hand lacks to be a capacity, "" for nothing.
func Lacks(h Result) string {
	c, err := chem.Lookup(h.Chemistry)
	switch {
	case err != nil || h.Series < 1:
		return "its chemistry or its groups are not known"
	case !h.FromFull:
		return "it did not begin full"
	case h.LowestEndVolts > c.FloorVolts+2*FloorSlackVolts:
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

// OnlySaid reports whether a result that is no capacity is somebody's word alone: a figure without how it began, how it
// ended or with what current it was taken. With any of these it is part of a discharge, and 'at least'.
func OnlySaid(h Result) bool {
	return !h.FromFull && h.EndVolts == 0 && h.LowestEndVolts == 0 && h.Amps == 0 && h.EnergyWh == 0
}

// Slip finds what a module of so many groups, 0 not known, cannot show: a slip of the point, or a figure of another
// module. ah is its capacity or rating, whichever is more. What is only far from any module that is used for long, such
// as a tenth of its rating, is asked about until it is Checked. It names the field as forms do, "" for nothing.
func Slip(h Result, ah float64) (field, text string) {
	if most := MostC * ah; h.Amps > most {
		return "amps", fmt.Sprintf("%s A is more than %.0f C of it: expected the current of the test, %s A at most",
			numeral.Text(h.Amps), MostC, numeral.Text(math.Round(most)))
	}
	c, err := chem.Lookup(h.Chemistry)
	if err != nil { // any of them
		c.FloorVolts, c.ChargeLimitVolts, c.NeverRechargeVolts = 1.5, 4.2, 1
	}
	if h.Series > 0 {
		if field, text = slipOfGroups(h, c); field != "" {
			return field, text
		}
	}
	if h.Checked {
		return "", ""
	}
	switch {
	case h.Amps > askC*ah && ah > 0:
		return "amps", fmt.Sprintf("%s A is %.1f C of it: far more than a test of capacity takes. %s",
			numeral.Text(h.Amps), h.Amps/ah, sayChecked)
	case h.LowestEndVolts > 0 && h.LowestEndVolts < c.NeverRechargeVolts:
		return "lowest_end_v", fmt.Sprintf("%s V is below %.2f V, from where a group is never charged again: the "+
			"module is held until it was surveyed at rest. %s", numeral.Text(h.LowestEndVolts), c.NeverRechargeVolts,
			sayChecked)
	case h.Series > 0 && h.MilliOhm > 0 && ah > 0 && (h.MilliOhm*ah/float64(h.Series) > askMostMilliOhmAh ||
		h.MilliOhm*ah/float64(h.Series) < askLeastMilliOhmAh):
		least, most := askLeastMilliOhmAh*float64(h.Series)/ah, askMostMilliOhmAh*float64(h.Series)/ah
		return "resistance_mohm", fmt.Sprintf("%s mΩ for %s of %s Ah: expected between %.2g and %.2g mΩ. %s",
			numeral.Text(h.MilliOhm), numeral.Count(h.Series, "group"), numeral.Text(ah), least, most, sayChecked)
	case h.RatedAh > 0 && h.Ah > 0 && h.Ah < askRatedShare*h.RatedAh && Complete(h):
		return "capacity_ah", fmt.Sprintf("%s Ah from full to the floor is %.0f %% of the rated %s Ah: a slip of the "+
			"point looks like that. %s", numeral.Text(h.Ah), h.Ah/h.RatedAh*100, numeral.Text(h.RatedAh), sayChecked)
	}
	return "", ""
}

// slipOfGroups holds a result against the count of groups.
func slipOfGroups(h Result, c chem.Chemistry) (field, text string) {
	groups := float64(h.Series)
	if most := MostGroupVolts * groups; h.EndVolts > most {
		return "end_volts", fmt.Sprintf("%s V at the end of %.0f groups: expected %s V at most",
			numeral.Text(h.EndVolts), groups, numeral.Text(most))
	}
	if mean := h.EndVolts / groups; h.EndVolts > 0 && h.LowestEndVolts > mean+limits.StepVolts {
		return "lowest_end_v", fmt.Sprintf("%s V for the lowest group, where all of them are at %.2f V in the "+
			"mean: expected no more than that", numeral.Text(h.LowestEndVolts), mean)
	}
	if each := h.EnergyWh / h.Ah / groups; h.EnergyWh > 0 && h.Ah > 0 &&
		(each < c.FloorVolts || each > c.ChargeLimitVolts+chem.OverToleranceVolts) {
		return "energy_wh", fmt.Sprintf("%s Wh over %s Ah are %.2f V a group in the mean: expected %.1f to %.1f "+
			"V, so %s to %s Wh", numeral.Text(h.EnergyWh), numeral.Text(h.Ah), each, c.FloorVolts,
			c.ChargeLimitVolts, numeral.Text(math.Ceil(h.Ah*groups*c.FloorVolts)),
			numeral.Text(math.Floor(h.Ah*groups*c.ChargeLimitVolts)))
	}
	return "", ""
}

// What is asked about, though a module could show it.
const (
	askC               = 5.0  // of a test
	askRatedShare      = 0.19 // of the rating, from full to the floor
	askMostMilliOhmAh  = 3000 // of a group: twenty times and more of what is usual
	askLeastMilliOhmAh = 3
	sayChecked         = "If it is so, tick that it was checked"
)
