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

// Faults answers what a fault behind a conductor draws for ever.
//
// Method. For a fault from the far end of a conductor to the opposite terminal, what flows through it for ever is the
// greatest flow from that terminal through cells to its near end, where every device passes its rating and all else
// passes anything. Where that is without limit the conductor lies before every device, which is a matter of its length
// and not of its rating.
//
// Most often only what is around the near end decides: all that reaches it without a device is one place, and where
// each device at the border of that place has the cells behind it without another device, their ratings add up. Else
// the whole bank is asked (maximum flow in layers: Dinic, Soviet Math. Doklady 11, 1970).
type Faults struct {
	c      *netlist.Indexed
	levels *network.Levels
	ties   [][]int // by point, those that are closed and no pre-charge
	up     [][]int // points that a cell's plus end reaches, by its minus end
	down   [][]int // and the other way round
	none   [][]int // no cells
	limit  []bool  // by tie: a device that passes its rating and no more
	fed    []bool  // reached from the minus terminals without a device
	feeds  []bool  // reaches the plus terminals without one
	seen   []int   // stamp of the last question that came by
	stamp  int
	looked int // points, in all questions
}

// Looked is how many points were looked at so far: what the questions cost.
func (f *Faults) Looked() int { return f.looked }

// NewFaults prepares the questions; l has the levels of the bank.
func NewFaults(c *netlist.Indexed, l *network.Levels) *Faults {
	n := len(c.Names)
	f := &Faults{c: c, levels: l, ties: make([][]int, n), up: make([][]int, n), down: make([][]int, n),
		none: make([][]int, n), limit: make([]bool, len(c.Ties)), seen: make([]int, n)}
	for i := range c.Ties {
		f.limit[i] = bounds(&c.Ties[i])
		if t := &c.Ties[i]; !c.Off[i] && t.Kind != netlist.Precharge {
			f.ties[t.A], f.ties[t.B] = append(f.ties[t.A], i), append(f.ties[t.B], i)
		}
	}
	for _, x := range c.Cells {
		f.up[x.Lo], f.down[x.Hi] = append(f.up[x.Lo], x.Hi), append(f.down[x.Hi], x.Lo)
	}
	all := func(from []int, over [][]int) []bool {
		out := make([]bool, n)
		place, _ := f.place(from, over, -1, nil)
		for _, p := range place {
			out[p] = true
		}
		return out
	}
	f.fed = all(points(c, c.Net.Terminals.Minus), f.up)
	f.feeds = all(points(c, c.Net.Terminals.Plus), f.down)
	return f
}

// bounds reports whether a tie is a device that passes its rating and no more.
func bounds(t *netlist.Tie) bool { return t.Overcurrent() && t.Cond.RatingA != nil }

// place is all that is joined to some points without a device and without one tie, through cells the one way. Met is
// whether one of the goals is in it; then it is not whole.
// What belongs to a place with one of the known stamps is left out.
func (f *Faults) place(from []int, cells [][]int, without int, goals []int, known ...int) (place []int, met bool) {
	f.stamp++
	take := func(p int) {
		if mark := f.seen[p]; mark != f.stamp && !slices.Contains(known, mark) {
			f.seen[p] = f.stamp
			place = append(place, p)
		}
	}
	for _, p := range from {
		take(p)
	}
	stack := slices.Clone(place) // the way that was found last is followed first: a goal far off is found soon
	for len(stack) > 0 {
		p := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if slices.Contains(goals, p) {
			return place, true
		}
		was := len(place)
		for _, i := range f.ties[p] {
			if i != without && !f.limit[i] {
				take(f.c.Ties[i].A + f.c.Ties[i].B - p)
			}
		}
		for _, q := range cells[p] {
			take(q)
		}
		stack = append(stack, place[was:]...)
	}
	f.looked += len(place)
	return place, false
}

// Most is the largest current, A, that a fault behind a conductor drives through it for ever, with the devices that set
// it. It is +Inf where no device does.
func (f *Faults) Most(tie int) (amps float64, devices []string) {
	c := f.c
	t := &c.Ties[tie]
	volts := func(from string, to int) float64 {
		_, v, ok := f.levels.Between(c.Point[from], to)
		if !ok {
			return 0
		}
		return v
	}
	minus, plus := points(c, c.Net.Terminals.Minus), points(c, c.Net.Terminals.Plus)
	for _, near := range []int{t.A, t.B} {
		var a float64
		var cut []string
		var ok bool
		if volts(c.Net.Terminals.Minus[0], near) > 0.1 {
			if a, cut, ok = f.around(tie, near, side{f.down, f.up, minus, f.fed, true}); !ok {
				f.looked += len(c.Names)
				a, cut = flowWithout(c, tie).run(minus, []int{near})
			}
			if a > amps {
				amps, devices = a, cut
			}
		}
		if volts(c.Net.Terminals.Plus[0], near) < -0.1 {
			if a, cut, ok = f.around(tie, near, side{f.up, f.down, plus, f.feeds, false}); !ok {
				f.looked += len(c.Names)
				a, cut = flowWithout(c, tie).run([]int{near}, plus)
			}
			if a > amps {
				amps, devices = a, cut
			}
		}
	}
	return amps, devices
}

// side is one way to ask: towards the near end from the minus terminals, or from it towards the plus terminals.
type side struct {
	cells     [][]int // points that a cell joins to one, away from the near end
	back      [][]int // and towards it
	terminals []int
	free      []bool // joined to the terminals without a device
	source    bool   // the terminals are where it comes from
}

// border lists the devices that join a place, marked by its stamp, to what is outside of it.
func (f *Faults) border(place []int, tie int) (out []edgeOut) {
	for _, p := range place {
		for _, i := range f.ties[p] {
			if i == tie || !f.limit[i] {
				continue
			}
			if beyond := f.c.Ties[i].A + f.c.Ties[i].B - p; f.seen[beyond] != f.seen[p] {
				out = append(out, edgeOut{i, beyond})
			}
		}
	}
	return out
}

// edgeOut is a device at the border of a place, and the point beyond it.
type edgeOut struct{ tie, beyond int }

// dead reports whether nothing comes from beyond a device but what is known already: what lies there leads nowhere
// else.
// What was said of a place holds for all that is in it; of a part of one that leads somewhere nothing better is known.
func (f *Faults) dead(said map[int]bool, x edgeOut, tie int, s side, known ...int) bool {
	if dead, was := said[f.seen[x.beyond]]; was {
		return dead
	}
	place, met := f.place([]int{x.beyond}, s.cells, tie, s.terminals, known...)
	dead := !met && !slices.ContainsFunc(f.border(place, tie), func(b edgeOut) bool {
		return !slices.Contains(known, f.seen[b.beyond])
	})
	said[f.seen[x.beyond]] = dead
	return dead
}

// around tries to answer by what is around one end of a tie: the place of the near end, the devices at its border, and
// where these do not end at what the terminals reach without a device, the one place behind them. Where more would have
// to be looked at, or the tie itself may be part of what is free, nothing is said.
func (f *Faults) around(tie, near int, s side) (amps float64, devices []string, ok bool) {
	place, met := f.place([]int{near}, s.cells, tie, s.terminals)
	if met {
		return math.Inf(1), nil, true
	}
	if t := &f.c.Ties[tie]; !bounds(t) && (s.free[t.A] || s.free[t.B]) {
		return 0, nil, false
	}
	here := f.stamp
	said := map[int]bool{}
	var inner, between []edgeOut // to what is free, and to what is not
	for _, x := range f.border(place, tie) {
		switch {
		case s.free[x.beyond]:
			inner = append(inner, x)
		case !f.dead(said, x, tie, s, here):
			between = append(between, x)
		}
	}
	amps, devices = f.sum(inner)
	if len(between) == 0 {
		return amps, sorted(devices), true
	}
	var entries []int
	for _, x := range between {
		entries = append(entries, x.beyond)
	}
	behind, met := f.place(entries, s.cells, tie, s.terminals, here)
	there := f.stamp
	if met {
		return 0, nil, false
	}
	said = map[int]bool{}
	var outer []edgeOut
	for _, x := range f.border(behind, tie) {
		switch {
		case f.seen[x.beyond] == here:
		case s.free[x.beyond]:
			outer = append(outer, x)
		case !f.dead(said, x, tie, s, here, there):
			return 0, nil, false
		}
	}
	if len(outer) > 0 && !f.reach(outer, entries, tie, s) {
		return 0, nil, false
	}
	b, bNames := f.sum(between)
	o, oNames := f.sum(outer)
	if o < b || s.source && o == b {
		b, bNames = o, oNames
	}
	return amps + b, sorted(append(devices, bNames...)), true
}

// reach reports whether each of the outer devices reaches each of the points between, and all of them end at one point.
func (f *Faults) reach(outer []edgeOut, entries []int, tie int, s side) bool {
	t := &f.c.Ties[outer[0].tie]
	from := t.A + t.B - outer[0].beyond
	f.place([]int{from}, s.back, tie, nil)
	for _, p := range entries {
		if f.seen[p] != f.stamp {
			return false
		}
	}
	one, _ := f.place([]int{from}, f.none, tie, nil) // all of them end at one point
	for _, x := range outer[1:] {
		t := &f.c.Ties[x.tie]
		if f.seen[t.A+t.B-x.beyond] != f.seen[one[0]] {
			return false
		}
	}
	return true
}

func (f *Faults) sum(list []edgeOut) (amps float64, names []string) {
	for _, x := range list {
		amps += *f.c.Ties[x.tie].Cond.RatingA
		names = append(names, f.c.Ties[x.tie].Name)
	}
	return amps, names
}

func sorted(names []string) []string {
	slices.Sort(names)
	return slices.Compact(names)
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
	for i := range c.Ties {
		t := &c.Ties[i]
		if !c.Off[i] && i != tie && t.Kind != netlist.Precharge && !bounds(t) {
			f.net.Join(t.A, t.B, 0, 0)
		}
	}
	for i := range c.Ties {
		if t := &c.Ties[i]; !c.Off[i] && i != tie && bounds(t) {
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
		layer, reached := f.layers(from, goal)
		if !reached {
			for a, x := range f.arcs {
				_, inside := layer[f.arcs[a^1].to]
				if _, out := layer[x.to]; inside && !out && x.name != "" {
					cut = append(cut, x.name)
				}
			}
			slices.Sort(cut)
			return amps, slices.Compact(cut)
		}
		tried := map[int]int{} // arcs of each net that lead nowhere in these layers
		for _, start := range from {
			var way []int // arcs
			for at := f.root(start); ; {
				if goal[at] {
					least := math.Inf(1)
					for _, a := range way {
						least = min(least, f.arcs[a].left)
					}
					if math.IsInf(least, 1) {
						return least, nil
					}
					amps += least
					for _, a := range way {
						f.arcs[a].left -= least
						f.arcs[a^1].left += least
					}
					way, at = way[:0], f.root(start)
					continue
				}
				arcs, k := f.at[at], tried[at]
				for k < len(arcs) && !(f.arcs[arcs[k]].left > 1e-9 && layer[f.arcs[arcs[k]].to] == layer[at]+1) {
					k++
				}
				tried[at] = k
				switch {
				case k < len(arcs):
					way = append(way, arcs[k])
					at = f.arcs[arcs[k]].to
					continue
				case len(way) > 0: // back, and past this arc
					at = f.arcs[way[len(way)-1]^1].to
					way = way[:len(way)-1]
					tried[at]++
					continue
				}
				break
			}
		}
	}
}

// layers numbers the nets by how many arcs they are away over arcs that still pass something, from 1 on.
func (f *flow) layers(from []int, goal map[int]bool) (layer map[int]int, reached bool) {
	layer = map[int]int{}
	var queue []int
	for _, p := range from {
		if r := f.root(p); layer[r] == 0 {
			layer[r] = 1
			queue = append(queue, r)
		}
	}
	for k := 0; k < len(queue); k++ {
		reached = reached || goal[queue[k]]
		for _, a := range f.at[queue[k]] {
			if to := f.arcs[a].to; layer[to] == 0 && f.arcs[a].left > 1e-9 {
				layer[to] = layer[queue[k]] + 1
				queue = append(queue, to)
			}
		}
	}
	return layer, reached
}
