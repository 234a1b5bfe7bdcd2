package network

import (
	"slices"
)

// Edge of the search graph: a cell or a tie; the other index is −1.
type Edge struct {
	To, Tie, Cell int
	Up            bool // a cell passed from its lower to its upper node
}

// Shortest returns the edges of a shortest path from a to any point of goal, nil when there is
// none.
func Shortest(g [][]Edge, a int, goal func(int) bool) []Edge {
	type back struct{ point, edge int }
	came := make([]back, len(g))
	for i := range came {
		came[i] = back{-1, -1}
	}
	came[a] = back{a, -1}
	queue := []int{a}
	for len(queue) > 0 {
		p := queue[0]
		queue = queue[1:]
		if goal(p) {
			var path []Edge
			for p != a {
				b := came[p]
				path = append(path, g[b.point][b.edge])
				p = b.point
			}
			slices.Reverse(path)
			return path
		}
		for k, e := range g[p] {
			if came[e.To].point < 0 {
				came[e.To] = back{p, k}
				queue = append(queue, e.To)
			}
		}
	}
	return nil
}
