package wiring

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

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

// firstShort rebuilds the levels without the ties taken out and returns the first that closes a loop with voltage.
func (c *checker) firstShort() (closing, dCount int, dVolts float64) {
	l := c.WithCells()
	for i, t := range c.Ties {
		if c.Off[i] {
			continue
		}
		if fresh, dc, dv := l.Join(t.A, t.B, 0, 0); !fresh && dc != 0 {
			return i, dc, dv
		}
	}
	c.forest = l
	return -1, 0, 0
}

// reportShort says what a loop with voltage is, what flows in it, and what to do.
func (c *checker) reportShort(closing, dCount int, dVolts float64) {
	g := c.Graph(func(i int) bool { return i < closing })
	path := network.Shortest(g, c.Ties[closing].A, func(p int) bool { return p == c.Ties[closing].B })
	loop := []int{closing}
	ohm, open := c.Ties[closing].MOhm, false
	full := 0.0
	for _, e := range path {
		if e.Tie >= 0 {
			loop = append(loop, e.Tie)
			ohm += c.Ties[e.Tie].MOhm
		} else {
			x := c.Cells[e.Cell]
			of := c.Net.Modules[x.Module].Groups[x.Group].MOhm
			ohm, open = ohm+of, open || of <= 0
			full = max(full, math.Abs(float64(dCount))*c.groupLimit(x.Module))
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
			if c.Ties[k].Cond != nil {
				culprit = k
			}
		}
	}
	s.Conductor = c.Ties[culprit].Name
	switched, earthed := false, false
	for _, k := range loop {
		s.Loop = append(s.Loop, c.Ties[k].Name)
		switched = switched || c.Ties[k].Opens() && !c.Ties[k].Overcurrent()
		earthed = earthed || c.Ties[k].Kind == netlist.EarthTie
	}
	full = max(full, math.Abs(dVolts))
	prospect := ""
	if ohm > 0 && !open { // joints alone bound nothing that a cell gives
		s.ProspectiveA = finding.Of(math.Round(ProspectiveFactor * full / ohm * 1000))
		prospect = fmt.Sprintf(", up to %.0f A", *s.ProspectiveA)
	}
	c.Off[culprit] = true
	c.r.Shorts = append(c.r.Shorts, s)
	volts := fmt.Sprintf("%.2f V", s.EMFV)
	if s.EMFV < 0.5 {
		volts = fmt.Sprintf("%s (%.2f V now)", numeral.Count(max(dCount, -dCount), "group"), s.EMFV)
	}
	text, do := s.told(volts, prospect, switched, earthed)
	c.find(finding.New(finding.Refuse, codeLoopWithVoltage).About(s.Conductor).Reads(s.EMFV, "V").Against(0).
		Says("%s", text).Then("%s", do))
}

// told is a short in words, and what to do.
func (s Short) told(volts, prospect string, switched, earthed bool) (text, do string) {
	text = fmt.Sprintf("A short through %s: the loop of %s has %s in it%s.", s.Conductor,
		finding.Names(s.Loop, "conductors"), volts, prospect)
	do = "Do not fit it. Check the polarity of the modules in the loop."
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
	return text, do
}

// fitsWithout reports whether the bank without tie k has no short, holds all its terminals and modules
// together, and steps its sense leads by one group each.
func (c *checker) fitsWithout(k int) bool {
	l := c.WithCells()
	for i, t := range c.Ties {
		if i == k || c.Off[i] {
			continue
		}
		if fresh, dc, _ := l.Join(t.A, t.B, 0, 0); !fresh && dc != 0 {
			return false
		}
	}
	root, _, _ := l.Find(c.Node[0][0])
	same := func(p int) bool { r, _, _ := l.Find(p); return r == root }
	for m := range c.Node {
		if !same(c.Node[m][0]) {
			return false
		}
	}
	for _, t := range slices.Concat(c.Net.Terminals.Plus, c.Net.Terminals.Minus) {
		if !same(c.Point[t]) {
			return false
		}
	}
	checked := len(c.Net.Terminals.Plus) > 0
	for bi, b := range c.Net.BMS {
		last, end := -1, c.topInput(bi)
		for i, s := range b.Sense[:end+1] {
			if s == nil {
				continue
			}
			if last >= 0 {
				checked = true
				if n, _, ok := l.Between(c.Point[*b.Sense[last]], c.Point[*s]); !ok || n != i-last {
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
	l := network.NewLevels(len(c.Names))
	c.JoinTies(l, func(t *netlist.Tie) bool { return t.Live() })
	by := map[int][]string{}
	for _, name := range c.probed() {
		r, _, _ := l.Find(c.Point[name])
		by[r] = append(by[r], name)
	}
	for _, n := range by {
		c.r.Nets = append(c.r.Nets, n)
	}
	slices.SortFunc(c.r.Nets, func(a, b []string) int { return slices.Compare(a, b) })
}

// joined returns levels over everything but the shorts, with every device closed.
func (c *checker) joined() *network.Levels { return c.forest }

// potentials sets volts of every named point, as the bank stands and with everything on: 0 at the lowest B− of each
// part, else at its lowest point. Open devices and BMS do not carry a potential across as the bank stands.
func (c *checker) potentials() {
	now := c.WithCells()
	c.JoinTies(now, func(t *netlist.Tie) bool { return t.Live() })
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
	for p := range c.Names {
		keep(lowest, p)
	}
	for _, b := range c.Net.BMS {
		if b.BMinus != "" {
			keep(negative, c.Point[b.BMinus])
		}
	}
	for _, name := range c.probed() {
		r, _, v := l.Find(c.Point[name])
		base, ok := negative[r]
		if !ok {
			base = lowest[r]
		}
		out[name] = numeral.Round3(v - base)
	}
}
