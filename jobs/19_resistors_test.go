package jobs_test

import (
	"slices"
	"testing"
)

// Resistors: a heap of them for modules whose chemistry nobody knows.
func TestResistors(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "6", "How many", "12", "Taps", "all")
	rows := map[string][]float64{}
	for _, n := range []string{"M-001", "M-002", "M-003", "M-004", "M-005", "M-006"} {
		rows[n] = slices.Repeat([]float64{4.10}, 6)
	}
	w.surveyed(1, "1440", rows)
	w.open("/modules/M-001")
	w.says("By these volts it could be NMC, LMO blend or NCA", "not LFP or LTO")
	w.open("/workings/load?at=module-M-001")
	w.send("Work it out", "Wanted", "30", "Resistors in stock", "R22: 0.22 100 15", "or the heap: in series", "3",
		"by in parallel", "5")
	w.says("31.1 A at 4.1 V", "8.49 W in each",
		"Across all of it, at 24.6 V, the same takes 186 A and 306 W in each: refused",
		"the network needs no floor, the discharge does", "the meter on its posts is its monitor")
	w.never("A at the end")
	w.open("/workings/cable")
	w.send("Work it out", "The larger of load", "30", "Length", "1", "System", "4.1", "Ends on cell posts", "yes",
		"or a section in hand", "AWG 10")
	w.says("bears 41 A", "AWG 10")
	w.open("/workings/stock")
	w.send("Work it out", "or a bar, wide", "25", "thick", "3", "Hole", "0", "Metal", "mild steel")
	w.says("it bears 83 A", "One of copper would bear 237 A")
	w.end()
}
