package currents_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/golden"
)

// Twelve tangles: every row, share, fault, reach and resistance of each.
func TestWhatTanglesAnswer(t *testing.T) {
	for k := range 12 {
		c := index(t, tangle(rand.New(rand.NewPCG(uint64(k), 91))))
		l := c.WithCells()
		c.JoinTies(l, func(*netlist.Tie) bool { return true })
		rows := currents.RowsOf(c)
		type fault struct {
			Amps    float64
			Devices []string
		}
		var faults []fault
		f := currents.NewFaults(c, l)
		for i := range c.Ties {
			a, d := f.Most(i)
			slices.Sort(d)
			faults = append(faults, fault{a, d})
		}
		type reach struct {
			MM float64
			OK bool
		}
		var reaches []reach
		r := currents.NewReach(c)
		on := currents.NewOnLoad(c, rows)
		var loaded []bool
		for i := range c.Ties {
			if c.Ties[i].Overcurrent() {
				mm, ok := r.MM(i)
				reaches = append(reaches, reach{mm, ok})
			}
			with := on.With([]int{i})
			n := 0
			for _, s := range rows.Strings(c) {
				n += len(s)
			}
			loaded = append(loaded, with(0), n > 2)
		}
		mOhm := func(x *netlist.Tie) float64 {
			if x.Cond == nil {
				return 0.2
			}
			return 0.1 + float64(len(x.Cond.ID))/10
		}
		var ohms []float64
		for p := range min(4, len(c.Names)) {
			ohms = append(ohms, currents.Resistance(c, 0, p, mOhm))
		}
		strings := rows.Strings(c)
		var resist []float64
		for _, v := range rows.MOhms(c, strings, mOhm) {
			resist = append(resist, v)
		}
		slices.Sort(resist)
		var weakest []string
		for _, x := range rows.Weakest(c) {
			weakest = append(weakest, x.Cond.ID)
		}
		slices.Sort(weakest)
		without := currents.WithoutDevice(c, rows)
		slices.Sort(without)
		bonds := 0
		for range currents.FusedBonds(c) {
			bonds++
		}
		taps := []bool{}
		for p := range c.Names {
			taps = append(taps, currents.Tap(c, p))
		}
		golden.Same(t, "tangle-"+string(rune('a'+k)), golden.Text([]any{currents.Shares(c, l, rows, 100), faults,
			f.Looked() > 0, reaches, loaded, ohms, resist, weakest, without, bonds, currents.MostRating(c),
			len(currents.Switched(c)), currents.Opens(c), currents.PrechargeRelays(c), taps}))
	}
	red := currents.NewReducer(func(cells []int, charging bool) (float64, string) {
		return float64(10 + len(cells)),
			"cells"
	})
	red.Keep(0)
	red.Add(0, 1, 3.7, 1.5, 0)
	red.Add(0, 1, 3.6, 2.5, 1)
	red.Add(1, 2, 3.7, 1, 2)
	red.Add(0, 2, 7.45, 3, 3)
	golden.Same(t, "widest", golden.Text(red.Widest()))
}
