package jobs_test

import "testing"

// Beside the old one: a bank in use, a second like it, and later a third, on the same bars.
func TestBesideTheOldOne(t *testing.T) {
	w := newWalk(t)
	for _, name := range []string{"The old one", "The second", "The third"} {
		w.open("/banks/standing")
		w.send("Judge it", "Name of the bank", name, "Groups in series", "14", "Chemistry", "nmc", "Capacity",
			"8.4 kWh",
			"BMS", "its own, with a main switch", "It opens the circuit", "yes")
	}
	w.open("/banks/1")
	w.says("14 groups of NMC, 164 Ah (8.4 kWh by its label)", "58.8 V at full charge")
	w.never("mV apart", "gives about")
	w.send("It is to be joined", "A bank that stands", "The second")
	w.says("2 banks on the same bars: together 16.8 kWh by what is said of each",
		"A BMS that opens takes its own bank off, and the load then goes through the other 1",
		"With one main switch open its load side stays live", "not joined yet: the two totals")
	w.send("It is to be joined", "A bank that stands", "The third")
	w.says("3 banks on the same bars: together 25.2 kWh")
	// From the second's page it is the same three.
	w.open("/banks/2")
	w.says("3 banks on the same bars: together 25.2 kWh")
	// Joining is a step on the way back: two totals in volts, the difference is worked out.
	w.open("/banks/1")
	w.send("It is out of work", "Owner agrees", "yes", "Second person", "yes", "Protective equipment", "yes",
		"Meter proved", "yes", "Loads off", "yes", "No current", "0.1", "Main switch open", "yes", "Wait for", "1",
		"Bank, end to end", "53.2", "Covers", "yes")
	w.says("Joined to The second", "Joined to The third",
		"Totals of both, end to end, with one meter in the same minute")
	back := []string{"Links and torque", "yes", "Bank, end to end", "53.2", "Polarity", "yes", "Pre-charge", "52.9",
		"Main switch closed", "yes", "Loads on", "yes", "This bank", "53.20", "This bank", "53.20"}
	w.try("It is back in work", append(back, "The second", "53.40", "The third", "53.21")...)
	w.says("200 mV apart, where at most 50 mV was expected")
	w.end()
}
