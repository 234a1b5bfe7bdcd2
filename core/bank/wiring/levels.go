package wiring

import (
	"fmt"
	"math"
	"pandrel/core/base/numeral"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// levels is a union-find structure in which every point knows its level (signed groups) and volts
// above the root of its part.
type levels struct {
	parent []int
	count  []int     // groups above parent
	volts  []float64 // volts above parent
	size   []int
}

func newLevels(n int) *levels {
	l := &levels{make([]int, n), make([]int, n), make([]float64, n), make([]int, n)}
	for i := range l.parent {
		l.parent[i], l.size[i] = i, 1
	}
	return l
}

// find returns the root of p and p's level and volts above it.
func (l *levels) find(p int) (root, count int, volts float64) {
	root = p
	for l.parent[root] != root {
		count += l.count[root]
		volts += l.volts[root]
		root = l.parent[root]
	}
	// Compress the path, so that later finds are short.
	for c, v := count, volts; l.parent[p] != root && p != root; {
		next, pc, pv := l.parent[p], l.count[p], l.volts[p]
		l.parent[p], l.count[p], l.volts[p] = root, c, v
		p, c, v = next, c-pc, v-pv
	}
	return root, count, volts
}

// join states that b lies count groups and volts above a. When both were joined before it changes
// nothing and returns false with the contradiction: what b would have to move by.
func (l *levels) join(a, b, count int, volts float64) (fresh bool, dCount int, dVolts float64) {
	ra, ca, va := l.find(a)
	rb, cb, vb := l.find(b)
	if ra == rb {
		return false, ca + count - cb, va + volts - vb
	}
	if l.size[ra] < l.size[rb] {
		l.parent[ra] = rb
		l.count[ra], l.volts[ra] = cb-count-ca, vb-volts-va
		l.size[rb] += l.size[ra]
	} else {
		l.parent[rb] = ra
		l.count[rb], l.volts[rb] = ca+count-cb, va+volts-vb
		l.size[ra] += l.size[rb]
	}
	return true, 0, 0
}

// between returns how b lies above a; ok is false when nothing joins them.
func (l *levels) between(a, b int) (count int, volts float64, ok bool) {
	ra, ca, va := l.find(a)
	rb, cb, vb := l.find(b)
	return cb - ca, vb - va, ra == rb
}

// withCells returns levels with the modules' own groups joined.
func (c *checker) withCells() *levels {
	l := newLevels(len(c.names))
	for _, x := range c.cells {
		l.join(x.lo, x.hi, 1, c.n.Modules[x.module].Groups[x.group].Volts)
	}
	return l
}

// edge of the search graph: a cell or a tie; the other index is −1.
type edge struct {
	to, tie, cell int
	up            bool // a cell passed from its lower to its upper node
}

// graph returns adjacency over the cells and the ties for which keep is true, without those that make
// a short.
func (c *checker) graph(keep func(i int) bool) [][]edge {
	g := make([][]edge, len(c.names))
	for i, x := range c.cells {
		g[x.lo] = append(g[x.lo], edge{x.hi, -1, i, true})
		g[x.hi] = append(g[x.hi], edge{x.lo, -1, i, false})
	}
	for i, t := range c.ties {
		if !c.off[i] && keep(i) {
			g[t.a] = append(g[t.a], edge{t.b, i, -1, false})
			g[t.b] = append(g[t.b], edge{t.a, i, -1, false})
		}
	}
	return g
}

// shortest returns the edges of a shortest path from a to any point of goal, nil when there is
// none.
func shortest(g [][]edge, a int, goal func(int) bool) []edge {
	type back struct{ point, edge int }
	came := make([]back, len(g))
	for i := range came {
		came[i] = back{-1, -1}
	}
	came[a] = back{a, -1}
	queue := []int{a}
	for len(queue) > 0 {
		p := queue[0]
		queue = queue[1:]
		if goal(p) {
			var path []edge
			for p != a {
				b := came[p]
				path = append(path, g[b.point][b.edge])
				p = b.point
			}
			slices.Reverse(path)
			return path
		}
		for k, e := range g[p] {
			if came[e.to].point < 0 {
				came[e.to] = back{p, k}
				queue = append(queue, e.to)
			}
		}
	}
	return nil
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
		if fresh, dc, dv := l.join(t.a, t.b, 0, 0); !fresh && dc != 0 {
			return i, dc, dv
		}
	}
	c.forest = l
	return -1, 0, 0
}

func (c *checker) reportShort(closing, dCount int, dVolts float64) {
	g := c.graph(func(i int) bool { return i < closing })
	path := shortest(g, c.ties[closing].a, func(p int) bool { return p == c.ties[closing].b })
	loop := []int{closing}
	ohm := c.ties[closing].mOhm
	full := 0.0
	for _, e := range path {
		if e.tie >= 0 {
			loop = append(loop, e.tie)
			ohm += c.ties[e.tie].mOhm
		} else {
			x := c.cells[e.cell]
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
		if fresh, dc, _ := l.join(t.a, t.b, 0, 0); !fresh && dc != 0 {
			return false
		}
	}
	root, _, _ := l.find(c.node[0][0])
	same := func(p int) bool { r, _, _ := l.find(p); return r == root }
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
				if n, _, ok := l.between(c.point[*b.Sense[last]], c.point[*s]); !ok || n != i-last {
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
	l := newLevels(len(c.names))
	c.joinTies(l, func(t *tie) bool { return t.live() })
	by := map[int][]string{}
	for _, name := range c.accessible() {
		r, _, _ := l.find(c.point[name])
		by[r] = append(by[r], name)
	}
	for _, n := range by {
		c.r.Nets = append(c.r.Nets, n)
	}
	slices.SortFunc(c.r.Nets, func(a, b []string) int { return slices.Compare(a, b) })
}

// joinTies joins the ends of every tie that makes no short and for which keep is true.
func (c *checker) joinTies(l *levels, keep func(*tie) bool) {
	for i := range c.ties {
		if t := &c.ties[i]; !c.off[i] && keep(t) {
			l.join(t.a, t.b, 0, 0)
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
func (c *checker) joined() *levels { return c.forest }

// potentials sets volts of every named point, as the bank stands and with everything on: 0 at the
// lowest B− of each part, else at its lowest point. Open devices and BMS do not carry a potential across
// as the bank stands.
func (c *checker) potentials() {
	now := c.withCells()
	c.joinTies(now, func(t *tie) bool { return t.live() })
	c.fill(c.r.Potentials, now)
	c.fill(c.r.PotentialsOn, c.joined())
}

func (c *checker) fill(out map[string]float64, l *levels) {
	lowest, negative := map[int]float64{}, map[int]float64{}
	keep := func(m map[int]float64, p int) {
		r, _, v := l.find(p)
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
		r, _, v := l.find(c.point[name])
		base, ok := negative[r]
		if !ok {
			base = lowest[r]
		}
		out[name] = numeral.Round3(v - base)
	}
}
