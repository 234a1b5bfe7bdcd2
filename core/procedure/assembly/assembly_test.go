package assembly_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/bank/build"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/floor/floortest"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/sequence"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/procedure/assembly"
	"pandrel/core/procedure/gates"
)

// built is a bank of a number of modules of 13.2 V in series with its steps, as far as none of them is done.
func built(t *testing.T, modules int) assembly.Now {
	t.Helper()
	_, n, chains := floortest.Designed(1, modules, 1)
	r, err := wiring.CheckNetlist(n)
	if err != nil {
		t.Fatal(err)
	}
	p := build.Plan{FullVolts: r.FullVolts, TouchVolts: 60, Order: r.BuildOrder, BMS: []build.BMS{{ID: "B1",
		Negative: n.BMS[0].BMinus, Load: "OUT-", Low: chains[0][0][0] + ".N", High: chains[0][modules-1][0] + ".P"}}}
	for _, m := range n.Modules {
		p.Modules = append(p.Modules, build.ModuleCheck{Name: m.ID, Plus: m.ID + ".P", Minus: m.ID + ".N", Volts: 13.2})
	}
	return assembly.Now{Netlist: n, Steps: build.Steps(p), Done: map[string]bool{}, TouchVolts: 60,
		LeadsGood: map[string]bool{"B1": true}}
}

func TestTheOrderMayBeFollowed(t *testing.T) {
	n := built(t, 6)
	keys := map[string]bool{}
	for _, s := range n.Steps {
		if s.Key == "" || keys[s.Key] {
			t.Fatalf("step %q has the key %q: expected one of its own", s.Title, s.Key)
		}
		keys[s.Key] = true
		if fs := assembly.May(n, s.Key); len(fs) > 0 {
			t.Errorf("%s, in its turn: %s", s.Title, fs[0].Text)
		}
		n.Done[s.Key] = true
	}
}

func TestOutOfTurnIsJudgedOnTheBankAsItIs(t *testing.T) {
	n := built(t, 6)
	findingtest.Holds(t, assembly.May(n, "fit X1"), "step-comes-first", finding.Stop, 2, 0, "modules")
	for _, s := range n.Steps {
		if s.Module != "" {
			n.Done[s.Key] = true
		}
	}
	findingtest.Lacks(t, assembly.May(n, "fit X1"), "step-comes-first")
	if v := assembly.Exposed(n, "X1"); math.Abs(v-26.4) > 0.01 {
		t.Errorf("two modules leave %.2f V within reach: expected 26.4", v)
	}
	findingtest.Holds(t, assembly.May(n, "plug B1"), "step-comes-first", finding.Stop, 6, 0, "steps")
	// Five links leave 79.2 V within reach, and the sense leads are not fitted yet.
	for _, id := range []string{"X1", "X2", "X3", "X4"} {
		n.Done["fit "+id] = true
	}
	findingtest.Holds(t, assembly.May(n, "fit X5"), "reach-out-of-turn", finding.Stop, 79.2, 60, "V")
	n.LeadsGood["B1"] = false
	for _, key := range []string{"measure B1", "plug B1"} {
		findingtest.Holds(t, assembly.May(n, key), "leads-not-good", finding.Stop, 0, 1, "verdicts")
	}
}

// What lies above others is put on after the joints that it hides.
func TestWhatHidesJointsComesAfterThem(t *testing.T) {
	n := built(t, 4)
	top := n.Netlist.Modules[3].ID
	n.Covers = map[string][]string{top: {"X1"}}
	findingtest.Holds(t, assembly.May(n, "place "+top), "hides-open-joints", finding.Stop, 1, 0, "joints")
	n.Done["fit X1"] = true
	findingtest.Lacks(t, assembly.May(n, "place "+top), "hides-open-joints")
	u, net, chains := floortest.Designed(1, 4, 1)
	d := floor.FromNetlist(net, u, chains)
	p := d.Piece(top)
	p.Place = d.Piece(net.Modules[0].ID).Place
	p.Place.Layer = 1
	if got := fmt.Sprint(d.Covers(u)[top]); !strings.Contains(got, "X1") || strings.Contains(got, "X3") {
		t.Errorf("%s covers %s: expected the joint of the module below it, and none of its own", top, got)
	}
}

func TestWhatAReadingLooksLike(t *testing.T) {
	n := built(t, 3)
	for i := range n.Netlist.Modules[1].Groups {
		n.Netlist.Modules[1].Groups[i].Volts = 3.6 // 14.4 V
	}
	first := n.Netlist.Modules[0].ID
	for _, c := range []struct {
		key  string
		v    float64
		says string
	}{
		{"place " + first, 0.01, "one post twice"},
		{"place " + first, 14.4, "another module"},
		{"place " + first, 12.1, "1.10 V away"},
		{"fit X1", 13.2, "across the gap"},
	} {
		fs := assembly.LooksLike(n, c.key, c.v)
		if len(fs) != 1 || !strings.Contains(fs[0].Text, c.says) {
			t.Errorf("%s reads %.2f V: %v, expected a word of %q", c.key, c.v, fs, c.says)
		}
	}
}

func TestStepsAskForWhatIsRead(t *testing.T) {
	n := built(t, 3)
	steps := assembly.Steps(n.Steps)
	states := gates.States(steps, nil)
	place := assembly.Next(states, "place "+n.Netlist.Modules[0].ID)
	if ok, _ := gates.JudgeReading(place.Step, 13.2); !ok {
		t.Error("13.2 V does not pass where 13.2 V stand")
	}
	if ok, f := gates.JudgeReading(place.Step, -13.2); ok || f.Code != "polarity" {
		t.Errorf("−13.2 V: %s, expected the polarity named", f.Code)
	}
	fuse := assembly.Next(states, "fit X3")
	for v, pass := range map[float64]bool{0.01: true, -0.01: true, 13.2: false} {
		if ok, _ := gates.JudgeReading(fuse.Step, v); ok != pass {
			t.Errorf("%v V across the empty holder: %v, expected %v", v, ok, pass)
		}
	}
	// What was left out is asked for again, whatever was done after it.
	states = gates.States(steps, []gates.Record{{Key: "prepare", OK: true}, {Key: "place " + n.Netlist.Modules[1].ID,
		OK: true}})
	if next := assembly.Next(states, ""); next.Key != "place "+n.Netlist.Modules[0].ID {
		t.Errorf("next is %q: expected the module that was left out", next.Key)
	}
}

// In 500 banks no step of the order closes a loop with voltage in it, and what lies within reach is no worse than in
// the
// best of 1000 orders at random.
func TestOrdersOfManyBanks(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for i := range 500 {
		strings, series, mates := 1+r.IntN(2), 2+r.IntN(4), 1+r.IntN(2)
		u, n, _ := floortest.Designed(strings, series, mates)
		d := floor.FromNetlist(n, u, nil)
		s, err := floor.Judge(d, u)
		if err != nil {
			t.Fatal(err)
		}
		net := s.Netlist
		x, err := netlist.Index(net)
		if err != nil {
			t.Fatal(err)
		}
		order := s.Report.BuildOrder
		if len(order) != len(net.Conductors) {
			t.Fatalf("%d steps of %d conductors", len(order), len(net.Conductors))
		}
		l := x.WithCells()
		var links []sequence.Link
		var places []int
		for _, b := range order {
			p, q := x.Point[b.From], x.Point[b.To]
			if fresh, dc, _ := l.Join(p, q, 0, 0); !fresh && dc != 0 {
				t.Fatalf("bank %d: %s closes a loop of %d groups", i, b.Conductor, dc)
			}
			if b.Kind == netlist.Bar {
				places = append(places, len(links))
				links = append(links, sequence.Link{A: p, B: q})
			}
		}
		if len(links) > 12 {
			continue // beyond that the order is found link by link
		}
		cost := func(order []int) (above int, sum float64) {
			parts := sequence.New(len(x.Names))
			for _, c := range x.Cells {
				parts.Join(c.Lo, c.Hi, net.Modules[c.Module].Groups[c.Group].Volts)
			}
			for _, k := range order {
				parts.Join(links[k].A, links[k].B, 0)
				sum += parts.Exposed
				if parts.Exposed > 60 {
					above++
				}
			}
			return above, sum
		}
		above, sum := cost(places)
		for range 1000 {
			r.Shuffle(len(places), func(a, b int) { places[a], places[b] = places[b], places[a] })
			if a, s := cost(places); a < above || a == above && s < sum-1e-6 {
				t.Fatalf("bank %d: an order at random exposes %d steps above, %.1f V in sum: the order of the "+
					"build %d, %.1f",
					i, a, s, above, sum)
			}
		}
	}
}

func ExampleSaid() {
	states := gates.States([]gates.Step{{Key: "prepare", Title: "Prepare the bench"}, {Key: "fit L1",
		Title: "Fit bar L1"}}, []gates.Record{{Key: "prepare", OK: true}})
	fmt.Println(assembly.Said(states, assembly.Next(states, "")))
	// Output: 1 of 2 steps are signed. Now: Fit bar L1.
}
