package jobs_test

import (
	"fmt"
	"testing"
)

// Jobs of nobody's card: what they found was mended, and stays so.

// The weather mast: six points read against the main negative with one missing, typed as the meter showed them.
func TestTheWeatherMast(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.try("Judge it", "Name of the bank", "Weather mast", "Group voltages", "3.70 7.41 11.10 - 18.52 22.20", "Rested",
		"1440")
	w.says("every point was read against the main negative", "3.7 3.71 3.69 - - 3.68")
	w.send("Judge it", "Each point was read against the main negative", "yes")
	w.says("6 groups", "2 of its 6 groups were not read",
		"16 to 54 % full by rest voltage if it is NMC, LMO blend or NCA; "+
			"if it is LFP, full or just off a charger")
	w.never("77.7", "18500 mV", "0.1 V,")
	w.try("Judge the groups", "Group voltages", "3.70 3.71 3.69 3.70 3.72 3.68", "Each point was read", "yes")
	w.says("none of these is more than one group can have", "3.70 3.71 3.69 3.70 3.72 3.68")
	w.end("18500 mV")
}

// The ski lift: sixteen groups on the plateau and one far below. That it lacks much is certain, how much is not.
func TestTheSkiLift(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "Ski lift", "Group voltages",
		"3.301 3.302 3.299 3.300 3.301 3.054 3.300 3.302 "+
			"3.301 3.300 3.299 3.301 3.300 3.302 3.301 3.300", "Chemistry", "lfp", "Capacity", "280 Ah", "BMS",
		"the one that came with it", "It opens the circuit", "yes", "Rested", "2 h", "Modules in series in a string",
		"4")
	w.says("Group 6 is the odd one", "part 2 4 groups, 12.96 V", "voltage cannot tell the charge")
	w.never("115 to 123", "-158.9 Ah")
	w.end("115 to 123")
}

// The market stand: seven modules, one tested by hand before anybody looked; pounds and degrees as people have them.
func TestTheMarketStand(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "lmo", "Groups in series", "4", "How many", "7", "Rated capacity", "about 0.5 kWh",
		"Name of the bank", "Market stand", "System", "36", "Load", "300 VA + 20 A")
	w.says("300 VA + 20 A", "make none of them")
	w.open("/types/1")
	w.send("Save changes", "Module", "9 lb", "Discharge", "100 A")
	w.open("/modules/M-003/test")
	w.send("Keep, marked", "Capacity", "31 Ah", "Energy", "450 Wh", "Temperature", "68 °F", "Current", "15",
		"End voltage",
		"12.1", "Lowest group", "3.0 V", "It began full", "yes")
	w.says("33.3 Ah rated, from 500 Wh by its label", "31.0 Ah, 93.0 % of rated: class A as far as its test goes",
		"20 °C")
	w.never("0.9 % of rated")
	w.end("0.9 % of rated")
}

// The bell buoy: one block, a lamp and a radio of which one is known in watts and the other in amps.
func TestTheBellBuoy(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nca", "Groups in series", "4", "How many", "1", "Rated capacity", "0.9 kWh",
		"Or groups in series", "4", "Load", "5 W + 2 A; 20 VA", "Name of the bank", "Bell buoy")
	w.says("4 groups, device not known, 5 W + 2 A; 20 VA", "4.3 A assumed") // 25 W at 12 V and 90 %, and 2 A
	w.send("Match modules and reserve them")
	w.says("All at once: 6.9 h to 13.8 h", "no BMS that can disconnect it")
	w.end()
}

// The printing press: thirty modules of five groups of which nobody knows the chemistry, read as far as leads reach.
func TestThePrintingPress(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "5", "How many", "30")
	w.open("/lots/1/look")
	w.send("All others clear", "I looked at each", "yes")
	w.try("Judge and keep all rows", "M-001 end to end", "18.60", "M-002 end to end", "17.9", "M-003 group 1, volts",
		"3.72",
		"M-003 group 3, volts", "3.725")
	w.says("2 of 3 rows were kept, the others are marked")
	w.send("Judge and keep all rows", "Rows with gaps", "yes")
	w.open("/modules/M-002")
	w.says("17.90 V end to end", "Groups not read: none of its 5",
		" % full by rest voltage if it is NMC, LMO blend or "+
			"NCA; if it is LFP, full or just off a charger")
	w.open("/modules/M-003")
	w.says("group 1 3.720 V, group 3 3.725 V")
	w.never("5 mV apart")
	w.end()
}

// The laundry: the chemistry is learned last. What was read and typed before is judged by it then, and a group that
// nobody could place before holds its module.
func TestTheLaundry(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "2", "How many", "3", "Rated capacity", "50 Ah")
	w.open("/lots/1/look")
	w.send("All others clear: survey next", "I looked at each", "yes")
	w.send("Judge", "M-001 group 1", "3.80", "M-001 group 2", "3.80", "M-002 group 1", "3.80", "M-002 group 2", "1.32",
		"M-003 group 1", "3.79", "M-003 group 2", "3.80", "Rested", "600")
	w.open("/lots/1/results")
	w.send("Keep the results", "A line for each", "M-001 41.2 Ah 297 Wh 3.00 V\nM-003 at least 40 Ah", "All began full",
		"yes")
	w.open("/modules/M-001")
	w.says("at least 41.2 Ah", "no declared chemistry")
	w.open("/types/1")
	w.send("Save changes", "Chemistry", "nmc")
	w.open("/modules/M-001")
	w.says("41.2 of 50.0 Ah rated: 82.4 %", "Station Grade")
	w.never("at least 41.2 Ah")
	w.open("/modules/M-002")
	w.says("Group 2 reads 1.320 V, below 2.00 V", "Plan no charge step meanwhile")
	w.never("Charge of one group")
	w.open("/modules/M-003") // 'at least' stays that, however it began
	w.says("Station Test", "Capacity, typed by hand, at least 40.0 Ah", "written as 'at least'")
	w.end()
}

// The pump house: a lot is checked against its type in one grid. A row with a gap is marked and kept by nobody, what is
// unlike its type is said beside what was saved.
func TestThePumpHouse(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "4", "How many", "4", "Chemistry", "nmc", "Rated capacity", "50 Ah", "Taps",
		"a connector, every tap in order")
	w.open("/lots/1/look")
	w.send("All others clear: survey next", "I looked at each", "yes")
	w.open("/lots/1")
	w.says("Check 4 against their type")
	w.open("/lots/1/check")
	w.says("X5 on A- over 4 groups", "X3 on A- over 2 groups")
	row := func(n, a, b, c, d string) []string {
		return []string{n + ", red on X5", a, n + ", red on A+", b, n + ", red on X4", c, n + ", red on X3", d}
	}
	rows := append(row("M-001", "14.80", "14.81", "7.40", "7.41"), row("M-002", "14.80", "14.80", "-7.40", "7.40")...)
	w.try("Judge and keep all rows", append(rows, row("M-003", "14.80", "", "7.40", "7.41")...)...)
	w.says("2 of 3 rows were kept", "expected a reading here too", "Checked: 2", "M-001", "Like its type",
		"Map M-002 by itself")
	w.send("Judge and keep all rows", "M-003, red on A+", "14.79")
	w.says("1 NMC 4S 50 Ah not checked", "Checked: 3")
	w.open("/modules/M-002")
	w.says("is not like its type")
	w.end()
}

// The carousel yard: five modules, one odd at the look, one with a low group, one row with a slip of the finger. Each
// page names who stays behind and leads to the next work.
func TestTheCarouselYard(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nmc", "Groups in series", "6", "How many", "5", "Rated capacity", "50 Ah",
		"Whose, or from whom", "Carousel yard")
	w.open("/station/inspect")
	w.says("Look at all 5 from Carousel yard")
	w.open("/lots/1/look")
	w.send("All others clear", "I looked at each", "yes", "M-003", "yes")
	w.says("Look at M-003")
	w.open("/station/survey")
	w.says("Survey all 4 from Carousel yard")
	w.open("/lots/1/survey")
	w.says("M-003 Not looked at. Look")
	row := []string{"3.70", "3.70", "3.70", "3.70", "3.70", "3.55"}
	var typed []string
	for i, v := range row {
		typed = append(typed, fmt.Sprintf("M-001 group %d", i+1), v)
	}
	w.try("Judge and keep all rows", append(typed, "M-002 group 1", "3.70", "M-002 group 2", "3.7o")...)
	w.says("1 of 2 rows were kept, the others are marked", "M-001 suspect a group is out of family Survey again",
		"Results of 1")
	w.open("/lots/1/results")
	w.says("M-002 Not surveyed. Survey", "Survey all 3")
	w.end()
}
