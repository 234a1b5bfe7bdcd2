package window_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

func stock(typ string, id chem.ID, series, n int, ah float64) window.Stock {
	s := window.Stock{Type: typ, Chemistry: id, Series: series}
	for i := range n {
		s.Modules = append(s.Modules, window.Module{Name: fmt.Sprint(i), CapacityAh: ah, ResistanceMOhm: 3})
	}
	return s
}

var class48 = window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 44, LoadWatts: 1200, WantedKWh: 6}

func ExampleCandidates() {
	cs, _ := window.Candidates(class48, []window.Stock{stock("TUG-4", chem.LFP, 4, 8, 180)})
	c := cs[0]
	fmt.Printf("%d groups, %d in parallel, charge to %.1f V\n", c.Series, c.Parallel, c.SettingVolts)
	// Output: 16 groups, 1 in parallel, charge to 56.0 V
}

func has(c window.Candidate, code string) bool {
	return slices.ContainsFunc(c.Findings, func(f finding.Finding) bool {
		return f.Code == code && f.Do != "" && f.Rule != ""
	})
}

func TestWindow(t *testing.T) {
	cases := []struct {
		name    string
		need    window.Need
		st      window.Stock
		series  int
		refused bool
		code    string
	}{
		{"16 LFP groups suit the 48 V class", class48, stock("TUG-4", chem.LFP, 4, 8, 180), 16, false, ""},
		{"20 LFP groups do not", class48, stock("TUG-4", chem.LFP, 4, 8, 180), 20, true, "too-many-groups"},
		{"12 LFP groups never reach the cut-off", class48, stock("TUG-4", chem.LFP, 4, 8, 180), 12, true,
			"window-small"},
		{"14 NMC groups suit it", class48, stock("TRIKE-7", chem.NMC, 7, 4, 40), 14, false, "energy-short"},
		{"15 LMO groups are above the touch limit", window.Need{AbsMaxVolts: 66, ChargeMaxVolts: 63, CutoffVolts: 46,
			LoadWatts: 500}, stock("ONE", chem.LMO, 1, 15, 40), 15, false, "high-voltage"},
		{"a wet place lowers the limit", window.Need{AbsMaxVolts: 34, ChargeMaxVolts: 30, CutoffVolts: 20,
			WetPlace: true}, stock("TRIKE-7", chem.NMC, 7, 1, 40), 7, false, ""},
		{"a low cut-off is left to the cells", window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 36,
			LoadWatts: 500}, stock("TUG-4", chem.LFP, 4, 4, 180), 16, false, "cells-first"},
		{"the device does not start", window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 44,
			StartVolts: 56}, stock("TUG-4", chem.LFP, 4, 4, 180), 16, true, "will-not-start"},
		{"the charge setting cuts the top", window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 54.6, CutoffVolts: 42},
			stock("TRIKE-7", chem.NMC, 7, 2, 40), 14, false, "charge-cut"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			cs, err := window.Candidates(c.need, []window.Stock{c.st})
			if err != nil {
				t.Fatal(c.name, err)
			}
			i := slices.IndexFunc(cs, func(x window.Candidate) bool { return x.Series == c.series })
			if i < 0 {
				t.Errorf("%s: no candidate of %d groups in %+v", c.name, c.series, cs)
				return
			}
			if cs[i].Refused != c.refused || c.code != "" && !has(cs[i], c.code) {
				t.Errorf("%s: refused %v, %+v", c.name, cs[i].Refused, cs[i].Findings)
			}
		})
	}
}

// What must hold for every candidate that is not refused, whatever the device.
func TestInvariants(t *testing.T) {
	stocks := []window.Stock{stock("TUG-4", chem.LFP, 4, 12, 170), stock("TRIKE-7", chem.NMC, 7, 14, 40),
		stock("SWEEP-2", chem.LMO, 2, 20, 80), stock("L", chem.LTO, 5, 12, 20)}
	for vmax := 14.0; vmax < 70; vmax += 1.7 {
		need := window.Need{AbsMaxVolts: vmax, ChargeMaxVolts: vmax * 0.95, CutoffVolts: vmax * 0.72,
			LoadWatts: 10 * vmax, WantedKWh: 2}
		cs, err := window.Candidates(need, stocks)
		if err != nil {
			t.Fatal(err)
		}
		for i, c := range cs {
			ch, _ := chem.Lookup(c.Chemistry)
			if c.Refused {
				if !finding.Blocks(c.Findings) {
					t.Errorf("%.1f V: %s with %d groups is refused without a reason", vmax, c.Type, c.Series)
				}
				continue
			}
			if c.SettingVolts > need.ChargeMaxVolts || c.CeilingVolts > ch.ChargeLimitVolts ||
				c.SettingVolts+window.SettingToleranceV >= c.TripVolts || c.TripVolts > need.AbsMaxVolts*0.98+1e-9 {
				t.Errorf("%.1f V: setting %.2f, trip %.2f, ceiling %.3f", vmax, c.SettingVolts, c.TripVolts,
					c.CeilingVolts)
			}
			if c.UsableKWh > c.TotalKWh || c.UsableKWh <= 0 {
				t.Errorf("%.1f V: usable %.3f of %.3f kWh", vmax, c.UsableKWh, c.TotalKWh)
			}
			if i > 0 && cs[i-1].Refused {
				t.Error("a refused candidate is listed before one that fits")
			}
		}
	}
}

// A load that is off loses nothing, and a larger load never gives more.
func TestLoadOnlyTakes(t *testing.T) {
	last := math.Inf(1)
	for _, w := range []float64{0, 300, 1200, 4000} {
		n := class48
		n.LoadWatts, n.WantedKWh = w, 0
		cs, err := window.Candidates(n, []window.Stock{stock("TUG-4", chem.LFP, 4, 4, 180)})
		if err != nil {
			t.Fatal(err)
		}
		if cs[0].UsableKWh > last {
			t.Errorf("at %v W more is usable than at less", w)
		}
		last = cs[0].UsableKWh
	}
}

func TestUnusable(t *testing.T) {
	bad := []struct {
		want string
		f    func(*window.Need)
	}{
		{"highest voltage", func(n *window.Need) { n.AbsMaxVolts = -1 }},
		{"cut-off", func(n *window.Need) { n.CutoffVolts = 58 }},
		{"charge setting", func(n *window.Need) { n.ChargeMaxVolts = 61 }},
		{"load", func(n *window.Need) { n.LoadWatts = math.NaN() }},
		{"efficiency", func(n *window.Need) { n.Efficiency = 90 }},
		{"start voltage", func(n *window.Need) { n.StartVolts = 20 }},
	}
	for _, b := range bad {
		t.Run(b.want, func(t *testing.T) {
			n := class48
			b.f(&n)
			if _, err := window.Candidates(n, nil); err == nil || !strings.Contains(err.Error(), b.want) ||
				!strings.Contains(err.Error(), "expected") {
				t.Errorf("%s: %v", b.want, err)
			}
		})
	}
	if _, err := window.Candidates(class48, []window.Stock{{Type: "X"}}); err == nil {
		t.Error("a stock without a chemistry was used")
	}
}

func BenchmarkCandidates(b *testing.B) {
	stocks := []window.Stock{stock("TUG-4", chem.LFP, 4, 40, 170), stock("TRIKE-7", chem.NMC, 7, 40, 40)}
	for b.Loop() {
		if _, err := window.Candidates(class48, stocks); err != nil {
			b.Fatal(err)
		}
	}
}

func TestLotCosts(t *testing.T) {
	c := window.CostOfLot(400, window.FreightOf(2, 95), 20, 40).OnFullPallets(400, 20, 16, 95)
	if c.PerModule != 29.5 || c.PerRatedKWh != 14.75 || c.FullPerModule != 25.9375 {
		t.Errorf("%+v", c)
	}
	// Full pallets have nothing to gain, and nothing known gives nothing.
	if c := window.CostOfLot(400, 190, 32, 40).OnFullPallets(400, 32, 16, 95); c.FullPerModule != 0 {
		t.Errorf("%+v", c)
	}
	if c := window.CostOfLot(400, 0, 0, 0).OnFullPallets(400, 0, 16, 95); c != (window.LotCost{}) {
		t.Errorf("%+v", c)
	}
}

func TestClaim(t *testing.T) {
	for _, c := range []struct {
		name   string
		claim  float64
		tested []float64
		code   string
	}{
		{"kept", 80, []float64{0.85, 0.79, 0.82}, "claim-kept"}, {"not kept", 88, []float64{0.85, 0.9, 0.84, 0.86},
			"claim-not-kept"},
		{"nothing said", 0, []float64{1, 1, 1}, ""}, {"too few tested", 80, []float64{0.5, 0.5}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, ok := window.Claim(c.claim, c.tested)
			if ok != (c.code != "") || f.Code != c.code {
				t.Errorf("%s: %+v %v", c.name, f, ok)
			}
		})
	}
}

// A bank that is wanted by its groups alone is charged to full and used to the floor, and all that follows is assumed.
func TestABankByItsGroupsAlone(t *testing.T) {
	lfp, nmc := stock("cell", chem.LFP, 1, 9, 90), stock("pair", chem.NMC, 2, 9, 60)
	list, err := window.Candidates(window.Need{Series: 8, LoadWatts: 1200, Efficiency: 1}, []window.Stock{lfp, nmc})
	if err != nil || len(list) != 2 {
		t.Fatalf("%d ways, %v", len(list), err)
	}
	for _, c := range list {
		floor := map[chem.ID]float64{chem.LFP: 2.5, chem.NMC: 3.0}[c.Chemistry]
		if c.Series != 8 || math.Abs(c.LoadAmps-1200/(8*floor)) > 1e-9 || c.Load().Mark() != "assumed" {
			t.Errorf("%d groups of %s at %v A, %s", c.Series, c.Chemistry, c.LoadAmps, c.Load().Mark())
		}
		for _, f := range c.Findings {
			if strings.Contains(f.Text, "the device cuts off") || strings.Contains(f.Text, "0 V device") {
				t.Errorf("of a device that nobody knows: %s", f.Text)
			}
		}
	}
	if open := window.Open(window.Need{Series: 8}); len(open) == 0 || open[0].Code != "device-open" {
		t.Errorf("%+v", open)
	}
	for _, bad := range []window.Need{{}, {LoadWatts: 100}, {Series: 8, StartVolts: 24}} {
		if _, err := window.Candidates(bad, nil); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// Where the device cuts off just where a BMS usually trips, the BMS ends a discharge.
func TestACutOffWhereABMSTrips(t *testing.T) {
	for cutoff, want := range map[float64]bool{41.5: true, 42.0: true, 42.6: false} {
		list, err := window.Candidates(window.Need{CutoffVolts: cutoff, ChargeMaxVolts: 54, AbsMaxVolts: 60},
			[]window.Stock{stock("five", chem.LFP, 5, 3, 200)})
		if err != nil {
			t.Fatal(err)
		}
		k := slices.IndexFunc(list, func(c window.Candidate) bool { return c.Series == 15 })
		if k < 0 || slices.ContainsFunc(list[k].Findings,
			func(f finding.Finding) bool { return f.Code == "bms-first" }) != want {
			t.Errorf("at %v V: %+v", cutoff, list)
		}
	}
}

// Without amp hours, or without a chemistry, a bank can be laid out by its groups: nothing that hangs on them is
// stated.
func TestWaysOfWhatNobodyKnows(t *testing.T) {
	st := window.Stock{Type: "?", Series: 4, Unrated: true, Untested: true, MostVolts: 4.2}
	for i := range 10 {
		st.Modules = append(st.Modules, window.Module{Name: fmt.Sprintf("M-%02d", i)})
	}
	ways, err := window.Candidates(window.Need{Series: 40}, []window.Stock{st})
	if err != nil || len(ways) != 1 {
		t.Fatalf("%+v, %v", ways, err)
	}
	c := ways[0]
	if c.Ah().Is() || c.Usable().Is() || c.Total().Is() || c.Load().Is() || c.SettingVolts != 0 || c.Refused ||
		math.Abs(c.FullVolts-168) > 1e-9 {
		t.Errorf("%+v", c)
	}
	findingtest.Holds(t, c.Findings, "chemistry-open", finding.Stop, 168, findingtest.None, "V")
	if ways, err = window.Candidates(window.Need{Class: 48}, []window.Stock{st}); err != nil || len(ways) != 0 {
		t.Errorf("volts fit what nobody knows: %+v, %v", ways, err)
	}
	// Declared, and still without amp hours: its window is known, its energy is not. A capacity gives it.
	st.Chemistry, st.MostVolts = chem.NMC, 0
	if ways, err = window.Candidates(window.Need{Series: 40}, []window.Stock{st}); err != nil || len(ways) != 1 {
		t.Fatalf("%+v, %v", ways, err)
	}
	if c = ways[0]; c.Usable().Is() || !(c.UsableShare > 0) {
		t.Errorf("%+v", c)
	}
	if c.Rate(50, nil); !(c.UsableKWh > 0) || !(c.TotalKWh >= c.UsableKWh) || c.Unrated {
		t.Errorf("rated: %+v", c)
	}
}
