package jobs_test

import "testing"

// The ferry kiosk: a bank of which only its total is known, and a second string of eight groups that is to stand beside
// it behind a switch of its own.
func TestFerryKiosk(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "Ferry kiosk", "Groups in series", "8", "End to end", "26.4",
		"Chemistry", "lfp", "Capacity", "200")
	w.says("8 groups of LFP, 200 Ah", "29.2 V at full charge", "voltage cannot tell the charge there",
		"Groups not read: none of its 8", "No BMS is known of this bank that opens the circuit by itself")
	w.never("mV apart", "as it stands it gives")
	w.send("Plan a second string")
	w.says("a second string for Ferry kiosk, 8 groups")
	w.end()
}

// The same once a BMS is found in it, and the second string stands already: joined by two totals, opened both at once.
func TestFerryKioskIsJoined(t *testing.T) {
	w := newWalk(t)
	for _, name := range []string{"Ferry kiosk", "Its second string"} {
		w.open("/banks/standing")
		w.send("Judge it", "Name of the bank", name, "Groups in series", "8", "End to end", "26.4", "Chemistry", "lfp",
			"BMS", "its own, with a switch", "It opens the circuit", "yes")
	}
	w.send("It is to be joined", "A bank that stands", "Ferry kiosk")
	w.send("It is out of work", "Owner agrees", "yes", "Second person", "yes", "Protective equipment", "yes",
		"Meter proved", "yes", "Loads off", "yes", "No current", "0.1", "Main switch open", "yes", "Wait for", "1",
		"Bank, end to end", "26.4", "Covers", "yes")
	w.says("Joined to Ferry kiosk", "Totals of both, end to end, with one meter in the same minute",
		"both in volts, the difference is worked out")
	w.never("Joined strings opened")
	w.send("It is back in work", "Links and torque", "yes", "Bank, end to end", "26.4", "Polarity", "yes",
		"Pre-charge", "25.9", "Main switch closed", "yes", "This bank", "26.42", "Ferry kiosk", "26.40",
		"Loads on", "yes")
	w.says("20 mV apart, at most 50 mV")
	w.never("Joined strings opened")
	// From now on both are opened, on the page of either.
	for _, page := range []string{"/banks/1", "/banks/2?again=1"} {
		w.open(page)
		w.says("opening one means both are taken out of work", "what is opened here has its volts on it")
	}
	w.end()
}
