package network_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/bank/network"
)

func ExampleResistance() {
	// Two resistors of 2 mΩ in parallel, one of 3 mΩ after them.
	got := network.Resistance(3, []network.Resistor{{A: 0, B: 1, MOhm: 2}, {A: 0, B: 1, MOhm: 2},
		{A: 1, B: 2, MOhm: 3}}, 0, 2)
	fmt.Printf("%.3f mΩ, converged: %v\n", got.MOhm, got.Converged)
	// Output: 4.000 mΩ, converged: true
}

func ExampleLevels() {
	l := network.NewLevels(3)
	l.Join(0, 1, 1, 3.7) // one group of 3.7 V from 0 up to 1
	l.Join(1, 2, 1, 3.6)
	count, volts, ok := l.Between(0, 2)
	fmt.Printf("%d groups, %.1f V, joined: %v\n", count, volts, ok)
	// Output: 2 groups, 7.3 V, joined: true
}

// Circuits whose resistance is known otherwise.
func TestResistance(t *testing.T) {
	chain := func(n int) (rs []network.Resistor) {
		for i := range n {
			rs = append(rs, network.Resistor{A: i, B: i + 1, MOhm: float64(1 + i%3)})
		}
		return rs
	}
	for _, c := range []struct {
		name     string
		n        int
		rs       []network.Resistor
		from, to int
		want     float64
	}{
		{"one", 2, []network.Resistor{{A: 0, B: 1, MOhm: 0.1}}, 0, 1, 0.1},
		{"the other way round", 2, []network.Resistor{{A: 1, B: 0, MOhm: 0.1}}, 0, 1, 0.1},
		{"in series", 7, chain(6), 0, 6, 12},
		{"in parallel", 2, []network.Resistor{{A: 0, B: 1, MOhm: 6}, {A: 0, B: 1, MOhm: 3}}, 0, 1, 2},
		{"a bridge in balance", 4, []network.Resistor{{A: 0, B: 1, MOhm: 1}, {A: 0, B: 2, MOhm: 2}, {A: 1, B: 3,
			MOhm: 1}, {A: 2, B: 3, MOhm: 2}, {A: 1, B: 2, MOhm: 5}}, 0, 3, 4.0 / 3},
		{"a cube from corner to corner", 8, cube(), 0, 7, 5.0 / 6},
		{"one node", 2, []network.Resistor{{A: 0, B: 1, MOhm: 1}}, 1, 1, 0},
		{"nothing joins them", 4, []network.Resistor{{A: 0, B: 1, MOhm: 1}, {A: 2, B: 3, MOhm: 1}}, 0, 3, 0},
		{"a dead end beside the way", 4, []network.Resistor{{A: 0, B: 1, MOhm: 1}, {A: 1, B: 2, MOhm: 1}, {A: 1, B: 3,
			MOhm: 9}}, 0, 2, 2},
		{"from milliohms to kiloohms", 3, []network.Resistor{{A: 0, B: 1, MOhm: 0.001}, {A: 1, B: 2, MOhm: 1e6}}, 0, 2,
			1e6 + 0.001},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := network.Resistance(c.n, c.rs, c.from, c.to)
			if !got.Converged || math.Abs(got.MOhm-c.want) > 1e-6*max(1, c.want) {
				t.Errorf("%+v, expected %v mΩ", got, c.want)
			}
		})
	}
}

// cube is twelve edges of 1 mΩ; between opposite corners it has 5/6 mΩ.
func cube() (rs []network.Resistor) {
	for a := range 8 {
		for _, bit := range []int{1, 2, 4} {
			if a&bit == 0 {
				rs = append(rs, network.Resistor{A: a, B: a | bit, MOhm: 1})
			}
		}
	}
	return rs
}

// Laws of any network: reciprocity, scaling, and that one more resistor never raises the resistance (Rayleigh).
func TestResistanceLaws(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		n := 3 + rng.IntN(20)
		var rs, tenfold []network.Resistor
		for i := 1; i < n; i++ { // a tree, so that all hangs together, and some loops
			rs = append(rs, network.Resistor{A: rng.IntN(i), B: i, MOhm: 0.05 + rng.Float64()*5})
		}
		for range rng.IntN(2 * n) {
			if a, b := rng.IntN(n), rng.IntN(n); a != b {
				rs = append(rs, network.Resistor{A: a, B: b, MOhm: 0.05 + rng.Float64()*5})
			}
		}
		for _, r := range rs {
			r.MOhm *= 10
			tenfold = append(tenfold, r)
		}
		there, back := network.Resistance(n, rs, 0, n-1), network.Resistance(n, rs, n-1, 0)
		ten := network.Resistance(n, tenfold, 0, n-1)
		less := network.Resistance(n, append(rs, network.Resistor{A: 0, B: n - 1, MOhm: 1}), 0, n-1)
		if !there.Converged || !back.Converged || !ten.Converged || !less.Converged {
			t.Fatalf("not converged: %+v %+v %+v %+v", there, back, ten, less)
		}
		near := func(a, b float64) bool { return math.Abs(a-b) <= 1e-6*max(a, b) }
		parallel := there.MOhm / (1 + there.MOhm)
		if !near(there.MOhm, back.MOhm) || !near(10*there.MOhm, ten.MOhm) || !near(less.MOhm, parallel) {
			t.Errorf("there %v, back %v, tenfold %v, with 1 mΩ beside it %v, expected %v", there.MOhm, back.MOhm,
				ten.MOhm, less.MOhm, parallel)
		}
	}
}

// A loop that contradicts itself is found, whatever was joined first.
func TestLevelsFindContradictions(t *testing.T) {
	for _, order := range [][]int{{0, 1, 2}, {2, 1, 0}, {1, 2, 0}, {0, 2, 1}} {
		t.Run(fmt.Sprint(order), func(t *testing.T) {
			l := network.NewLevels(3)
			joins := [][2]int{{0, 1}, {1, 2}, {0, 2}}
			fresh, d := true, 0
			for _, k := range order {
				up := 1
				if k == 2 {
					up = 1 // two steps would be right
				}
				fresh, d, _ = l.Join(joins[k][0], joins[k][1], up, 0)
			}
			if fresh || d != 1 && d != -1 {
				t.Errorf("fresh %v, contradiction %d", fresh, d)
			}
		})
	}
}

func TestShortestAndDistances(t *testing.T) {
	// 0 –group– 1 –tie– 2 –group– 3, and a tie from 0 to 4 that leads nowhere.
	g := make([][]network.Edge, 5)
	join := func(a, b, tie, cell int) {
		g[a] = append(g[a], network.Edge{To: b, Tie: tie, Cell: cell, Up: true})
		g[b] = append(g[b], network.Edge{To: a, Tie: tie, Cell: cell})
	}
	join(0, 1, -1, 0)
	join(1, 2, 0, -1)
	join(2, 3, -1, 1)
	join(0, 4, 1, -1)
	if p := network.Shortest(g, 0, func(p int) bool { return p == 3 }); len(p) != 3 {
		t.Errorf("%d edges, expected 3", len(p))
	}
	if p := network.Shortest(g, 0, func(p int) bool { return p == 9 }); p != nil {
		t.Errorf("a way to nowhere: %v", p)
	}
	if d := network.Distances(g, []int{0}); fmt.Sprint(d) != "[0 1 1 2 0]" {
		t.Errorf("distances %v", d)
	}
}

func BenchmarkResistance(b *testing.B) {
	var rs []network.Resistor
	const n = 1000
	for i := range n {
		rs = append(rs, network.Resistor{A: i, B: i + 1, MOhm: 0.1}, network.Resistor{A: i, B: i + 1, MOhm: 0.3})
	}
	for b.Loop() {
		if got := network.Resistance(n+1, rs, 0, n); !got.Converged {
			b.Fatal(got)
		}
	}
}
