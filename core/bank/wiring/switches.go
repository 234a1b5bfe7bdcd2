package wiring

import (
	"math"
	"slices"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// switches judges what the BMSs open: their own cells and not another's, the volts that one of several in a row must
// open alone, and an earth before them.
func (c *checker) switches(s currents.Rows) {
	c.crossed(s)
	c.opening(s)
	c.earthed()
}

// crossed finds a BMS that opens another's cells: with its switch open all that it watches is still on the load, and
// what it does not watch is off it.
func (c *checker) crossed(s currents.Rows) {
	if len(c.Net.BMS) < 2 || len(c.Net.Terminals.Plus) == 0 || len(c.Net.Terminals.Minus) == 0 {
		return
	}
	load := currents.NewOnLoad(c.Indexed, s)
	closed := load.With(nil)
	firstOf := map[uint64]int{} // group of each row
	var rows []uint64           // in the order of their first groups
	for i, row := range s.Cell {
		if _, was := firstOf[row]; !was {
			firstOf[row] = i
			rows = append(rows, row)
		}
	}
	watches := c.watching()
	for bi, b := range c.Net.BMS {
		ties := c.opened(bi)
		if len(ties) == 0 {
			continue
		}
		watched := watches(bi)
		if slices.ContainsFunc(watched, func(i int) bool {
			return closed(s.Cell[i]) && slices.ContainsFunc(ties, func(t int) bool { return s.Tie[t] == s.Cell[i] })
		}) {
			continue // the usual: its switch is in the row that it watches
		}
		open := load.With(ties)
		kept := 0
		for _, i := range watched {
			if !closed(s.Cell[i]) {
				continue
			}
			if !open(s.Cell[i]) {
				kept = 0
				break
			}
			kept++
		}
		if kept == 0 {
			continue
		}
		k := slices.IndexFunc(rows, func(row uint64) bool { return closed(row) && !open(row) })
		if k >= 0 {
			c.find(finding.New(finding.Stop, codeBMSCrossed).About(b.ID).Reads(float64(kept), "groups").Against(0).
				Says("BMS %s watches groups that stay on the load when it opens: its switch takes off "+
					"%s and others that it does not watch.", b.ID, c.groupName(c.Cells[firstOf[rows[k]]])).
				Then("Put the switch and the sense leads of each BMS on the same string."))
		}
	}
}

// watching returns the groups that lie between two sense leads of a BMS.
func (c *checker) watching() func(bms int) []int {
	l := c.joined()
	root := func(p int) int { r, _, _ := c.solid().Find(p); return r }
	between := map[[2]int][]int{}
	for i, x := range c.Cells {
		if _, _, ok := l.Between(x.Lo, x.Hi); ok {
			k := [2]int{root(x.Lo), root(x.Hi)}
			between[k] = append(between[k], i)
		}
	}
	return func(bms int) (out []int) {
		b := &c.Net.BMS[bms]
		done := map[[2]int]bool{}
		for k := 1; k <= c.tops[bms]; k++ {
			if b.Sense[k-1] == nil || b.Sense[k] == nil {
				continue
			}
			row := [2]int{root(c.Point[*b.Sense[k-1]]), root(c.Point[*b.Sense[k]])}
			if !done[row] {
				done[row] = true
				out = append(out, between[row]...)
			}
		}
		return out
	}
}

// opening judges the volts that a BMS opens alone: one of several in a row along a string may open before the others,
// and one on a part of a string opens the whole of it.
func (c *checker) opening(s currents.Rows) {
	if c.r.FullVolts == 0 {
		return
	}
	inRow := map[uint64]int{}
	own := make([]int, len(c.Net.BMS)) // its own path; a pole of its own for chargers is no second one
	for bi := range c.Net.BMS {
		own[bi] = slices.IndexFunc(c.Ties, func(t netlist.Tie) bool { return t.BMS == bi })
		if t := own[bi]; t >= 0 && s.Tie[t] != 0 && slices.Contains(c.opened(bi), t) {
			inRow[s.Tie[t]]++
		}
	}
	for bi, b := range c.Net.BMS {
		if t := own[bi]; t >= 0 && slices.Contains(c.opened(bi), t) {
			full := numeral.Round3(c.r.FullVolts)
			switch {
			case b.SwitchV != nil && *b.SwitchV < c.r.FullVolts-1e-9:
				c.find(finding.New(finding.Stop, codeSwitchVolts).About(b.ID).Reads(full, "V").Against(*b.SwitchV).
					Says("BMS %s opens %.0f V, the whole string of %.1f V stands on it when it "+
						"opens alone.", b.ID, *b.SwitchV, full).
					Then("One BMS for the whole string, or boards that are " +
						"made to be stacked, with one common switch."))
			case b.SwitchV == nil && inRow[s.Tie[t]] > 1:
				c.find(finding.New(finding.Caution, codeSwitchVolts).About(b.ID).Reads(full, "V").
					Says("BMS %s lies in a row with another along one string: the one that opens "+
						"first gets the "+
						"whole %.1f V, and what it opens is not known.", b.ID, full).
					Then("Read from its data sheet what its " +
						"switch opens and whether it may stand in series: most may not. One BMS for the " +
						"whole string is the usual way."))
			}
		}
	}
}

// earthed finds an earth on the cell side of what a BMS opens, and an overcurrent device in the earthed pole only.
func (c *checker) earthed() {
	t := c.Net.Terminals
	if len(t.Earth) == 0 {
		return
	}
	switched := currents.Switched(c.Indexed)
	all, apart, bare := network.NewLevels(len(c.Names)), network.NewLevels(len(c.Names)),
		network.NewLevels(len(c.Names))
	for i := range c.Ties {
		x := &c.Ties[i]
		if c.Off[i] || x.Kind == netlist.Precharge {
			continue
		}
		all.Join(x.A, x.B, 0, 0)
		if !switched[i] {
			apart.Join(x.A, x.B, 0, 0)
		}
		if !x.Overcurrent() {
			bare.Join(x.A, x.B, 0, 0)
		}
	}
	touches := func(l *network.Levels, list []string) bool {
		return slices.ContainsFunc(list, func(p string) bool {
			_, _, same := l.Between(c.Point[t.Earth[0]], c.Point[p])
			return same
		})
	}
	if ends := slices.Concat(t.Plus, t.Minus); touches(all, ends) && !touches(apart, ends) {
		c.find(finding.New(finding.Stop, codeEarthBeforeBMS).About(t.Earth[0]).
			Says("Earth is joined on the cell side of the " +
				"BMS: a load or charger with an earthed case goes round it, and it cannot disconnect.").
			Then("Join earth on the load side of the BMS, at one point only."))
	}
	for _, pole := range []struct {
		name, other   string
		list, against []string
	}{{"negative", "positive", t.Minus, t.Plus}, {"positive", "negative", t.Plus, t.Minus}} {
		if len(pole.list) == 0 || !touches(all, pole.list) {
			continue
		}
		for _, p := range pole.against {
			if c.reachesCells(bare, c.Point[p]) && c.way(func(i int) bool { return !c.Ties[i].Overcurrent() }) == nil {
				c.find(finding.New(finding.Stop, codeFuseInEarthedPole).About(p).Reads(0, "devices").Against(1).
					Says("The %s is earthed and holds the only device: %s reaches the cells "+
						"without one. A fault from it to earth on the cell side goes round the device.", pole.name,
						p).
					Then("Put the overcurrent device in the pole that is not earthed, close to the cells."))
				break
			}
		}
	}
}

// reachesCells reports whether a point is joined to a module's post.
func (c *checker) reachesCells(l *network.Levels, p int) bool {
	for q := range c.Names {
		if c.Owner[q] >= 0 {
			if _, _, same := l.Between(p, q); same {
				return true
			}
		}
	}
	return false
}

// breaking judges the volts and amps that a switch or contactor opens. A short is the fuse's to clear: what it opens on
// its own is the design current.
func (c *checker) breaking(t *netlist.Tie) {
	k := t.Cond
	if full := c.r.FullVolts; k.VoltageRatingV != nil && full > *k.VoltageRatingV {
		c.find(finding.New(finding.Stop, codeVoltageRating).About(k.ID).
			Reads(numeral.Round3(full), "V").Against(*k.VoltageRatingV).
			Says("%s is rated for %.0f V DC, what it must open reaches %.1f V.", k.ID, *k.VoltageRatingV, full).
			Then("Use one with a DC rating above the full bank."))
	}
	if k.InterruptA == nil {
		return
	}
	need, what := c.Net.DesignA, "the design current"
	if need == 0 && k.RatingA != nil {
		need, what = *k.RatingA, "the current that it is rated to carry"
	}
	switch {
	case need > *k.InterruptA+1e-9:
		c.find(finding.New(finding.Stop, codeInterruptRating).About(k.ID).
			Reads(numeral.Round3(need), "A").Against(*k.InterruptA).
			Says("%s can open %.0f A, %s is %.0f A.", k.ID, *k.InterruptA, what, need).
			Then("Use one that opens the whole current: a contact that cannot, welds."))
	case c.r.ProspectiveA != nil && *c.r.ProspectiveA > *k.InterruptA:
		c.find(finding.New(finding.Caution, codeInterruptRating).About(k.ID).
			Reads(math.Round(*c.r.ProspectiveA), "A").Against(*k.InterruptA).
			Says("%s can open %.0f A, about %.0f A can flow into a fault: the fuse "+
				"has to clear that first.", k.ID, *k.InterruptA, *c.r.ProspectiveA).
			Then("Compare the time in which the fuse clears with the delay of the BMS."))
	}
}
