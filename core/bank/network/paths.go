package network

import (
	"slices"
)

// Edge of the search graph: a cell or a tie; the other index is −1.
type Edge struct {
	To, Tie, Cell int
	Up            bool // a cell passed from its lower to its upper node
}

// Shortest returns the edges of a shortest path from a to any point of goal, nil when there is none.
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

// Distances counts the groups on the way from the nearest of from to every point, −1 where none leads.
func Distances(g [][]Edge, from []int) []int {
	d := make([]int, len(g))
	for i := range d {
		d[i] = -1
	}
	var now, next []int
	for _, p := range from {
		if d[p] < 0 {
			d[p] = 0
			now = append(now, p)
		}
	}
	for n := 0; len(now) > 0; n++ {
		for k := 0; k < len(now); k++ { // ties cost nothing: they grow the list being walked
			for _, e := range g[now[k]] {
				switch {
				case e.Tie >= 0 && d[e.To] < 0:
					d[e.To] = n
					now = append(now, e.To)
				case e.Tie < 0 && d[e.To] < 0:
					next = append(next, e.To)
				}
			}
		}
		now = now[:0]
		for _, p := range next {
			if d[p] < 0 {
				d[p] = n + 1
				now = append(now, p)
			}
		}
		next = nil
	}
	return d
}
