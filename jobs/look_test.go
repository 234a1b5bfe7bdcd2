package jobs_test

import "testing"

func TestLook11(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=cells")
	w.send("Go on", "Chemistry", "lfp", "How many", "9", "Rated capacity", "90", "Or groups in series", "8",
		"Load", "1200",
		"Name of the bank", "Clock shop")
	t.Log(w.path, w.text())
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 8", "Groups, from", "8", "to", "8", "What opens", "opens",
		"Carries for ever", "60")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	t.Log(w.path, w.text())
}
