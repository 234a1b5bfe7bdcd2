package jobs_test

import "testing"

// The shelf: ten modules of seven or eight groups, standing as five strings of two, bolted through with a nut.
func TestTheShelf(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "The shelf", "Groups in series", "14 or 16", "End to end", "53.2",
		"Made of", "ten modules of 26.6 V, five strings of two in series, bolted through with a nut", "Strings", "5",
		"Modules in series in a string", "2")
	w.says("14 or 16 groups", "14 × 3.800 V: NMC, LMO blend or NCA", "16 × 3.325 V: LFP, NMC, LMO blend or NCA",
		"58.4 to 67.2 V while that is open", "One group read at rest settles the count: 3.80 V says 14, 3.33 V says 16",
		"above the touch limit of 60 V", "5 strings", "bolted through with a nut", "No BMS is known of this bank")
	w.says("As it stands", "a1 7 or 8 groups, 26.60 V", "e2 7 or 8 groups, 26.60 V", "positive, 53.20 V",
		"Its joints in the order in which they are made: 10", "La1 a1 + a2 −", "string e", "within 50 mV of each other")
	w.open("/workings/screw")
	w.send("Work it out", "Thread, M", "6", "Usable depth", "", "Bar", "3", "Rings", "2", "Washers", "3.2", "Thread in",
		"through")
	w.says("the stack, a washer on both sides, the nut, and two threads beyond it", "M6 of 15.4 mm or more")
	// One group read at rest settles it.
	w.open("/banks/1")
	w.send("Judge by this", "Groups in series", "16", "Chemistry", "lfp")
	w.says("a1 8 groups, 26.60 V", "16 groups of LFP", "58.4 V at full charge", "53.2 V in all",
		"Groups not read: none of its 16")
	w.never("14 or 16")
	w.end()
}
