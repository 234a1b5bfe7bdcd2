package jobs_test

import "testing"

// Old and new in one: a closed pack of eight groups that has lost a third, and a new closed one of five.
func TestOldAndNewInOne(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nmc", "Groups in series", "8", "Taps", "closed", "How many", "1", "Rated capacity",
		"30",
		"What is said of them", "67", "Name of the type", "old pack")
	w.open("/start?what=modules")
	w.send("Go on", "Type", "new", "Chemistry", "nmc", "Groups in series", "5", "Taps", "closed", "How many", "1",
		"Rated capacity", "30", "What is said of them", "new", "Name of the type", "new pack", "Or groups in series",
		"13",
		"Load", "20 A", "Name of the bank", "Old and new")
	w.says("13", "1 × ", "20.0 A")
	w.send("Save and work out again", "Device's absolute maximum input", "58", "Surge", "30")
	w.send("Match modules and reserve them")
	w.says("13 groups", "54.6 V", "15 to 23 Ah", "provisional: said of modules",
		"Each is charged by its own charger before, and they are never charged in series unwatched",
		"Both must open one circuit", "When one opens, its switch bears the whole 54.6 V",
		"is not known", "No, or no answer, is a stop", "As one string it gives about 20 Ah",
		"33 % of M-002 stays unused",
		"no BMS that can disconnect", "20 A")
	w.never("mV apart")
	w.end()
}
