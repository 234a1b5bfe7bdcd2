package jobs_test

import (
	"testing"
	"time"
)

// The lock house (own): a bank that nobody has a BMS of, taken out of work, read, and its next step said at each point.
func TestTheLockHouse(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "Lock house", "Group voltages",
		"3.311 3.312 3.310 3.313 3.311 3.309 3.312 3.311",
		"Chemistry", "lfp", "Capacity", "200")
	w.says("No BMS is known of this bank", "Find out whether it has one", "Take it out of work")
	w.send("It is out of work", "Owner agrees", "yes", "Second person", "yes", "Protective equipment", "yes",
		"Meter proved", "yes", "Loads off", "yes", "No current", "0", "Main switch open", "yes", "Wait for", "0",
		"Bank, end to end", "26.49", "Covers", "yes")
	w.says("Out of work: survey it now", "Survey it now")
	w.later = 10 * time.Minute
	w.send("Judge the groups", "Group voltages", "3.311 3.312 3.310 3.313 3.311 3.309 3.312 3.311")
	w.says("Out of work and surveyed. It goes back by its steps", "Next: ")
	w.never("survey it now", "Survey it now")
	// One is chosen: nobody is told to look for one any more, and it is not in yet.
	w.send("Take the one chosen", "T16-150", "yes")
	w.says("No BMS opens its circuit yet: T16-150 is to be fitted", "say under 'Its inside' that it is in")
	w.never("Find out whether it has one")
	w.end()
}
