package jobs_test

import "testing"

// A label in watt hours is kept as it was typed, and amp hours follow once chemistry and groups are known, in whichever
// order that is.
func TestALabelInWattHours(t *testing.T) {
	w := newWalk(t)
	w.open("/types")
	w.send("Save type", "Name", "BARGE-5", "Rated capacity", "4,3 kWh", "Posts", "A+ A-")
	w.open("/types/1")
	w.says("4.3 kWh by its label")
	w.never("Ah rated")
	w.send("Save changes", "Chemistry", "lfp")
	w.says("4.3 kWh by its label")
	w.send("Declare the layout", "Groups in series", "5", "Posts from", "A- A+")
	w.open("/types/1")
	w.says("268.8 Ah rated, from 4.3 kWh by its label")
	w.send("Save changes", "Note", "read twice") // nothing is lost by saving it again
	w.says("268.8 Ah rated, from 4.3 kWh by its label")
	w.send("Save changes", "Rated capacity", "270")
	w.says("270 Ah rated")
	w.never("by its label")
	w.end()
}
