package jobs_test

import "testing"

// Two neighbours: five strings of which three are the one's and two the other's.
func TestTwoNeighbours(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "Two neighbours", "Groups in series", "16", "Chemistry", "lfp", "Strings",
		"5",
		"Modules in series in a string", "2", "Made of",
		"five strings of two 8-group modules, equal cables of 3 m and 35 mm² to one point", "Several owners",
		"the one: 1 to 3; the other: 4, 5", "A line for each way", "mains: at the bank; charger 56 V")
	w.says("16 groups of LFP", "58.4 V at full charge", "Equal strings carry 20.0 % each",
		"One of twice the resistance carries 11.1 %, the others 22.2 %",
		"A fuse for each string follows from its current",
		"the one owns 3 of 5 strings, the other owns 2 of 5 strings",
		"How many kWh are whose is not known unless each string is metered", "voltage cannot tell the charge",
		"No BMS is known of this bank")
	w.never("mV apart", "gives about", "A fuse of")
	w.send("Keep the result", "Energy", "14.1 kWh", "Mean current", "20")
	w.says("at least 14100 Wh", "At least 14.1 kWh: its energy alone was counted")
	w.end()
}
