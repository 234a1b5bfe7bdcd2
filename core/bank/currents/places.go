package currents

import (
	"cmp"
	"container/heap"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
)

// PrechargeRelays gives for each pre-charge resistor the kind of the contactor or switch that lies in
// its own branch, "" for none. A branch goes on through points where just two ties end.
func PrechargeRelays(c *netlist.Indexed) []netlist.Kind {
	at := make([][]int, len(c.Names))
	for i, t := range c.Ties {
		if !c.Off[i] {
			at[t.A], at[t.B] = append(at[t.A], i), append(at[t.B], i)
		}
	}
	own := Switched(c)
	out := make([]netlist.Kind, len(c.Ties))
	for i, t := range c.Ties {
		if t.Kind != netlist.Precharge {
			continue
		}
		for _, p := range []int{t.A, t.B} {
			for from := i; c.Owner[p] < 0 && len(at[p]) == 2; {
				next := at[p][0]
				if next == from {
					next = at[p][1]
				}
				n := &c.Ties[next]
				if !own[next] && (n.Kind == netlist.Contactor || n.Kind == netlist.Switch && out[i] == "") {
					out[i] = n.Kind
				}
				if n.Overcurrent() || n.Kind == netlist.Bar || n.Kind == netlist.Cable ||
					n.Kind == netlist.Contactor || n.Kind == netlist.Switch {
					if p = n.A + n.B - p; next == i {
						break
					}
					from = next
					continue
				}
				break
			}
		}
	}
	return out
}

// Reach says how much conductor lies between the cells and an overcurrent device.
type Reach struct {
	c  *netlist.Indexed
	at [][]int // conductors that are no such device, by point
}

// NewReach prepares the questions.
func NewReach(c *netlist.Indexed) *Reach {
	r := &Reach{c, make([][]int, len(c.Names))}
	for i := range c.Ties {
		if t := &c.Ties[i]; !c.Off[i] && !t.Overcurrent() && t.Cond != nil {
			r.at[t.A], r.at[t.B] = append(r.at[t.A], i), append(r.at[t.B], i)
		}
	}
	return r
}

// far is a point on the way and how far it is, mm.
type far struct {
	point int
	mm    float64
}

// MM is the length, mm; ok is false where another device lies between. Lengths not given count as nothing.
//
// Method. Shortest way from both ends of the device to any cell; of points as far, one of a module is taken first, then
// the one with the fewest conductors: a bus with very many ends the search only where nothing nearer does.
func (r *Reach) MM(device int) (mm float64, ok bool) {
	c := r.c
	t := &c.Ties[device]
	before := func(a, b far) int {
		cells := func(p int) int {
			if c.Owner[p] >= 0 {
				return 0
			}
			return 1
		}
		return cmp.Or(cmp.Compare(a.mm, b.mm), cmp.Compare(cells(a.point), cells(b.point)),
			cmp.Compare(len(r.at[a.point]), len(r.at[b.point])), cmp.Compare(a.point, b.point))
	}
	next := &nearest{list: []far{{t.A, 0}, {t.B, 0}}, before: before}
	heap.Init(next)
	done := map[int]bool{}
	for next.Len() > 0 {
		x, _ := heap.Pop(next).(far)
		if c.Owner[x.point] >= 0 {
			return x.mm, true
		}
		if done[x.point] {
			continue
		}
		done[x.point] = true
		for _, i := range r.at[x.point] {
			if i == device {
				continue
			}
			to, length := c.Ties[i].A+c.Ties[i].B-x.point, 0.0
			if l := c.Ties[i].Cond.LengthMM; l != nil {
				length = *l
			}
			if !done[to] {
				heap.Push(next, far{to, x.mm + length})
			}
		}
	}
	return 0, false
}

// nearest is a heap of points on the way.
type nearest struct {
	list   []far
	before func(a, b far) int
}

func (n *nearest) Len() int           { return len(n.list) }
func (n *nearest) Less(i, j int) bool { return n.before(n.list[i], n.list[j]) < 0 }
func (n *nearest) Swap(i, j int)      { n.list[i], n.list[j] = n.list[j], n.list[i] }

// Push and Pop are for package heap.
func (n *nearest) Push(x any) {
	if f, ok := x.(far); ok {
		n.list = append(n.list, f)
	}
}

func (n *nearest) Pop() any {
	last := len(n.list) - 1
	x := n.list[last]
	n.list = n.list[:last]
	return x
}

// FusedBonds are the closed overcurrent devices that hold taps together and nothing else: from tap to tap, or over a
// node that is common to several.
func FusedBonds(c *netlist.Indexed) map[*netlist.Tie]bool {
	meet := network.NewLevels(len(c.Names))
	inner := func(p int) bool { return c.Owner[p] < 0 || Tap(c, p) }
	between := func(t *netlist.Tie) bool {
		return t.Cond != nil && !t.Cond.Open && (t.Overcurrent() || t.Solid()) && inner(t.A) && inner(t.B)
	}
	c.JoinTies(meet, between)
	root := func(p int) int { r, _, _ := meet.Find(p); return r }
	taps, barred := map[int]int{}, notBonds(c, between, root)
	for p := range c.Names {
		if Tap(c, p) {
			taps[root(p)]++
		}
	}
	out := map[*netlist.Tie]bool{}
	for i := range c.Ties {
		if t := &c.Ties[i]; t.Overcurrent() && between(t) && taps[root(t.A)] > 1 && !barred[root(t.A)] {
			out[t] = true
		}
	}
	return out
}

// notBonds are the nodes that are joined to an end of a module, a BMS or a terminal.
func notBonds(c *netlist.Indexed, between func(*netlist.Tie) bool, root func(int) int) map[int]bool {
	barred := map[int]bool{}
	for i := range c.Ties {
		if t := &c.Ties[i]; !between(t) && !c.Off[i] {
			for _, p := range []int{t.A, t.B} {
				if c.Owner[p] < 0 {
					barred[root(p)] = true
				}
			}
		}
	}
	for _, list := range [][]string{c.Net.Terminals.Plus, c.Net.Terminals.Minus, c.Net.Terminals.Earth} {
		for _, name := range list {
			barred[root(c.Point[name])] = true
		}
	}
	return barred
}

// Tap reports whether a point lies between two groups of one module.
func Tap(c *netlist.Indexed, p int) bool {
	m := c.Owner[p]
	return m >= 0 && p != c.Node[m][0] && p != c.Node[m][len(c.Node[m])-1]
}

// MostRating is the largest rating of an overcurrent device that is no bond, A; 0 where none is known.
func MostRating(c *netlist.Indexed) (amps float64) {
	for i := range c.Ties {
		if t := &c.Ties[i]; t.Overcurrent() && t.Cond.RatingA != nil && !(Tap(c, t.A) && Tap(c, t.B)) {
			amps = max(amps, *t.Cond.RatingA)
		}
	}
	return amps
}
