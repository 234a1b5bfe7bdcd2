package jobs_test

import "testing"

// The schoolroom: of six modules one group of one of them is emptied alone, with a meter on its posts.
func TestTheSchoolroom(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Chemistry", "nmc", "Groups in series", "2", "How many", "6", "Rated capacity", "0.36 kWh",
		"Posts", "3")
	w.open("/types/1")
	w.says("49.3 Ah rated, from 360 Wh by its label")
	w.open("/lots/1/look")
	w.send("All others clear", "I looked at each", "yes")
	w.open("/modules/M-001/test")
	w.says("49.3 Ah rated")
	w.open("/modules/M-001/test?plan_from=1&plan_to=1")
	w.never("not every group is monitored", "nobody watches")
	w.open("/modules/M-001/test/rested")
	w.send("Keep it", "It gave", "31.6", "At rest before", "3.88", "Rested before", "1440", "At rest after", "3.31",
		"Rested after", "30", "It ended at", "3.00", "Only groups", "1")
	w.says("group 1", "It fell from 64 to 72 % full to 1 to 4 %", "it holds about 48 Ah (45 to 51 Ah)",
		"return the 31.6 Ah that came out to group 1 alone", "at most 5")
	w.end()
}
