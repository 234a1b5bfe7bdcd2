package jobs_test

import "testing"

// The fish stall: four cells in a box, small boards that open one relay, an outlet behind it and a second one straight
// at the cells.
func TestTheFishStall(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "Fish stall", "Groups in series", "4", "End to end", "12.30", "Rested",
		"600",
		"Chemistry", "lfp", "Capacity", "105", "BMS", "four small boards, one a cell: 2.5 V and 3.6 V, no temperature",
		"It opens the circuit", "yes", "Wet place", "yes", "Can it freeze there", "yes", "Used a day", "4.5",
		"A line for each way", "outlet 1: behind the relay; fuse 15 A; outlet; charger 16 A\n"+
			"outlet 2: at the cells; fuse 10 A; outlet 10 A")
	w.says("4 to 7 % full", "outlet 2 goes round the switch", "Move its device behind the switch",
		"charger 16 A: 16 A flow through fuse 15 A", "It can freeze there, and nothing is known",
		"A switch by temperature in the charger's line, a written rule who charges when, or the bank indoors",
		"At 4.5 Ah a day it lasts at most 23 days from full, by the 105 Ah that are said of it, and from now "+
			"at most 1.6")
	w.never("mV apart")
	// A way on is taken, and what was typed is still there.
	w.send("Judge by this", "What keeps it from being charged then", "rule")
	w.says("What keeps it from being charged then, as was said: a written rule who charges when",
		"outlet 2: at the cells")
	w.never("nothing is known that keeps it")
	w.end()
}
