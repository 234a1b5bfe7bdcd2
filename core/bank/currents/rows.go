package currents

import (
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
)

// Rows sorts the edges of the bank into classes that carry one and the same current: two edges are
// of one class when cutting both, and neither alone, takes the circuit apart.
//
// Method. Every edge outside a spanning forest gets a label of 64 mixed bits; an edge of the forest
// gets the exclusive or of the labels of all circuits that run through it. Edges of equal label lie on
// the same circuits; label 0 lies on none. Cost is linear. A false match has the odds of 1 in 2⁶⁴ for
// each pair (after Pritchard and Thurimella, ACM Trans. Algorithms 7, 2011).
type Rows struct {
	Tie  []uint64 // label of each tie
	Cell []uint64 // label of each group
	Load uint64   // label of the load between the terminals, 0 where there is none
}

// mix spreads the bits of an edge's number: the finaliser of splitmix64 (Steele, Lea and Flood 2014).
func mix(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// RowsOf labels the bank with a load between each plus and each minus terminal.
//
// In one piece: the labels are summed up one side of a tree and compared on the other; apart neither half says
// anything.
func RowsOf(c *netlist.Indexed) Rows {
	s := Rows{Tie: make([]uint64, len(c.Ties)), Cell: make([]uint64, len(c.Cells))}
	type half struct {
		to    int
		label *uint64
		id    uint64
	}
	outlet, back := len(c.Names), len(c.Names)+1 // where all plus terminals, and all minus terminals, meet
	g := make([][]half, len(c.Names)+2)
	next := uint64(0)
	add := func(a, b int, label *uint64) {
		next++
		g[a] = append(g[a], half{b, label, next})
		g[b] = append(g[b], half{a, label, next})
	}
	for i, x := range c.Cells {
		add(x.Lo, x.Hi, &s.Cell[i])
	}
	for i, t := range c.Ties {
		if !c.Off[i] {
			add(t.A, t.B, &s.Tie[i])
		}
	}
	// All terminals stand on one load, so that a second outlet or a charger is another way to it and makes no second
	// string of the cells.
	var ways []uint64
	var load uint64
	if plus, minus := c.Net.Terminals.Plus, c.Net.Terminals.Minus; len(plus) > 0 && len(minus) > 0 {
		ways = make([]uint64, len(plus)+len(minus))
		add(outlet, back, &load)
		for i, p := range plus {
			add(c.Point[p], outlet, &ways[i])
		}
		for i, m := range minus {
			add(c.Point[m], back, &ways[len(plus)+i])
		}
	}
	acc := make([]uint64, len(g))
	seen := make([]bool, len(g))
	used := make([]bool, next+1)
	type visit struct {
		point, parent int
		up            *uint64
	}
	for root := range g {
		if seen[root] {
			continue
		}
		seen[root] = true
		order := []visit{{root, -1, nil}}
		for k := 0; k < len(order); k++ {
			p := order[k].point
			for _, h := range g[p] {
				if used[h.id] {
					continue
				}
				used[h.id] = true
				if !seen[h.to] {
					seen[h.to] = true
					order = append(order, visit{h.to, p, h.label})
					continue
				}
				r := mix(h.id)
				*h.label = r
				acc[p] ^= r
				acc[h.to] ^= r
			}
		}
		for k := len(order) - 1; k > 0; k-- {
			v := order[k]
			*v.up = acc[v.point]
			acc[v.parent] ^= acc[v.point]
		}
	}
	s.Load = load
	return s
}

// Strings returns, by label, the numbers of the groups of each class that is a string beside others:
// two or more modules, or one with a BMS of its own, that carry a current which is not the whole load's.
func (s Rows) Strings(c *netlist.Indexed) map[uint64][]int {
	cells := map[uint64][]int{}
	modules := map[uint64]map[int]bool{}
	for i, x := range c.Cells {
		l := s.Cell[i]
		if l == 0 || l == s.Load {
			continue
		}
		cells[l] = append(cells[l], i)
		if modules[l] == nil {
			modules[l] = map[int]bool{}
		}
		modules[l][x.Module] = true
	}
	own := map[uint64]bool{}
	switched := Switched(c)
	for i, t := range c.Ties {
		if t.Kind == netlist.BMSTie || switched[i] { // also where it is not known whether it opens
			own[s.Tie[i]] = true
		}
	}
	for l := range cells {
		if len(modules[l]) < 2 && !own[l] {
			delete(cells, l)
		}
	}
	return cells
}

// Switched returns which ties a BMS opens: its own path, or a contactor that it names. A bar, cable, fuse or hand
// switch that is named opens nothing when the BMS asks, nor does a BMS of which nothing is known.
func Switched(c *netlist.Indexed) map[int]bool {
	out := map[int]bool{}
	for _, ties := range Opens(c) {
		for _, t := range ties {
			out[t] = true
		}
	}
	return out
}

// Opens are the ties that each BMS opens.
func Opens(c *netlist.Indexed) [][]int {
	out := make([][]int, len(c.Net.BMS))
	named := map[string][]int{}
	for i := range c.Ties {
		t := &c.Ties[i]
		if t.BMS >= 0 && t.BMS < len(out) && c.Net.BMS[t.BMS].OwnPath() {
			out[t.BMS] = append(out[t.BMS], i)
		} else if t.Cond != nil && t.Kind == netlist.Contactor {
			named[t.Name] = append(named[t.Name], i)
		}
	}
	for i, b := range c.Net.BMS {
		if b.Switch != nil {
			out[i] = append(out[i], named[*b.Switch]...)
			slices.Sort(out[i])
		}
	}
	return out
}

// Weakest is the conductor with the least rating of each set that lies in a row.
func (s Rows) Weakest(c *netlist.Indexed) map[uint64]*netlist.Tie {
	out := map[uint64]*netlist.Tie{}
	for i := range c.Ties {
		t := &c.Ties[i]
		if t.Cond == nil || t.Cond.RatingA == nil {
			continue
		}
		if w := out[s.Tie[i]]; w == nil || *t.Cond.RatingA < *w.Cond.RatingA {
			out[s.Tie[i]] = t
		}
	}
	return out
}

// MOhms are the resistances of strings, each of its own groups and conductors, by label.
func (s Rows) MOhms(c *netlist.Indexed, strings map[uint64][]int, mOhm func(*netlist.Tie) float64) map[uint64]float64 {
	out := map[uint64]float64{}
	for l, cells := range strings {
		for _, i := range cells {
			x := c.Cells[i]
			out[l] += c.Net.Modules[x.Module].Groups[x.Group].MOhm
		}
	}
	for i := range c.Ties {
		if _, ok := strings[s.Tie[i]]; ok {
			out[s.Tie[i]] += mOhm(&c.Ties[i])
		}
	}
	return out
}

// Shares is the part of the load's current, A, that each group carries: a string its part by number, groups that stand
// in parallel theirs by capacity. All groups of one level of l, the levels of the bank, carry the whole together. It is
// 0 where nothing flows, and where a capacity is not known.
func Shares(c *netlist.Indexed, l *network.Levels, s Rows, amps float64) []float64 {
	all := s.Strings(c)
	level := func(x netlist.Cell) [2]int {
		root, n, _ := l.Find(x.Lo)
		return [2]int{root, n}
	}
	beside := map[[2]int]float64{} // capacity of a level
	ah := func(x netlist.Cell) float64 { return c.Net.Modules[x.Module].Groups[x.Group].Ah }
	for i, x := range c.Cells {
		if s.Cell[i] != 0 {
			beside[level(x)] += ah(x)
		}
	}
	out := make([]float64, len(c.Cells))
	for i, x := range c.Cells {
		switch _, row := all[s.Cell[i]]; {
		case s.Cell[i] == 0:
		case s.Cell[i] == s.Load:
			out[i] = amps
		case row:
			out[i] = amps / float64(len(all))
		case ah(x) > 0:
			out[i] = amps * ah(x) / beside[level(x)]
		}
	}
	return out
}
