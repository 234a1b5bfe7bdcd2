package wiring

import (
	"fmt"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/bank/sequence"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

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

// buildOrder lists the conductors that are not fitted yet (all of them when the file does not say) in an order that
// keeps the exposed voltage low for as long as possible. Orders are compared by the number of steps above the touch
// limit, then by the sum of exposed volts; up to 12 links in a phase exactly, above that link by link.
func (c *checker) buildOrder() {
	planned := slices.ContainsFunc(c.Net.Conductors, func(k netlist.Conductor) bool {
		return k.Installed != nil && !*k.Installed
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
		ties := make([]sequence.Link, len(links))
		for k, i := range links {
			ties[k] = sequence.Link{A: c.Ties[i].A, B: c.Ties[i].B}
		}
		for _, k := range b.Order(ties, limits.TouchDryVolts) {
			i := links[k]
			c.r.BuildOrder = append(c.r.BuildOrder, c.step(b, i))
		}
	}
}

// build is the bank as far as it is put together.
type build struct {
	*sequence.Parts
	c *checker
	// live joins what conducts while building, with switches, relays and BMS open; on joins as if all
	// that is fitted were switched on.
	live *network.Reach
	on   *network.Levels
}

func newBuild(c *checker) *build {
	b := &build{c: c, Parts: sequence.New(len(c.Names))}
	for _, x := range c.Cells {
		b.Join(x.Lo, x.Hi, c.Net.Modules[x.Module].Groups[x.Group].Volts)
	}
	cells := make([]int, len(c.Cells))
	for i, x := range c.Cells {
		cells[i] = x.Lo
	}
	b.live = network.NewReach(c.WithCells(), network.Probes{Point: func(name string) int { return c.Point[name] },
		Post: func(p int) bool { return c.Owner[p] >= 0 }}, c.probed(), cells)
	b.on = c.WithCells()
	c.JoinTies(b.on, func(t *netlist.Tie) bool { return t.Cond == nil })
	return b
}

func (b *build) fit(i int) {
	t := &b.c.Ties[i]
	b.on.Join(t.A, t.B, 0, 0)
	if t.Kind != netlist.Switch && t.Kind != netlist.Contactor && t.Kind != netlist.Plug {
		b.live.Conduct(t.A, t.B)
	}
	b.Join(t.A, t.B, 0)
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
		s.LowV, s.HighV = -c.joinVolts(), c.joinVolts()
	case on && b.live.HasCells(p) && b.live.HasCells(q):
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
	s.ExposedV = numeral.Round3(b.Exposed)
	return s
}

// joinVolts is the one limit of the sheet at which parts are joined in parallel.
func (c *checker) joinVolts() float64 {
	if c.Net.JoinVolts > 0 {
		return numeral.Round3(c.Net.JoinVolts)
	}
	return limits.JoinVolts
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

// levelling says how to compare the totals of the string at q's end and of the one at p's.
func (c *checker) levelling(b *build, s *BuildStep, p, q int) {
	if c.Owner[p] >= 0 && c.Owner[q] < 0 { // measure the string that comes in, against the one at the bus
		p, q = q, p
	}
	lowIn, highIn := b.live.Span(q)
	lowBus, highBus := b.live.Span(p)
	_, bus, _ := b.live.Between(c.Point[lowBus], c.Point[highBus])
	s.Red, s.Black = highIn, lowIn
	s.LowV, s.HighV = numeral.Round3(bus-c.joinVolts()), numeral.Round3(bus+c.joinVolts())
	s.Measure = fmt.Sprintf("Level the strings first: %s to %s must read the same as %s to %s, taken in the same "+
		"minute. Across the open gap a meter reads nothing, whatever the difference.", highIn, lowIn, highBus, lowBus)
}
