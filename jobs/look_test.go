package jobs_test

import (
	"slices"
	"testing"
)

func TestLook13(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "20", "Taps between the groups", "doubled", "How many", "1")
	w.surveyed(1, "1440", map[string][]float64{"M-001": slices.Repeat([]float64{3.92}, 20)})
	t.Log(w.path, w.text())
	w.open("/modules/M-001")
	t.Log(w.path, w.text())
	w.open("/station/design")
	t.Log(w.path, w.text())
	w.open("/bms")
	w.send("Save the BMS", "Name", "own 20", "Groups, from", "20", "to", "20", "What opens", "opens",
		"What wakes it", "charger", "By how much", "3")
	t.Log(w.path, w.text())
}
