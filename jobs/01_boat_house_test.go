package jobs_test

import "testing"

// The boat house: three modules with a label in kilowatt hours, run from full to empty as a whole, and once more after
// the BMS has balanced them.
func TestTheBoatHouse(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "lfp", "Groups in series", "5", "Taps between the groups", "all", "How many", "3",
		"Rated capacity", "4.3 kWh")
	w.open("/types/1")
	w.says("268.8 Ah rated, from 4.3 kWh by its label")
	rows := map[string][]float64{}
	for m, number := range []string{"M-001", "M-002", "M-003"} {
		rows[number] = near(5, 3.291+float64(m)*0.001, 3.295+float64(m)*0.001)
	}
	w.surveyed(1, "1440", rows)
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 15 or 16", "Groups, from", "15", "to", "16", "What opens", "opens",
		"Carries for ever", "150", "Balances", "1", "What wakes it", "charger")
	w.open("/station/design")
	w.send("Work out the ways", "Name of the bank", "Boat house", "Load", "2400", "Device cuts off at", "42",
		"Highest charge setting", "54", "Never", "yes")
	w.says("15 groups", "A BMS usually trips at 42.0 V (15 × 2.80 V)", "not above it", "134 to 269 Ah assumed")
	w.send("Match modules and reserve them")
	w.says("134 to 269 Ah, 6.5 to 13.1 kWh usable at 15 groups, assumed",
		"a charger wakes it, how far above the bank is not known", "it opens by itself, how is not known",
		"3.600 V a group")
	w.never("Ah are unequal")
	w.send("Take the one chosen", "own 15 or 16", "own 15 or 16")
	// From full to empty as a whole, and once more after three days on the BMS.
	w.send("Keep the result", "It gave", "243", "Energy", "11600", "Group that ended it", "7",
		"Its voltage then", "2.50",
		"It began full", "yes")
	w.says("243")
	w.send("Keep the result", "It gave", "255", "Energy", "12200", "Group that ended it", "7",
		"Its voltage then", "2.50",
		"It began full", "yes")
	w.says("255.0 Ah", "12.20", "12.0 Ah")
	w.never("Gain by matching")
	// What it cost, for each kWh that was tested: of the modules, and with BMS and bars.
	w.open("/workings/money")
	w.send("Work it out", "Modules in the bank", "1", "Each", "1480", "Freight", "", "A pallet holds", "", "BMS",
		"160", "Parts",
		"bars: 60", "Hours", "", "An hour", "", "Rated", "", "Tested", "12.2", "Usable", "", "Cycles", "",
		"New, for each", "",
		"New, cycles", "", "Lead-acid, for", "", "Lead-acid, cycles", "")
	w.says("139.3", "121.3", "modules with freight alone")
	w.open("/workings/runtime?at=bank-1")
	w.send("Work it out", "Loads", "taken at the battery: 2000 24 dc")
	w.says("6.1 h")
	w.end()
}
