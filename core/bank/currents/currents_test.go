package currents_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
)

// tangle is a small netlist wired at random.
func tangle(rng *rand.Rand) netlist.Netlist {
	n := netlist.Netlist{}
	var points []string
	for i := range 2 + rng.IntN(2) {
		g := 1 + rng.IntN(2)
		m := netlist.Module{ID: fmt.Sprintf("M%d", i), Posts: map[string]int{"n": 0, "p": g}}
		for range g {
			m.Groups = append(m.Groups, netlist.Group{Volts: 3.7, Ah: 10 + 90*rng.Float64()})
		}
		n.Modules = append(n.Modules, m)
		points = append(points, m.ID+".n", m.ID+".p")
	}
	points = append(points, "A", "B")
	kinds := []netlist.Kind{netlist.Bar, netlist.Cable, netlist.Fuse, netlist.Breaker, netlist.Contactor}
	for i := range 4 + rng.IntN(4) {
		a, b := rng.IntN(len(points)), rng.IntN(len(points))
		if a == b {
			continue
		}
		n.Conductors = append(n.Conductors, netlist.Conductor{ID: fmt.Sprintf("c%d", i), From: points[a], To: points[b],
			Kind: kinds[rng.IntN(len(kinds))], RatingA: finding.Of(float64(10 * (1 + rng.IntN(20))))})
	}
	n.Conductors = append(n.Conductors, netlist.Conductor{ID: "plus", Kind: netlist.Cable, From: points[1], To: "OUT+"},
		netlist.Conductor{ID: "minus", Kind: netlist.Cable, From: points[0], To: "OUT-"})
	n.Terminals = netlist.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}
	return n
}

func index(t *testing.T, n netlist.Netlist) *netlist.Indexed {
	t.Helper()
	c, err := netlist.Index(n)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

type edge struct{ a, b int }

// edges are the ties first, then the groups, and the load last.
func edges(c *netlist.Indexed) (out []edge) {
	for _, t := range c.Ties {
		out = append(out, edge{t.A, t.B})
	}
	for _, x := range c.Cells {
		out = append(out, edge{x.Lo, x.Hi})
	}
	return append(out, edge{c.Point["OUT+"], c.Point["OUT-"]})
}

// loops walks every simple loop by hand, edge by edge, and names it by its edges.
func loops(es []edge, without []int) (out [][]int) {
	seen := map[string]bool{}
	var walk func(start, at int, points, used []int)
	walk = func(start, at int, points, used []int) {
		for e, x := range es {
			if slices.Contains(used, e) || slices.Contains(without, e) || x.a != at && x.b != at {
				continue
			}
			to := x.a + x.b - at
			if to == start {
				l := append(slices.Clone(used), e)
				slices.Sort(l)
				if k := fmt.Sprint(l); len(l) > 1 && !seen[k] {
					seen[k] = true
					out = append(out, l)
				}
				continue
			}
			if !slices.Contains(points, to) {
				walk(start, to, append(slices.Clone(points), to), append(slices.Clone(used), e))
			}
		}
	}
	starts := map[int]bool{}
	for _, x := range es {
		if !starts[x.a] {
			starts[x.a] = true
			walk(x.a, x.a, []int{x.a}, nil)
		}
	}
	return out
}

// Two edges carry one current exactly where every loop that holds one holds the other.
func TestRowsAgreeWithEveryLoop(t *testing.T) {
	for seed := range uint64(250) {
		n := tangle(rand.New(rand.NewPCG(seed, 1)))
		c := index(t, n)
		es := edges(c)
		on := make([][]int, len(es))
		for k, l := range loops(es, nil) {
			for _, e := range l {
				on[e] = append(on[e], k)
			}
		}
		r := currents.RowsOf(c)
		label := append(slices.Clone(r.Tie), append(slices.Clone(r.Cell), r.Load)...)
		for i := range es {
			if (len(on[i]) == 0) != (label[i] == 0) {
				t.Fatalf("seed %d edge %d: on %d loops, label %d", seed, i, len(on[i]), label[i])
			}
			for k := range i {
				if len(on[i]) > 0 && slices.Equal(on[i], on[k]) != (label[i] == label[k]) {
					t.Fatalf("seed %d: edges %d and %d: loops %v and %v, labels %d and %d", seed, k, i, on[k], on[i],
						label[k], label[i])
				}
			}
		}
	}
}

// A group is on the load exactly where a loop holds both.
func TestOnTheLoadAgreesWithEveryLoop(t *testing.T) {
	for seed := range uint64(250) {
		rng := rand.New(rand.NewPCG(seed, 2))
		n := tangle(rng)
		c := index(t, n)
		es := edges(c)
		var open []int
		for i := range c.Ties {
			if rng.IntN(4) == 0 {
				open = append(open, i)
			}
		}
		want := make([]bool, len(c.Cells))
		for _, l := range loops(es, open) {
			if !slices.Contains(l, len(es)-1) {
				continue
			}
			for _, e := range l {
				if k := e - len(c.Ties); k >= 0 && k < len(c.Cells) {
					want[k] = true
				}
			}
		}
		rows := currents.RowsOf(c)
		on := currents.NewOnLoad(c, rows).With(open)
		for i, row := range rows.Cell {
			if on(row) != want[i] {
				t.Fatalf("seed %d, group %d: %v, expected %v", seed, i, on(row), want[i])
			}
		}
	}
}

// What passes for ever is the least sum of ratings of which the opening ends it, whichever devices one tries.
func TestMostIsTheLeastCut(t *testing.T) {
	tried := 0
	for seed := range uint64(400) {
		n := tangle(rand.New(rand.NewPCG(seed, 3)))
		c := index(t, n)
		l := c.WithCells()
		c.JoinTies(l, func(*netlist.Tie) bool { return true })
		var devices []int
		for i := range c.Ties {
			if c.Ties[i].Overcurrent() {
				devices = append(devices, i)
			}
		}
		for i := range c.Ties {
			if c.Ties[i].Overcurrent() {
				continue
			}
			want := 0.0
			for _, near := range []int{c.Ties[i].A, c.Ties[i].B} {
				if _, v, _ := l.Between(c.Point["OUT-"], near); v > 0.1 {
					want = max(want, least(c, i, devices, c.Point["OUT-"], near))
				}
				if _, v, _ := l.Between(c.Point["OUT+"], near); v < -0.1 {
					want = max(want, least(c, i, devices, near, c.Point["OUT+"]))
				}
			}
			got, cut := currents.NewFaults(c, l).Most(i)
			if math.Abs(got-want) > 1e-6 && !(math.IsInf(got, 1) && math.IsInf(want, 1)) {
				t.Fatalf("seed %d tie %s: %v A (%v), expected %v A", seed, c.Ties[i].Name, got, cut, want)
			}
			if want > 0 && !math.IsInf(want, 1) {
				tried++
				sum := 0.0
				for _, k := range devices {
					if slices.Contains(cut, c.Ties[k].Name) {
						sum += *c.Ties[k].Cond.RatingA
					}
				}
				if math.Abs(sum-got) > 1e-6 {
					t.Fatalf("seed %d: %v let %v A pass, not %v A", seed, cut, sum, got)
				}
			}
		}
	}
	if tried < 100 {
		t.Errorf("only %d conductors behind devices", tried)
	}
}

// least tries every set of devices.
func least(c *netlist.Indexed, tie int, devices []int, from, to int) float64 {
	best := math.Inf(1)
	for set := range 1 << len(devices) {
		sum, off := 0.0, []int{tie}
		for k, d := range devices {
			if set>>k&1 == 1 {
				sum += *c.Ties[d].Cond.RatingA
				off = append(off, d)
			}
		}
		if sum < best && !reaches(c, off, from, to) {
			best = sum
		}
	}
	return best
}

// reaches walks over ties both ways and over groups upwards.
func reaches(c *netlist.Indexed, off []int, from, to int) bool {
	seen := map[int]bool{from: true}
	for queue := []int{from}; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		step := func(p int) {
			if !seen[p] {
				seen[p] = true
				queue = append(queue, p)
			}
		}
		for i, t := range c.Ties {
			if !slices.Contains(off, i) && (t.A == at || t.B == at) {
				step(t.A + t.B - at)
			}
		}
		for _, x := range c.Cells {
			if x.Lo == at {
				step(x.Hi)
			}
		}
	}
	return seen[to]
}

// Charge is kept: at every level what all groups carry together is the load's current.
func TestSharesAddUp(t *testing.T) {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"P"}, Minus: []string{"N"}}}
	for i, ah := range []float64{50, 30, 20} {
		n.Modules = append(n.Modules, netlist.Module{ID: fmt.Sprint("M", i), Posts: map[string]int{"n": 0, "p": 2},
			Groups: []netlist.Group{{Volts: 3.7, Ah: ah}, {Volts: 3.7, Ah: ah}}})
		for _, end := range []string{"n", "p"} {
			n.Conductors = append(n.Conductors, netlist.Conductor{ID: fmt.Sprint(end, i), Kind: netlist.Bar,
				From: fmt.Sprint("M", i, ".", end), To: map[string]string{"n": "N", "p": "P"}[end]})
		}
	}
	c := index(t, n)
	l := c.WithCells()
	c.JoinTies(l, func(*netlist.Tie) bool { return true })
	sum := map[int]float64{}
	for i, a := range currents.Shares(c, l, currents.RowsOf(c), 100) {
		sum[c.Cells[i].Group] += a
		if c.Cells[i].Module == 0 && math.Abs(a-50) > 1e-9 {
			t.Errorf("50 Ah of 100 carry %v A of 100", a)
		}
	}
	for g, a := range sum {
		if math.Abs(a-100) > 1e-9 {
			t.Errorf("group %d: %v A together, expected 100", g+1, a)
		}
	}
}

func TestResistanceBetweenModulesOnly(t *testing.T) {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"P"}, Minus: []string{"M.n"}}}
	n.Modules = []netlist.Module{{ID: "M", Posts: map[string]int{"n": 0, "p": 2},
		Groups: []netlist.Group{{Volts: 3.7, MOhm: 1}, {Volts: 3.7, MOhm: 2}}}}
	n.Conductors = []netlist.Conductor{{ID: "c", Kind: netlist.Cable, From: "M.p", To: "P", MOhm: 60}}
	c := index(t, n)
	for want, f := range map[float64]func(*netlist.Tie) float64{
		63: func(t *netlist.Tie) float64 { return t.MOhm },
		3:  func(*netlist.Tie) float64 { return 0 },
	} {
		if got := currents.Resistance(c, c.Point["M.n"], c.Point["P"], f); math.Abs(got-want) > 1e-6 {
			t.Errorf("%v mΩ, expected %v", got, want)
		}
	}
}

func ExampleRowsOf() {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"P"}, Minus: []string{"M.n"}},
		Modules: []netlist.Module{{ID: "M", Posts: map[string]int{"n": 0, "p": 1},
			Groups: []netlist.Group{{Volts: 3.7}}}},
		Conductors: []netlist.Conductor{{ID: "F", Kind: netlist.Fuse, From: "M.p", To: "P"}}}
	c, _ := netlist.Index(n)
	r := currents.RowsOf(c)
	fmt.Println(r.Tie[0] == r.Load, r.Cell[0] == r.Load)
	// Output: true true
}

func BenchmarkRows(b *testing.B) {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"M0.n"}, Minus: []string{"M999.p"}}}
	for i := range 1000 {
		n.Modules = append(n.Modules, netlist.Module{ID: fmt.Sprint("M", i), Posts: map[string]int{"n": 0, "p": 2},
			Groups: []netlist.Group{{Volts: 3.7}, {Volts: 3.7}}})
		if i > 0 {
			n.Conductors = append(n.Conductors, netlist.Conductor{ID: fmt.Sprint("L", i), Kind: netlist.Bar,
				From: fmt.Sprintf("M%d.p", i-1), To: fmt.Sprintf("M%d.n", i)})
		}
	}
	c, err := netlist.Index(n)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		currents.RowsOf(c)
	}
}
