package window_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/golden"
)

func TestWhereWaysChange(t *testing.T) {
	type asked struct {
		Need   window.Need
		Stocks []window.Stock
	}
	mixed := stock("TUG-4", chem.LFP, 4, 9, 180)
	for i := range mixed.Modules {
		mixed.Modules[i].CapacityAh += float64(i*7%5) * 3
	}
	mixed.Modules[2].LowAh, mixed.Modules[2].HighAh = 150, 200
	mixed.Posts, mixed.Limits = []int{2}, window.Limits{DischargeAmps: 120, PeakAmps: 240, ChargeAmps: 80,
		ChargePeak: 100}
	trike := stock("TRIKE-7", chem.NMC, 7, 6, 40)
	need24 := window.Need{Class: 24, LoadWatts: 800, WantedKWh: 3, ChargeAmps: 30, PeakAmps: 90, Efficiency: 0.9}
	charged := class48
	charged.StartVolts, charged.ChargeAmps, charged.PeakAmps = 47, 40, 80
	cases := []golden.Case[asked]{{Name: "48 V by the device", In: asked{charged, []window.Stock{mixed}}},
		{Name: "24 V class", In: asked{need24, []window.Stock{trike}}}, {Name: "13 groups of NMC in a wet place",
			In: asked{window.Need{AbsMaxVolts: 58, ChargeMaxVolts: 55, CutoffVolts: 40, Series: 14,
				Chemistry: chem.NMC, WetPlace: true, LoadWatts: 300}, []window.Stock{trike}}}}
	fives := stock("SHED-5", chem.LFP, 5, 4, 150)
	var mixes []string // of every device from 12 to 130 V, for two types
	for full := 13.0; full < 130; full += 1.7 {
		list, err := window.Candidates(window.Need{AbsMaxVolts: full * 1.05, ChargeMaxVolts: full,
			CutoffVolts: full * 0.72, LoadWatts: 300, WantedKWh: 3}, []window.Stock{mixed, fives})
		line := fmt.Sprintf("%.1f V: %v", full, err)
		for _, c := range list {
			line += fmt.Sprintf(", %s %s %.2f", c.Key(), c.Mix(), c.UsableKWh)
		}
		mixes = append(mixes, line)
	}
	golden.Same(t, "mixes", strings.Join(mixes, "\n")+"\n")
	golden.Judged(t, "ways", cases, func(a asked) (any, error) {
		list, err := window.Candidates(a.Need, a.Stocks)
		type told struct {
			window.Candidate
			Key, Mix           string
			LowUsable, HighUse float64
		}
		var out []told
		for i, c := range list {
			if i < 4 || i == len(list)-1 {
				u := c.Usable()
				out = append(out, told{c, c.Key(), c.Mix(), u.Low(), u.High()})
			}
		}
		return []any{out, window.Open(a.Need)}, err
	})
	golden.Answers(t, "advice", cases, func(a asked) (any, error) { return window.Advise(a.Need, a.Stocks[0]) })
	var advice []string // of every device from 12 to 120 V, for modules of two to ten groups
	for _, series := range []int{2, 3, 4, 5, 6, 7, 8, 10, 12} {
		for _, id := range []chem.ID{chem.LFP, chem.NMC, chem.LTO} {
			for full := 13.0; full < 120; full += 3.3 {
				a, err := window.Advise(window.Need{AbsMaxVolts: full * 1.05, ChargeMaxVolts: full,
					CutoffVolts: full * 0.72}, stock("S", id, series, 12, 50))
				advice = append(advice, fmt.Sprintf("%s %d groups, %.1f V: %v %s %s %v", id, series, full, a.Makes,
					a.Text, a.Do, err))
			}
		}
	}
	golden.Same(t, "advised", strings.Join(advice, "\n")+"\n")
	golden.Answers(t, "could", cases, func(a asked) (any, error) { return window.Could(a.Need.Class, a.Stocks) })
}

func TestWhereFitsChange(t *testing.T) {
	golden.Judged(t, "fits", []golden.Case[window.Need]{{Name: "class 12", In: window.Need{Class: 12}},
		{Name: "60 to 100 V", In: window.Need{AbsMaxVolts: 100, ChargeMaxVolts: 84, CutoffVolts: 60}}},
		func(n window.Need) (any, error) {
			fits, err := window.Fits(n)
			if err != nil {
				return nil, err
			}
			counts, err := window.Counts(n, chem.LFP, nil)
			filled := n.Filled()
			above, ok := filled.FullAbove(58.4, 60)
			return []any{fits, counts, above, ok, filled}, err
		})
	type claim struct {
		Pct    float64
		Tested []float64
	}
	golden.Judged(t, "claim", []golden.Case[claim]{{Name: "eighty", In: claim{80, []float64{74, 76, 71}}},
		{Name: "none tested", In: claim{80, nil}}}, func(c claim) (any, error) {
		f, ok := window.Claim(c.Pct, c.Tested)
		return []any{[]finding.Finding{f}, ok}, nil
	})
	golden.Same(t, "small", golden.Text([]any{window.CostOfLot(1200, 300, 20, 45), window.CostOfLot(1200, 300, 0, 0),
		window.CostOfLot(1200, 300, 20, 45).OnFullPallets(1200, 20, 8, 150), window.FreightOf(3, 140),
		window.LoadAmps(1200, 0.9, 48), window.LoadAmps(1200, 0, 48), window.Runs([]int{14, 15, 16, 18, 20, 21}),
		window.CapacityOf([]window.Part{{0, 0, 40}, {0, 1, 38}, {1, 0, 42}, {1, 1, 41}}, true),
		window.CapacityOf([]window.Part{{0, 0, 40}, {0, 1, 38}, {1, 0, 42}, {1, 1, 41}}, false)}))
	golden.Judged(t, "limits", []golden.Case[window.Limits]{{Name: "all", In: window.Limits{DischargeAmps: 100,
		PeakAmps: 200, ChargeAmps: 50, ChargePeak: 70}}, {Name: "none", In: window.Limits{}}, {Name: "one",
		In: window.Limits{PeakAmps: 90}}}, func(l window.Limits) (any, error) {
		full, typical := l.Of(60)
		return []any{full, typical}, nil
	})
}
