package currents

import (
	"math"

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

// Reach is the length of conductor between the cells and an overcurrent device, mm; ok is false where
// another device lies between. Lengths not given count as nothing.
func Reach(c *netlist.Indexed, device int) (mm float64, ok bool) {
	t := &c.Ties[device]
	dist := map[int]float64{t.A: 0, t.B: 0}
	done := map[int]bool{}
	at := map[int][]int{}
	for i := range c.Ties {
		if !c.Off[i] && i != device && !c.Ties[i].Overcurrent() && c.Ties[i].Cond != nil {
			at[c.Ties[i].A] = append(at[c.Ties[i].A], i)
			at[c.Ties[i].B] = append(at[c.Ties[i].B], i)
		}
	}
	for {
		best, d := -1, math.Inf(1)
		for p, x := range dist {
			if !done[p] && (x < d || x == d && p < best) {
				best, d = p, x
			}
		}
		if best < 0 {
			return 0, false
		}
		if c.Owner[best] >= 0 {
			return d, true
		}
		done[best] = true
		for _, i := range at[best] {
			to := c.Ties[i].A + c.Ties[i].B - best
			length := 0.0
			if l := c.Ties[i].Cond.LengthMM; l != nil {
				length = *l
			}
			if x, known := dist[to]; !known || d+length < x {
				dist[to] = d + length
			}
		}
	}
}

// FusedBonds are the closed overcurrent devices that hold taps together and nothing else: from tap to tap, or over a
// node that is common to several.
//
// In one piece: what is a bond follows from everything that meets at its node.
func FusedBonds(c *netlist.Indexed) map[*netlist.Tie]bool {
	meet := network.NewLevels(len(c.Names))
	inner := func(p int) bool { return c.Owner[p] < 0 || Tap(c, p) }
	between := func(t *netlist.Tie) bool {
		return t.Cond != nil && !t.Cond.Open && (t.Overcurrent() || t.Solid()) && inner(t.A) && inner(t.B)
	}
	c.JoinTies(meet, between)
	root := func(p int) int { r, _, _ := meet.Find(p); return r }
	taps, barred := map[int]int{}, map[int]bool{}
	for p := range c.Names {
		if Tap(c, p) {
			taps[root(p)]++
		}
	}
	for i := range c.Ties { // joined to an end of a module, a BMS or a terminal: not a bond
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
	out := map[*netlist.Tie]bool{}
	for i := range c.Ties {
		if t := &c.Ties[i]; t.Overcurrent() && between(t) && taps[root(t.A)] > 1 && !barred[root(t.A)] {
			out[t] = true
		}
	}
	return out
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
