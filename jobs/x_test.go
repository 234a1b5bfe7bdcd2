package jobs_test

import "testing"
import "slices"

func TestX19(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "6", "How many", "12", "Taps", "all")
	rows := map[string][]float64{}
	for _, n := range []string{"M-001", "M-002"} {
		rows[n] = slices.Repeat([]float64{4.10}, 6)
	}
	w.surveyed(1, "1440", rows)
	w.open("/modules/M-001")
	t.Log(w.text())
	w.open("/modules/M-001/test")
	t.Log(w.text())
	w.open("/workings/load")
	t.Log(w.text())
	w.open("/workings/join")
	t.Log(w.text())
	w.open("/workings/cable")
	t.Log(w.text())
}
