package jobs_test

import "testing"

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
