package wiring

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// withCells returns levels with the modules' own groups joined.
func (c *checker) withCells() *network.Levels {
	l := network.NewLevels(len(c.names))
	for _, x := range c.cells {
		l.Join(x.lo, x.hi, 1, c.n.Modules[x.module].Groups[x.group].Volts)
	}
	return l
}

// graph returns adjacency over the cells and the ties for which keep is true, without those that make
// a short.
func (c *checker) graph(keep func(i int) bool) [][]network.Edge {
	g := make([][]network.Edge, len(c.names))
	for i, x := range c.cells {
		g[x.lo] = append(g[x.lo], network.Edge{To: x.hi, Tie: -1, Cell: i, Up: true})
		g[x.hi] = append(g[x.hi], network.Edge{To: x.lo, Tie: -1, Cell: i, Up: false})
	}
	for i, t := range c.ties {
		if !c.off[i] && keep(i) {
			g[t.a] = append(g[t.a], network.Edge{To: t.b, Tie: i, Cell: -1, Up: false})
			g[t.b] = append(g[t.b], network.Edge{To: t.a, Tie: i, Cell: -1, Up: false})
		}
	}
	return g
}

// findShorts adds ties in file order, conductors first. Each that closes a loop with a signed count
// other than zero is a short; the tie to leave off is taken out and the search starts again.
func (c *checker) findShorts() {
	for {
		closing, dc, dv := c.firstShort()
		if closing < 0 {
			return
		}
		c.reportShort(closing, dc, dv)
	}
}

// firstShort rebuilds the levels without the ties taken out and returns the first that closes a loop
// with voltage.
func (c *checker) firstShort() (closing, dCount int, dVolts float64) {
	l := c.withCells()
	for i, t := range c.ties {
		if c.off[i] {
			continue
		}
		if fresh, dc, dv := l.Join(t.a, t.b, 0, 0); !fresh && dc != 0 {
			return i, dc, dv
		}
	}
	c.forest = l
	return -1, 0, 0
}

func (c *checker) reportShort(closing, dCount int, dVolts float64) {
	g := c.graph(func(i int) bool { return i < closing })
	path := network.Shortest(g, c.ties[closing].a, func(p int) bool { return p == c.ties[closing].b })
	loop := []int{closing}
	ohm := c.ties[closing].mOhm
	full := 0.0
	for _, e := range path {
		if e.Tie >= 0 {
			loop = append(loop, e.Tie)
			ohm += c.ties[e.Tie].mOhm
		} else {
			x := c.cells[e.Cell]
			ohm += c.n.Modules[x.module].Groups[x.group].MOhm
			if ch, err := chem.Lookup(c.n.Modules[x.module].Chemistry); err == nil {
				full = max(full, math.Abs(float64(dCount))*ch.ChargeLimitVolts)
			}
		}
	}
	slices.Sort(loop)
	var fitting []int
	for _, k := range loop {
		if c.fitsWithout(k) {
			fitting = append(fitting, k)
		}
	}
	s := Short{Certain: len(fitting) == 1, EMFV: numeral.Round3(math.Abs(dVolts))}
	culprit := loop[len(loop)-1]
	if s.Certain {
		culprit = fitting[0]
	} else {
		for _, k := range loop { // the last that can be left off by hand
			if c.ties[k].cond != nil {
				culprit = k
			}
		}
	}
	s.Conductor = c.ties[culprit].name
	switched, earthed := false, false
	for _, k := range loop {
		s.Loop = append(s.Loop, c.ties[k].name)
		switched = switched || c.ties[k].opens() && !c.ties[k].overcurrent()
		earthed = earthed || c.ties[k].kind == tieEarth
	}
	full = max(full, math.Abs(dVolts))
	prospect := ""
	if ohm > 0 {
		s.ProspectiveA = finding.Of(math.Round(ProspectiveFactor * full / ohm * 1000))
		prospect = fmt.Sprintf(", up to %.0f A", *s.ProspectiveA)
	}
	c.off[culprit] = true
	c.r.Shorts = append(c.r.Shorts, s)
	volts := fmt.Sprintf("%.2f V", s.EMFV)
	if s.EMFV < 0.5 {
		volts = fmt.Sprintf("%d groups (%.2f V now)", max(dCount, -dCount), s.EMFV)
	}
	text := fmt.Sprintf("A short through %s: the loop of %s has %s in it%s.", s.Conductor,
		finding.Names(s.Loop, "conductors"), volts, prospect)
	do := "Do not fit it. Check the polarity of the modules in the loop."
	switch {
	case earthed:
		text = fmt.Sprintf("A short through earth: the loop of %s has %s in it%s.",
			finding.Names(s.Loop, "conductors"), volts, prospect)
		do = "Earth one point of the bank at most, and look for devices and shields that earth another."
	case switched:
		text = fmt.Sprintf("A short as soon as everything is switched on: the loop of %s has %s in it%s.",
			finding.Names(s.Loop, "conductors"), volts, prospect)
		do = "Do not switch on, whatever a meter shows across an open switch. Compare the number of groups and the " +
			"polarity of the strings that meet here."
	case !s.Certain:
		do = "Do not fit the last of them. It cannot be told which one is wrong: check the polarity of every " +
			"module in the loop."
	}
	c.find(finding.Refuse, "loop-with-voltage", s.Conductor, finding.Of(s.EMFV), finding.Of(0), "V", text, do)
}

// fitsWithout reports whether the bank without tie k has no short, holds all its terminals and modules
// together, and steps its sense leads by one group each.
func (c *checker) fitsWithout(k int) bool {
	l := c.withCells()
	for i, t := range c.ties {
		if i == k || c.off[i] {
			continue
		}
		if fresh, dc, _ := l.Join(t.a, t.b, 0, 0); !fresh && dc != 0 {
			return false
		}
	}
	root, _, _ := l.Find(c.node[0][0])
	same := func(p int) bool { r, _, _ := l.Find(p); return r == root }
	for m := range c.node {
		if !same(c.node[m][0]) {
			return false
		}
	}
	for _, list := range [][]string{c.n.Terminals.Plus, c.n.Terminals.Minus} {
		for _, t := range list {
			if !same(c.point[t]) {
				return false
			}
		}
	}
	checked := len(c.n.Terminals.Plus) > 0
	for bi, b := range c.n.BMS {
		last, end := -1, c.topInput(bi)
		for i, s := range b.Sense[:end+1] {
			if s == nil {
				continue
			}
			if last >= 0 {
				checked = true
				if n, _, ok := l.Between(c.point[*b.Sense[last]], c.point[*s]); !ok || n != i-last {
					return false
				}
			}
			last = i
		}
	}
	return checked
}

// nets lists the points merged by conductors that are closed now.
func (c *checker) nets() {
	l := network.NewLevels(len(c.names))
	c.joinTies(l, func(t *tie) bool { return t.live() })
	by := map[int][]string{}
	for _, name := range c.accessible() {
		r, _, _ := l.Find(c.point[name])
		by[r] = append(by[r], name)
	}
	for _, n := range by {
		c.r.Nets = append(c.r.Nets, n)
	}
	slices.SortFunc(c.r.Nets, func(a, b []string) int { return slices.Compare(a, b) })
}

// joinTies joins the ends of every tie that makes no short and for which keep is true.
func (c *checker) joinTies(l *network.Levels, keep func(*tie) bool) {
	for i := range c.ties {
		if t := &c.ties[i]; !c.off[i] && keep(t) {
			l.Join(t.a, t.b, 0, 0)
		}
	}
}

// accessible lists the names a probe can touch, sorted: posts and free names, not the nodes inside
// a module.
func (c *checker) accessible() []string {
	var names []string
	for name := range c.point {
		if !strings.Contains(name, inner) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// joined returns levels over everything but the shorts, with every device closed.
func (c *checker) joined() *network.Levels { return c.forest }

// potentials sets volts of every named point, as the bank stands and with everything on: 0 at the
// lowest B− of each part, else at its lowest point. Open devices and BMS do not carry a potential across
// as the bank stands.
func (c *checker) potentials() {
	now := c.withCells()
	c.joinTies(now, func(t *tie) bool { return t.live() })
	c.fill(c.r.Potentials, now)
	c.fill(c.r.PotentialsOn, c.joined())
}

func (c *checker) fill(out map[string]float64, l *network.Levels) {
	lowest, negative := map[int]float64{}, map[int]float64{}
	keep := func(m map[int]float64, p int) {
		r, _, v := l.Find(p)
		if b, ok := m[r]; !ok || v < b {
			m[r] = v
		}
	}
	for p := range c.names {
		keep(lowest, p)
	}
	for _, b := range c.n.BMS {
		if b.BMinus != "" {
			keep(negative, c.point[b.BMinus])
		}
	}
	for _, name := range c.accessible() {
		r, _, v := l.Find(c.point[name])
		base, ok := negative[r]
		if !ok {
			base = lowest[r]
		}
		out[name] = numeral.Round3(v - base)
	}
}
