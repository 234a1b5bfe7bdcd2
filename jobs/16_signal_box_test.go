package jobs_test

import "testing"

// The signal box: one welded block of ten groups of LTO, new with its papers, with tapped bars of unknown depth.
func TestTheSignalBox(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "lto", "Groups in series", "10", "How many", "1", "Rated capacity", "20",
		"What is said of them", "new", "Or groups in series", "10", "Name of the bank", "Signal box", "Taps", "joints")
	w.open("/lots/1/look")
	w.send("All others clear", "I looked at each", "yes")
	w.send("Judge and keep all rows", "M-001 end to end", "23.4", "Rested", "1440")
	w.open("/modules/M-001")
	w.says("60 to 72 % full", "18 to 20 Ah", "its papers, since it is new", "Groups not read: none of its 10")
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 10", "Groups, from", "10", "to", "10", "What opens", "opens")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	w.send("Take the one chosen", "own 10", "own 10")
	w.says("18 to 20 Ah", "provisional", "B− and lead 0 lie on one point", "The plug goes in last of all",
		"M-001.A+, black on lead 0 23.40 V", "it opens by itself, how is not known")
	w.never("design current of 0 A", "0 A (1.25")
	w.open("/workings/screw")
	w.send("Work it out", "Thread, M", "6", "Usable depth", "", "Bar", "3", "Rings", "2", "Washers", "1.6")
	w.says("M6 of 15.6 mm or more, and no longer than the stack of 6.6 mm with the depth of the hole, less 1 mm")
	w.end()
}
