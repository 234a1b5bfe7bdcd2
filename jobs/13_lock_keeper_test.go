package jobs_test

import (
	"slices"
	"testing"
)

// The lock keeper: one box of twenty groups whose chemistry nobody knows.
func TestTheLockKeeper(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "20", "Taps between the groups", "doubled", "How many", "1")
	w.surveyed(1, "1440", map[string][]float64{"M-001": slices.Repeat([]float64{3.92}, 20)})
	w.open("/modules/M-001")
	w.says("By these volts it could be NMC, LMO blend or NCA, 53 to 76 % full, and not LFP or LTO",
		"No charge step can be planned", "it can stand at 84.0 V DC, above the limit of touch")
	// Its own BMS wakes on a charger: not before the chemistry is declared, and then against that charger.
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 20", "Groups, from", "20", "to", "20", "What opens", "opens", "What wakes it",
		"charger", "By how much above", "3", "Its own supply comes", "through a second wire of the last pin")
	w.open("/station/design")
	w.send("Work out the ways", "Name of the bank", "Lock keeper", "Groups in series", "20", "Highest charge setting",
		"82",
		"Device cuts off at", "60")
	w.says("can be laid out and wired")
	w.send("Match modules and reserve them")
	w.send("Take the one chosen", "own 20", "own 20")
	w.says("The chemistry is not declared: no charge, so no waking by a charger either", "78.4", "84.0 V")
	// Its chemistry learned late needs no second survey: what was read is judged anew.
	w.open("/types/1")
	w.send("Save changes", "Chemistry", "nmc")
	w.open("/modules/M-001")
	w.never("The chemistry is not declared")
	w.open("/banks/1")
	w.says("The supply lead is the second wire of its last pin: it goes to ",
		"behind a fuse of at most 3 A at that post",
		"It wakes on 3.0 V above the bank: 81.4 V now",
		"The charger's 82.0 V are enough only while the bank stands below 79.0 V")
	w.end()
}
