package currents

import (
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
)

// graph is points joined by edges, of which edge 0 is the load.
type graph struct {
	edges [][2]int
	at    [][]int // edges by point
}

func newGraph(points int) *graph { return &graph{at: make([][]int, points)} }

func (g *graph) add(a, b int) (edge int) {
	edge = len(g.edges)
	if a != b { // a row that hangs on one point is on no way to anywhere else
		g.at[a], g.at[b] = append(g.at[a], edge), append(g.at[b], edge)
	}
	g.edges = append(g.edges, [2]int{a, b})
	return edge
}

// withLoad tells for each edge whether current can flow through it and edge 0 when some edges are off: whether both lie
// in one block (blocks after Hopcroft and Tarjan, Comm. ACM 16, 1973).
func (g *graph) withLoad(off []int) []bool {
	out := make([]bool, len(g.edges))
	number, low := make([]int, len(g.at)), make([]int, len(g.at))
	type frame struct{ point, over, next int }
	used := make([]bool, len(g.edges))
	for _, e := range off {
		used[e] = true
	}
	var stack []int
	begin := g.edges[0][0]
	stackOf := []frame{{begin, -1, 0}}
	number[begin], low[begin] = 1, 1
	for count := 1; len(stackOf) > 0; {
		f := &stackOf[len(stackOf)-1]
		if f.next < len(g.at[f.point]) {
			e := g.at[f.point][f.next]
			f.next++
			if used[e] {
				continue
			}
			used[e] = true
			stack = append(stack, e)
			to := g.edges[e][0] + g.edges[e][1] - f.point
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
				out[e] = true
			}
			return out // every other block is off the load
		}
		stack = stack[:at]
	}
	return out
}

// OnLoad says which groups are on the load when some ties are open. Rows stand for all that carries one current: they
// are on it together, and off it when one of their ties is open. The others are merged, so that a question costs as
// much as there are rows.
type OnLoad struct {
	rows  Rows
	graph *graph
	edge  map[uint64]int // that stands for a row
}

// NewOnLoad prepares the questions.
func NewOnLoad(c *netlist.Indexed, s Rows) *OnLoad {
	o := &OnLoad{rows: s, edge: map[uint64]int{}}
	outlet, back := len(c.Names), len(c.Names)+1
	merged := network.NewLevels(len(c.Names) + 2)
	type half struct {
		a, b  int
		label uint64
	}
	var kept []half
	first := map[uint64]bool{}
	take := func(a, b int, label uint64) {
		if label == 0 || first[label] { // on no circuit, or in a row with one that is kept
			merged.Join(a, b, 0, 0)
			return
		}
		first[label] = true
		kept = append(kept, half{a, b, label})
	}
	for i, x := range c.Cells {
		take(x.Lo, x.Hi, s.Cell[i])
	}
	for i, t := range c.Ties {
		if !c.Off[i] && t.Kind != netlist.Precharge {
			take(t.A, t.B, s.Tie[i])
		}
	}
	root := func(p int) int { r, _, _ := merged.Find(p); return r }
	o.graph = newGraph(len(c.Names) + 2)
	o.graph.add(root(outlet), root(back))
	for _, p := range points(c, c.Net.Terminals.Plus) {
		o.graph.add(root(p), root(outlet))
	}
	for _, p := range points(c, c.Net.Terminals.Minus) {
		o.graph.add(root(p), root(back))
	}
	for _, k := range kept {
		o.edge[k.label] = o.graph.add(root(k.a), root(k.b))
	}
	return o
}

// With says for each row whether it is on the load while some ties are open.
func (o *OnLoad) With(open []int) func(row uint64) bool {
	var off []int
	for _, t := range open {
		if e, ok := o.edge[o.rows.Tie[t]]; ok && o.rows.Tie[t] != 0 {
			off = append(off, e)
		}
	}
	on := o.graph.withLoad(off)
	return func(row uint64) bool {
		e, ok := o.edge[row]
		return ok && on[e]
	}
}

func points(c *netlist.Indexed, names []string) (out []int) {
	for _, n := range names {
		out = append(out, c.Point[n])
	}
	return out
}
