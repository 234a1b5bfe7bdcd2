package jobs_test

import "testing"

// The tool shed: two modules of which only the ends can be read.
func TestTheToolShed(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "lfp", "Groups in series", "4", "How many", "2", "Rated capacity", "100",
		"Or groups in series", "8", "Name of the bank", "Tool shed")
	w.says("8 groups")
	w.open("/types/1")
	w.send("Save changes", "Discharge", "60")
	w.open("/lots/1/look")
	w.send("All others clear", "I looked at each", "yes")
	w.send("Judge and keep all rows", "M-001 end to end", "13.20", "M-002 end to end", "13.25")
	w.open("/modules/M-001")
	w.says("13.20 V end to end", "Groups not read: none of its 4", "voltage cannot tell the charge there",
		"not surveyed")
	w.never("mV apart")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	w.says("50 mV apart. In series no current flows by that, and it is no reason to wait; unequal charge is",
		"voltage cannot tell the charge there", "Its modules bear 60 A: 1200 W at 20.0 V", "at most 960 W",
		"by the volts from end to end", "no BMS that can disconnect")
	w.never("Nominal volts")
	w.end()
}
