package window_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
)

func stockOf(n, series int, ah, low, high float64) window.Stock {
	st := window.Stock{Type: "T", Chemistry: chem.LFP, Series: series, Untested: low > 0}
	for i := range n {
		st.Modules = append(st.Modules, window.Module{Name: fmt.Sprint(i), CapacityAh: ah, LowAh: low, HighAh: high})
	}
	return st
}

func ExampleCould() {
	got, _ := window.Could(48, []window.Stock{stockOf(14, 4, 160, 0, 0)})
	fmt.Printf("%d banks of %d groups\n", got[0].Banks, got[0].Series)
	// Output:
	// 3 banks of 16 groups
}

// Twice the modules make twice the banks, each of the same energy; twice the charge makes each twice as large.
func TestCouldScales(t *testing.T) {
	one, err := window.Could(24, []window.Stock{stockOf(8, 4, 100, 0, 0)})
	if err != nil || len(one) != 1 {
		t.Fatal(one, err)
	}
	more, _ := window.Could(24, []window.Stock{stockOf(16, 4, 100, 0, 0)})
	large, _ := window.Could(24, []window.Stock{stockOf(8, 4, 200, 0, 0)})
	if more[0].Banks != 2*one[0].Banks || math.Abs(more[0].KWh.V()-one[0].KWh.V()) > 1e-9 {
		t.Errorf("%+v, of twice as many %+v", one[0], more[0])
	}
	if math.Abs(large[0].KWh.V()-2*one[0].KWh.V()) > 1e-9 {
		t.Errorf("%v kWh, of twice the charge %v", one[0].KWh.V(), large[0].KWh.V())
	}
}

// What was not tested is an interval around the likely, and what fits nothing is not offered.
func TestCouldIsHonest(t *testing.T) {
	got, err := window.Could(24, []window.Stock{stockOf(8, 4, 75, 50, 100), stockOf(8, 11, 75, 0, 0), {Type: "none",
		Chemistry: chem.NMC, Series: 7}})
	if err != nil || len(got) != 1 {
		t.Fatalf("%+v %v", got, err)
	}
	p := got[0]
	if p.KWh.Exact() || math.Abs(p.KWh.Low()/p.KWh.V()-50.0/75) > 1e-6 || !p.Untested {
		t.Errorf("%+v", p)
	}
	if _, err := window.Could(17, []window.Stock{stockOf(8, 4, 75, 0, 0)}); err == nil {
		t.Error("a system of 17 V was taken")
	}
}

// A bank of modules that nobody tested is judged in its currents as if each held the least that it may.
func TestUntestedAreLoadedAsTheLeast(t *testing.T) {
	need := window.Need{ChargeMaxVolts: 28.8, CutoffVolts: 21, LoadWatts: 24 * 70 * 0.9}
	current := func(low, high float64) bool {
		cs, err := window.Candidates(need, []window.Stock{stockOf(2, 4, 80, low, high)})
		if err != nil || len(cs) == 0 {
			t.Fatal(cs, err)
		}
		for _, f := range cs[0].Findings {
			if f.Code == "current-high" || f.Code == "current-too-high" {
				return true
			}
		}
		return false
	}
	if current(0, 0) {
		t.Error("80 A of 80 Ah tested is said to be too much")
	}
	if !current(40, 100) {
		t.Error("80 A of what may hold 40 Ah is not said to be high")
	}
}

// A need without voltages takes what its system usually does, and says so; nothing of it is invented in silence.
func TestOpenNeeds(t *testing.T) {
	codes := func(n window.Need) (out []string) {
		for _, f := range window.Open(n) {
			out = append(out, f.Code)
		}
		return out
	}
	if got := codes(window.Need{Class: 48}); len(got) != 3 {
		t.Errorf("%v of nothing but a system", got)
	}
	if got := codes(window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 58, CutoffVolts: 44, LoadWatts: 500}); len(got) != 0 {
		t.Errorf("%v of a whole need", got)
	}
	n := window.Need{Class: 48}
	if f := n.Filled(); f.CutoffVolts == 0 || f.ChargeMaxVolts == 0 || f.AbsMaxVolts != 0 {
		t.Errorf("%+v", f)
	}
	own := window.Need{Class: 48, CutoffVolts: 40, ChargeMaxVolts: 55}
	if own.Filled() != own {
		t.Error("what is known was replaced by what is usual")
	}
}

// In a string of two types the charge is that of the weaker, and groups of unlike chemistry are never mixed.
func TestMixes(t *testing.T) {
	seven := window.Stock{Type: "seven", Chemistry: chem.NMC, Series: 7, Modules: []window.Module{{Name: "a",
		CapacityAh: 40}}}
	two := window.Stock{Type: "two", Chemistry: chem.NMC, Series: 2, Modules: []window.Module{{Name: "b",
		CapacityAh: 50}, {Name: "c", CapacityAh: 52}, {Name: "d", CapacityAh: 54}}}
	need := window.Need{AbsMaxVolts: 58, ChargeMaxVolts: 54.6, CutoffVolts: 40}
	cs, err := window.Candidates(need, []window.Stock{seven, two})
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, c := range cs {
		if len(c.Types) > 0 && c.CapacityAh != 40 {
			t.Errorf("%s: %d groups, %v Ah", c.Mix(), c.Series, c.CapacityAh)
		}
		found = found || c.Series == 13 && c.Mix() == "1 × seven + 3 × two" && !c.Refused
	}
	if !found {
		t.Error("no way of 13 groups")
	}
	two.Chemistry = chem.LMO
	cs, err = window.Candidates(need, []window.Stock{seven, two})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range cs {
		if len(c.Types) > 0 {
			t.Errorf("unlike chemistries in one string: %s", c.Mix())
		}
	}
}
