package jobs_test

import "testing"

// The clock shop: nine loose cells of which eight are used, under an own BMS; nothing is known of the inverter but its
// watts.
func TestTheClockShop(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=cells")
	w.send("Go on", "Chemistry", "lfp", "How many", "9", "Rated capacity", "90", "Or groups in series", "8",
		"Load", "1200",
		"Name of the bank", "Clock shop")
	w.says("8 groups, device not known", "Nothing is known of the device", "45 to 90 Ah assumed", "1 left over")
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 8", "Groups, from", "8", "to", "8", "What opens", "opens",
		"Carries for ever", "60")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	w.says("own 8", "it carries 60 A", "a load of at most 960 W, taken at the battery at 20.0 V")
	w.never("Ah are unequal", "8 to 27 % full") // nobody has read a group
	w.open("/banks/1/open")
	w.send("Judge the groups", "End to end", "26.3", "Rested", "1440")
	w.says("27 to 76 % full", "voltage cannot tell the charge there", "Groups not read: none of its 8")
	w.never("mV apart", "0 mV", "Highest, group")
	w.open("/banks/1")
	w.says("1 stay out, and which is left open", "rank nothing", "The capacity of each, all 9")
	w.open("/workings/cable")
	w.send("Work it out", "The larger of load", "48", "Length", "1", "System", "24", "Ends on cell posts", "yes",
		"or a section in hand", "AWG 8")
	w.says("bears 57 A")
	w.end("Ah are unequal", "0 mV apart")
}

// Later the inverter's data sheet turns up: what is asked of the bank is changed where it stands, its cells stay where
// they are, and what was refused by an assumption is judged by what is known.
func TestTheClockShopLearnsMore(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=cells")
	w.send("Go on", "Chemistry", "lfp", "How many", "9", "Rated capacity", "90", "Or groups in series", "8",
		"Load", "1200", "Name of the bank", "Clock shop")
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 8", "Groups, from", "8", "to", "8", "What opens", "opens",
		"Carries for ever", "60")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	w.says("own 8", "it carries 60 A", "Say what is assumed")
	w.send("Judge the design by this", "Load", "48 A", "Device cuts off at", "22",
		"Highest charge setting", "28.4")
	w.never("it carries 60 A") // 1.25 × 48 A is what it carries
	w.try("Judge the design by this", "Device cuts off at", "40", "Highest charge setting", "54")
	if w.code != 422 && w.code != 409 {
		t.Errorf("eight groups for a device of 40 to 54 V: %d", w.code)
	}
	w.says("of the charge lies between the limits of the device")
	w.open("/banks/1")
	w.says("22 to 28.4 V, 48 A")
	w.end()
}
