package jobs_test

import "testing"

// The pallet: two testers, one for each half, that run from full; their results are typed as they show them, a line for
// each module.
func TestThePallet(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nmc", "Groups in series", "12", "How many", "48", "Rated capacity", "2.0 kWh", "Taps",
		"two")
	w.open("/lots/1/results")
	w.send("Keep the results", "A line for each", "M-001 41.2 Ah 897 Wh 3.00 V; 39.8 Ah 866 Wh 3.00 V; 14 mV\n"+
		"M-002 lower 40.5 Ah 881 Wh 3.00 V", "All began full", "yes")
	w.open("/modules/M-001")
	w.says("45.7 Ah rated", "Class A, for nothing until it is surveyed", "No look at it is on record", "87.1 %",
		"39.8 Ah as one", "1733 Wh", "A display called its difference 14 mV", "not surveyed")
	w.never("± 0.0", "mV apart", "spread")
	w.open("/modules/M-002")
	w.says("at most 40.5 Ah as one", "Nothing complete was tested of groups 7 to 12", "not graded")
	w.never("class A")
	// One of them cannot be: it stays with why, and the other is kept.
	w.open("/lots/1/results")
	w.try("Keep the results", "A line for each", "M-003 40.1 Ah 873 Wh; 39.9 Ah 868 Wh\nM-004 400 Ah; 401 Ah",
		"Lowest group at the end", "3.00", "All began full", "yes")
	w.says("1 of 2 lines were kept", "M-004")
	w.open("/modules/M-003")
	w.says("39.9 Ah as one")
	w.end()
}
