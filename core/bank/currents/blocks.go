package currents

import (
	"slices"

	"pandrel/core/bank/netlist"
)

// OnLoad tells for each group whether current can flow through it and the load when some ties are open: whether it lies
// in one block with an edge between the terminals (blocks after Hopcroft and Tarjan, Comm. ACM 16, 1973).
//
// In one piece: the stack, the numbers and the lows only mean something together.
func OnLoad(c *netlist.Indexed, open []int) []bool {
	type edge struct{ a, b, cell int }
	var edges []edge
	g := make([][]int, len(c.Names)+2)
	add := func(a, b, cell int) {
		g[a], g[b] = append(g[a], len(edges)), append(g[b], len(edges))
		edges = append(edges, edge{a, b, cell})
	}
	outlet, back := len(c.Names), len(c.Names)+1
	add(outlet, back, -1)
	for _, p := range points(c, c.Net.Terminals.Plus) {
		add(p, outlet, -1)
	}
	for _, p := range points(c, c.Net.Terminals.Minus) {
		add(p, back, -1)
	}
	for i, x := range c.Cells {
		add(x.Lo, x.Hi, i)
	}
	for i, t := range c.Ties {
		if !c.Off[i] && t.Kind != netlist.Precharge && !slices.Contains(open, i) {
			add(t.A, t.B, -1)
		}
	}
	out := make([]bool, len(c.Cells))
	number, low := make([]int, len(g)), make([]int, len(g))
	type frame struct{ point, over, next int }
	used := make([]bool, len(edges))
	var stack []int
	stackOf := []frame{{outlet, -1, 0}}
	number[outlet], low[outlet] = 1, 1
	for count := 1; len(stackOf) > 0; {
		f := &stackOf[len(stackOf)-1]
		if f.next < len(g[f.point]) {
			e := g[f.point][f.next]
			f.next++
			if used[e] {
				continue
			}
			used[e] = true
			stack = append(stack, e)
			to := edges[e].a + edges[e].b - f.point
			if number[to] > 0 {
				low[f.point] = min(low[f.point], number[to])
				continue
			}
			count++
			number[to], low[to] = count, count
			stackOf = append(stackOf, frame{to, e, 0})
			continue
		}
		done := *f
		stackOf = stackOf[:len(stackOf)-1]
		if done.over < 0 {
			break
		}
		up := &stackOf[len(stackOf)-1]
		low[up.point] = min(low[up.point], low[done.point])
		if low[done.point] < number[up.point] {
			continue
		}
		at := len(stack) - 1 // the block that ends here; it lies on top
		for stack[at] != done.over {
			at--
		}
		if block := stack[at:]; slices.Contains(block, 0) {
			for _, e := range block {
				if x := edges[e].cell; x >= 0 {
					out[x] = true
				}
			}
		}
		stack = stack[:at]
	}
	return out
}

func points(c *netlist.Indexed, names []string) (out []int) {
	for _, n := range names {
		out = append(out, c.Point[n])
	}
	return out
}
