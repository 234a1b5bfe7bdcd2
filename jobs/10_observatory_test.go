package jobs_test

import "testing"

// The old observatory: 96 groups kept whole, parted at a bar in the middle; nobody knows the amp hours.
func TestTheOldObservatory(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "The old observatory", "Groups in series", "96", "End to end", "349.6",
		"Rested", "1440", "Chemistry", "nmc", "BMS", "a monitor for each 12 groups", "It opens the circuit", "yes",
		"Made of", "eight parts of 12 groups", "A bar or plug parts it after group", "48",
		"BMS with a sense plug", "no",
		"The load fills its own capacitors", "yes")
	w.says("403.2 V at full charge", "29 to 42 % full", "Groups not read: none of its 96", "eight parts of 12 groups",
		"above the touch limit of 60 V")
	w.never("No pre-charge resistor is known", "mV apart", "gives about")
	w.down(349.6, "")
	w.says("Now: Parted: the lower side", "174.8 V", "still above 60 V")
	w.gate("Record", "Reading", "174.8")
	w.gate("Record", "Reading", "174.8")
	w.says("The bar back")
	w.end()
}
