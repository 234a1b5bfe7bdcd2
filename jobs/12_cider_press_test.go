package jobs_test

import "testing"

// The cider press: twenty modules of two groups, in strings of three, each with a small BMS of its own.
func TestTheCiderPress(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nmc", "Groups in series", "2", "How many", "20", "Rated capacity", "60",
		"Or groups in series", "6", "Name of the bank", "Cider press", "Taps between", "joints")
	w.says("6 groups of 3 ×", "6 in parallel", "2 left over", "assumed")
	w.open("/bms")
	w.send("Save the BMS", "Name", "small 6", "Groups, from", "6", "to", "6", "What opens", "opens",
		"Carries for ever", "40")
	w.open("/banks/1")
	w.send("Match modules and reserve them", "Joined", "strings first")
	w.says("string f, place 3", "F1a", "F1f", "small 6",
		"Not asked yet: the bank does not go into service before it is")
	w.open("/modules/M-001/test")
	w.says("Charge of one group, beside a meter")
	w.open("/workings/one-group?at=module-M-001")
	w.send("Work it out", "Charger ends by itself at", "4.2", "Charger gives", "5")
	w.says("At most 12 h at 5 A, beside it all the time; off after 14.4 h", "Read it at rest first",
		"what it reads makes the hours fewer")
	w.send("Work it out", "Charger ends by itself at", "0", "Charger gives", "5")
	w.says("A charger that has no end voltage of its own never charges a group", "4.20 V or less")
	w.end()
}
