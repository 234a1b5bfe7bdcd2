package jobs_test

import (
	"fmt"
	"slices"
	"testing"
)

// The tram shelter: pairs of modules, breakers, a plug behind them, a push button and a thin wire to a meter; nobody
// knows the amp hours, and there is no BMS yet.
func TestTheTramShelter(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "lmo", "Groups in series", "4", "Posts", "3", "Taps", "rest", "How many", "6",
		"Or groups in series", "12", "Name of the bank", "Tram shelter")
	rows := map[string][]float64{}
	for i := range 6 {
		rows[fmt.Sprintf("M-%03d", i+1)] = slices.Repeat([]float64{3.95}, 4)
	}
	w.surveyed(1, "1440", rows)
	w.open("/banks/1")
	w.says("12 groups of 3 ×", "2 in parallel", "Its amp hours are not known")
	w.send("Match modules and reserve them")
	w.says("47.40 V", "12 groups. Its amp hours are not known", "9 bonds of middle taps", "no BMS that can disconnect")
	w.send("Judge with these", "A line for each way",
		"main: at the bank; breaker 63 A; plug 50 A; button 100 ohm 25 W; "+
			"inverter\nmeter: behind main; wire AWG 22; meter")
	w.says("plug 50 A bears 50 A behind breaker 63 A: it is the weakest", "wire AWG 22 bears 3 A behind breaker 63 A",
		"Its own device of at most 3 A where it branches off", "now 0.47 A and 22.5 W, full 0.50 A and 25.4 W",
		"more than its 25 W if it is held", "not known without the load's capacitors")
	w.never("kWh usable", "assumed", "Ah as one")
	w.end("hold for 0", "kWh usable")
}
