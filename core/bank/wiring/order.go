package wiring

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// exactLinks is the number of links up to which every order is compared.
const exactLinks = 12

// phase puts power links first, then bonds, then shunts, switches and pre-charge, then overcurrent
// devices, so that no circuit closes while one works inside it.
func phase(kind netlist.Kind) int {
	switch kind {
	case netlist.Bar, netlist.Cable:
		return 0
	case netlist.Bond:
		return 1
	case netlist.Fuse, netlist.Breaker:
		return 3
	}
	return 2
}

// buildOrder lists the conductors that are not fitted yet (all of them when the file does not say)
// in an order that keeps the exposed voltage low for as long as possible. Orders are compared by
// the number of steps above the touch limit, then by the sum of exposed volts; up to 12 links in a
// phase exactly, above that link by link.
func (c *checker) buildOrder() {
	planned := slices.ContainsFunc(c.Net.Conductors, func(k netlist.Conductor) bool {
		return k.Installed != nil &&
			!*k.Installed
	})
	todo := func(i int) bool { k := c.Net.Conductors[i]; return !planned || k.Installed != nil && !*k.Installed }
	b := newBuild(c)
	phases := make([][]int, 4)
	for i := range c.Net.Conductors {
		switch {
		case c.Off[i]:
		case !todo(i):
			b.fit(i)
		default:
			p := phase(c.Net.Conductors[i].Kind)
			phases[p] = append(phases[p], i)
		}
	}
	for _, links := range phases {
		var order []int
		if len(links) <= exactLinks {
			order = b.exact(links)
		} else {
			order = b.greedy(links)
		}
		for _, i := range order {
			c.r.BuildOrder = append(c.r.BuildOrder, c.step(b, i))
		}
	}
}

// build is the bank as far as it is put together: each point's part, and its volts within it.
type build struct {
	c       *checker
	part    []int
	volts   []float64
	members [][]int
	low     []float64
	high    []float64
	exposed float64
	// live joins what conducts while building, with switches, relays and BMS open; on joins as if all
	// that is fitted were switched on.
	live, on *network.Levels
}

func newBuild(c *checker) *build {
	n := len(c.Names)
	b := &build{c: c, part: make([]int, n), volts: make([]float64, n), members: make([][]int, n),
		low: make([]float64, n), high: make([]float64, n)}
	for p := range n {
		b.part[p], b.members[p] = p, []int{p}
	}
	for _, x := range c.Cells {
		b.merge(x.Lo, x.Hi, c.Net.Modules[x.Module].Groups[x.Group].Volts)
	}
	b.live, b.on = c.WithCells(), c.WithCells()
	c.JoinTies(b.on, func(t *netlist.Tie) bool { return t.Cond == nil })
	return b
}

func (b *build) clone() *build {
	d := *b
	d.part, d.volts, d.low, d.high = slices.Clone(b.part), slices.Clone(b.volts), slices.Clone(b.low),
		slices.Clone(b.high)
	d.members = slices.Clone(b.members)
	for i := range d.members {
		d.members[i] = slices.Clone(d.members[i])
	}
	return &d
}

// merge joins the parts of p and q with q at volts above p. Parts that are one already stay.
func (b *build) merge(p, q int, volts float64) {
	x, y := b.part[p], b.part[q]
	if x == y {
		return
	}
	shift := b.volts[p] + volts - b.volts[q] // to y's points
	if len(b.members[x]) < len(b.members[y]) {
		x, y, shift = y, x, -shift
	}
	for _, m := range b.members[y] {
		b.part[m] = x
		b.volts[m] += shift
	}
	b.members[x] = append(b.members[x], b.members[y]...)
	b.members[y] = nil
	b.low[x], b.high[x] = min(b.low[x], b.low[y]+shift), max(b.high[x], b.high[y]+shift)
	b.exposed = max(b.exposed, b.high[x]-b.low[x])
}

func (b *build) fit(i int) {
	t := &b.c.Ties[i]
	b.on.Join(t.A, t.B, 0, 0)
	if t.Kind != netlist.Switch && t.Kind != netlist.Contactor {
		b.live.Join(t.A, t.B, 0, 0)
	}
	b.place(i)
}

// place joins the parts that tie i meets, for what is within reach.
func (b *build) place(i int) { b.merge(b.c.Ties[i].A, b.c.Ties[i].B, 0) }

// after is the exposed voltage and the span of the joined part once conductor i is fitted.
func (b *build) after(i int) (exposed, span float64) {
	p, q := b.c.Ties[i].A, b.c.Ties[i].B
	x, y := b.part[p], b.part[q]
	if x == y {
		return b.exposed, b.high[x] - b.low[x]
	}
	shift := b.volts[p] - b.volts[q]
	span = max(b.high[x], b.high[y]+shift) - min(b.low[x], b.low[y]+shift)
	return max(b.exposed, span), span
}

func (b *build) greedy(links []int) []int {
	b = b.clone()
	left := slices.Clone(links)
	var out []int
	for len(left) > 0 {
		best, bestE, bestS := 0, math.Inf(1), math.Inf(1)
		for k, i := range left {
			e, s := b.after(i)
			if e < bestE-1e-9 || e < bestE+1e-9 && s < bestS-1e-9 {
				best, bestE, bestS = k, e, s
			}
		}
		b.place(left[best])
		out = append(out, left[best])
		left = slices.Delete(left, best, best+1)
	}
	return out
}

// exact finds the best order by dynamic programming over the sets of links fitted so far: the
// exposed voltage depends on the set alone, not on its order.
func (b *build) exact(links []int) []int {
	n := len(links)
	if n == 0 {
		return nil
	}
	type best struct {
		above int
		sum   float64
		last  int
	}
	exposed := b.exposedBySet(links)
	table := make([]best, 1<<n)
	for set := 1; set < 1<<n; set++ {
		table[set] = best{math.MaxInt, 0, -1}
		for k := range n {
			if set&(1<<k) == 0 {
				continue
			}
			was := table[set&^(1<<k)]
			now := best{was.above, was.sum + exposed[set], k}
			if exposed[set] > limits.TouchDryVolts {
				now.above++
			}
			// Of equals the one that fits the later link last, so that file order is kept.
			if t := table[set]; now.above < t.above || now.above == t.above && now.sum < t.sum-1e-9 ||
				now.above == t.above && now.sum < t.sum+1e-9 && k > t.last {
				table[set] = now
			}
		}
	}
	out := make([]int, n)
	for set, i := 1<<n-1, n-1; i >= 0; i-- {
		k := table[set].last
		out[i] = links[k]
		set &^= 1 << k
	}
	return out
}

// exposedBySet returns the exposed voltage for every set of links fitted, by bit mask. It works on
// the few parts that the links touch.
func (b *build) exposedBySet(links []int) []float64 {
	local := map[int]int{}
	var low, high []float64
	part := func(p int) int {
		k, ok := local[b.part[p]]
		if !ok {
			k = len(low)
			local[b.part[p]] = k
			low, high = append(low, b.low[b.part[p]]), append(high, b.high[b.part[p]])
		}
		return k
	}
	type tie struct {
		x, y int
		rise float64 // of y's volts to meet x's
	}
	ties := make([]tie, len(links))
	for k, i := range links {
		p, q := b.c.Ties[i].A, b.c.Ties[i].B
		ties[k] = tie{part(p), part(q), b.volts[p] - b.volts[q]}
	}
	n := len(low)
	label, off, lo, hi := make([]int, n), make([]float64, n), make([]float64, n), make([]float64, n)
	out := make([]float64, 1<<len(links))
	for set := range out {
		for i := range n {
			label[i], off[i], lo[i], hi[i] = i, 0, low[i], high[i]
		}
		most := b.exposed
		for k, t := range ties {
			x, y := label[t.x], label[t.y]
			if set&(1<<k) == 0 || x == y {
				continue
			}
			shift := off[t.x] + t.rise - off[t.y]
			for i := range n {
				if label[i] == y {
					label[i] = x
					off[i] += shift
				}
			}
			lo[x], hi[x] = min(lo[x], lo[y]+shift), max(hi[x], hi[y]+shift)
			most = max(most, hi[x]-lo[x])
		}
		out[set] = most
	}
	return out
}

// step fits conductor i and says what to measure before. Where it closes a parallel that conducts
// already, that is the difference across the gap it bridges. Where the parallel closes through open
// switches the gap floats, and the totals of the two strings are compared. An overcurrent device is
// measured across its empty holder. Any other brings in a module, whose voltage proves its polarity.
func (c *checker) step(b *build, i int) BuildStep {
	t := &c.Ties[i]
	k := t.Cond
	s := BuildStep{Conductor: k.ID, Kind: k.Kind, From: k.From, To: k.To, Red: k.To, Black: k.From}
	p, q := t.A, t.B
	across := func(text string) {
		s.LowV, s.HighV = -limits.JoinVolts, limits.JoinVolts
		s.Measure = fmt.Sprintf(text, k.To, k.From)
	}
	_, _, live := b.live.Between(p, q)
	_, _, on := b.on.Between(p, q)
	switch {
	case live:
		s.Parallels = true
		across("Across the gap, %s to %s.")
	case on && b.hasCells(p) && b.hasCells(q):
		s.Parallels, s.Level = true, true
		c.levelling(b, &s, p, q)
	case t.Overcurrent():
		across("Across the empty holder, %s to %s, load side dead: no voltage.")
	default:
		m := c.Owner[q]
		if m < 0 {
			m = c.Owner[p]
		}
		if m < 0 {
			across("%s to %s: no voltage.")
			break
		}
		neg, pos := c.Node[m][0], c.Node[m][len(c.Node[m])-1]
		v := 0.0
		for _, g := range c.Net.Modules[m].Groups {
			v += g.Volts
		}
		s.Red, s.Black = c.probe(pos), c.probe(neg)
		s.LowV, s.HighV = numeral.Round3(v-limits.StepTolerance(v)), numeral.Round3(v+limits.StepTolerance(v))
		s.Measure = fmt.Sprintf("%s to %s, red on %s.", s.Red, s.Black, s.Red)
	}
	b.fit(i)
	s.ExposedV = numeral.Round3(b.exposed)
	return s
}

// probe is where to put a probe on a point: the name by which a power conductor meets it, which is a post
// where the module has one, else any.
func (c *checker) probe(p int) string {
	if c.posts == nil {
		c.posts = map[int]string{}
		for _, t := range c.Ties {
			if t.Cond == nil {
				continue
			}
			for _, name := range []string{t.Cond.From, t.Cond.To} {
				if q := c.Point[name]; c.posts[q] == "" || name < c.posts[q] {
					c.posts[q] = name
				}
			}
		}
	}
	if name := c.posts[p]; name != "" {
		return name
	}
	return c.Names[p]
}

func (b *build) hasCells(p int) bool {
	r, _, _ := b.live.Find(p)
	for _, x := range b.c.Cells {
		if y, _, _ := b.live.Find(x.Lo); y == r {
			return true
		}
	}
	return false
}

// levelling says how to compare the totals of the string at q's end and of the one at p's.
func (c *checker) levelling(b *build, s *BuildStep, p, q int) {
	if c.Owner[p] >= 0 && c.Owner[q] < 0 { // measure the string that comes in, against the one at the bus
		p, q = q, p
	}
	lowIn, highIn := c.span(b, q)
	lowBus, highBus := c.span(b, p)
	_, bus, _ := b.live.Between(c.Point[lowBus], c.Point[highBus])
	s.Red, s.Black = highIn, lowIn
	s.LowV, s.HighV = numeral.Round3(bus-limits.JoinVolts), numeral.Round3(bus+limits.JoinVolts)
	s.Measure = fmt.Sprintf("Level the strings first: %s to %s must read the same as %s to %s, taken in the same "+
		"minute. Across the open gap a meter reads nothing, whatever the difference.", highIn, lowIn, highBus, lowBus)
}

// span names the lowest and highest points that a probe reaches in the live part of p: posts before
// free names.
func (c *checker) span(b *build, p int) (low, high string) {
	r, _, _ := b.live.Find(p)
	var lowV, highV float64
	for _, name := range c.Accessible() {
		k, _, v := b.live.Find(c.Point[name])
		if k != r {
			continue
		}
		post := c.Owner[c.Point[name]] >= 0
		if low == "" || v < lowV-1e-9 || v < lowV+1e-9 && post && c.Owner[c.Point[low]] < 0 {
			low, lowV = name, v
		}
		if high == "" || v > highV+1e-9 || v > highV-1e-9 && post && c.Owner[c.Point[high]] < 0 {
			high, highV = name, v
		}
	}
	return low, high
}
