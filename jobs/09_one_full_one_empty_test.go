package jobs_test

import "testing"

// One full, one empty: two banks of four groups that somebody wants to close onto each other.
func TestOneFullOneEmpty(t *testing.T) {
	w := newWalk(t)
	w.open("/workings/join")
	w.send("Work it out", "Chemistry", "lfp", "Groups in series", "4", "First, at rest", "13.9", "Second, at rest",
		"12.1", "First holds", "280", "Second holds", "100", "Link", "")
	w.says("Do not close it", "185 to 694 A flow at first", "up to 1228 A in the first milliseconds",
		"resistance of the first not given: typical",
		"what lies between them not given: 0 mΩ, the worst", "3.475 V per group is above the top of the rest curve",
		"Let it rest for half an hour", "It would pass at", "charge the lower one first to")
	w.never("% full")
	w.end()
}
