package network_test

import (
	"testing"

	"pandrel/core/bank/network"
	"pandrel/golden"
)

// Levels of a ladder whose rungs do not fit, ways through it, and its resistance by the matrix.
func TestWhatANetworkAnswers(t *testing.T) {
	l := network.NewLevels(7)
	type joined struct {
		Fresh bool
		Count int
		Volts float64
	}
	var list []joined
	for _, j := range [][2]int{{0, 1}, {2, 1}, {2, 3}, {0, 3}, {4, 5}, {5, 3}, {4, 0}} {
		fresh, c, v := l.Join(j[0], j[1], 1, 3.3+float64(j[1])/100)
		list = append(list, joined{fresh, c, v})
	}
	var between []joined
	for a := range 7 {
		for b := range 7 {
			c, v, ok := l.Between(a, b)
			between = append(between, joined{ok, c, v})
		}
	}
	g := make([][]network.Edge, 8)
	for i, e := range [][2]int{{0, 1}, {1, 2}, {2, 3}, {0, 4}, {4, 3}, {3, 5}, {5, 6}} {
		g[e[0]] = append(g[e[0]], network.Edge{To: e[1], Tie: i, Cell: -1, Up: true})
		g[e[1]] = append(g[e[1]], network.Edge{To: e[0], Tie: i, Cell: -1})
	}
	var solved []network.Solved
	for to := 1; to < 8; to++ {
		solved = append(solved, network.Resistance(8, cube(), 0, to))
	}
	golden.Same(t, "network", golden.Text([]any{list, between, network.Shortest(g, 0,
		func(p int) bool { return p == 6 }), network.Shortest(g, 0, func(p int) bool { return p == 7 }),
		network.Distances(g, []int{0}), network.Distances(g, []int{2, 6}), solved}))
}
