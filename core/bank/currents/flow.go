package currents

import (
	"cmp"
	"math"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
)

// WithoutDevice lists the weakest conductor, by rating, of each row that has no overcurrent device and is not between
// modules only.
func WithoutDevice(c *netlist.Indexed, s Rows) (out []int) {
	fused := map[uint64]bool{}
	for i := range c.Ties {
		if c.Ties[i].Overcurrent() {
			fused[s.Tie[i]] = true
		}
	}
	counts := func(i int) bool {
		t := &c.Ties[i]
		return !c.Off[i] && t.Cond != nil && t.Cond.RatingA != nil && t.Kind != netlist.Bond &&
			t.Kind != netlist.Precharge && s.Tie[i] != 0 && !fused[s.Tie[i]] && (c.Owner[t.A] < 0 || c.Owner[t.B] < 0)
	}
	weakest := map[uint64]int{}
	for i := range c.Ties {
		if !counts(i) {
			continue
		}
		was, ok := weakest[s.Tie[i]]
		by := -1
		if ok {
			by = cmp.Or(cmp.Compare(*c.Ties[i].Cond.RatingA, *c.Ties[was].Cond.RatingA),
				cmp.Compare(c.Ties[i].Name, c.Ties[was].Name))
		}
		if by < 0 {
			weakest[s.Tie[i]] = i
		}
	}
	for _, i := range weakest {
		out = append(out, i)
	}
	slices.Sort(out)
	return out
}

// Most is the largest current, A, that a fault behind a conductor drives through it for ever, with the devices that set
// it. It is +Inf where no device does. l has the levels of the bank.
//
// Method. For a fault from the far end of a conductor to the opposite terminal, what flows through it for ever is the
// greatest flow from that terminal through cells to its near end, where every device passes its rating and all else
// passes anything (maximum flow by shortest augmenting paths: Edmonds and Karp, J. ACM 19, 1972). Where that is without
// limit the conductor lies before every device, which is a matter of its length and not of its rating.
func Most(c *netlist.Indexed, l *network.Levels, tie int) (amps float64, devices []string) {
	t := &c.Ties[tie]
	volts := func(from string, to int) float64 {
		_, v, ok := l.Between(c.Point[from], to)
		if !ok {
			return 0
		}
		return v
	}
	for _, near := range []int{t.A, t.B} {
		f := flowWithout(c, tie)
		if volts(c.Net.Terminals.Minus[0], near) > 0.1 {
			a, cut := f.run(points(c, c.Net.Terminals.Minus), []int{near})
			if a > amps {
				amps, devices = a, cut
			}
		}
		f = flowWithout(c, tie)
		if volts(c.Net.Terminals.Plus[0], near) < -0.1 {
			a, cut := f.run([]int{near}, points(c, c.Net.Terminals.Plus))
			if a > amps {
				amps, devices = a, cut
			}
		}
	}
	return amps, devices
}

// flow is a network of nets that devices and cells join.
type flow struct {
	net  *network.Levels
	arcs []arc // each with its reverse beside it: 2k and 2k+1
	at   map[int][]int
}

// arc has what it still passes, A, and the device it stands for.
type arc struct {
	to   int
	left float64
	name string
}

// flowWithout is the bank without one tie: all that limits nothing is merged.
func flowWithout(c *netlist.Indexed, tie int) *flow {
	f := &flow{net: network.NewLevels(len(c.Names)), at: map[int][]int{}}
	limits := func(t *netlist.Tie) bool { return t.Overcurrent() && t.Cond.RatingA != nil }
	for i := range c.Ties {
		t := &c.Ties[i]
		if !c.Off[i] && i != tie && t.Kind != netlist.Precharge && !limits(t) {
			f.net.Join(t.A, t.B, 0, 0)
		}
	}
	for i := range c.Ties {
		if t := &c.Ties[i]; !c.Off[i] && i != tie && limits(t) {
			f.add(t.A, t.B, *t.Cond.RatingA, *t.Cond.RatingA, t.Name)
		}
	}
	for _, x := range c.Cells {
		f.add(x.Lo, x.Hi, math.Inf(1), 0, "")
	}
	return f
}

func (f *flow) root(p int) int { r, _, _ := f.net.Find(p); return r }

func (f *flow) add(a, b int, there, back float64, name string) {
	a, b = f.root(a), f.root(b)
	f.at[a] = append(f.at[a], len(f.arcs))
	f.arcs = append(f.arcs, arc{b, there, name})
	f.at[b] = append(f.at[b], len(f.arcs))
	f.arcs = append(f.arcs, arc{a, back, name})
}

// run is the greatest flow from any of some points to any of others, with the names of the devices that limit it.
func (f *flow) run(from, to []int) (amps float64, cut []string) {
	goal := map[int]bool{}
	for _, p := range to {
		goal[f.root(p)] = true
	}
	for {
		by, end := f.search(from, goal)
		if end < 0 {
			for a, x := range f.arcs {
				_, inside := by[f.arcs[a^1].to]
				if _, out := by[x.to]; inside && !out && x.name != "" {
					cut = append(cut, x.name)
				}
			}
			slices.Sort(cut)
			return amps, slices.Compact(cut)
		}
		least := math.Inf(1)
		for p := end; by[p] >= 0; p = f.arcs[by[p]^1].to {
			least = min(least, f.arcs[by[p]].left)
		}
		if math.IsInf(least, 1) {
			return least, nil
		}
		amps += least
		for p := end; by[p] >= 0; p = f.arcs[by[p]^1].to {
			f.arcs[by[p]].left -= least
			f.arcs[by[p]^1].left += least
		}
	}
}

// search goes by the shortest way over arcs that still pass something; by is the arc each net was reached over, −1 at
// the start, and end the goal that was found, −1 for none.
func (f *flow) search(from []int, goal map[int]bool) (by map[int]int, end int) {
	by = map[int]int{}
	var queue []int
	for _, p := range from {
		if r := f.root(p); !slices.Contains(queue, r) {
			by[r] = -1
			queue = append(queue, r)
		}
	}
	for k := 0; k < len(queue); k++ {
		if goal[queue[k]] {
			return by, queue[k]
		}
		for _, a := range f.at[queue[k]] {
			if _, was := by[f.arcs[a].to]; !was && f.arcs[a].left > 1e-9 {
				by[f.arcs[a].to] = a
				queue = append(queue, f.arcs[a].to)
			}
		}
	}
	return by, -1
}
