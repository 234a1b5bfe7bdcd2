package wiring

import (
	"slices"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// protection searches for ways from plus to minus that avoid what they must pass, and asks for an
// overcurrent device in every string.
func (c *checker) protection() {
	plus, minus := c.Net.Terminals.Plus, c.Net.Terminals.Minus
	if len(plus) == 0 || len(minus) == 0 {
		c.find(finding.New(finding.Note, codeNoTerminals).About("bank").
			Says("Protection and bypasses are not checked: the bank has no plus and minus terminals.").
			Then("Add the terminals."))
		return
	}
	if p := c.way(func(i int) bool { return !c.Ties[i].Overcurrent() }); p != nil {
		c.r.Unprotected = append(c.r.Unprotected, Path{"overcurrent device", p})
		c.find(finding.New(finding.Stop, codeUnprotected).About(plus[0]).Reads(0, "devices").Against(1).
			Says("%s", "The way through "+orNothing(p)+" reaches the load terminals without a fuse or breaker.").
			Then("Put an overcurrent device at the battery end, close to the cells."))
	}
	if len(currents.Switched(c.Indexed)) > 0 { // where nothing opens at all, that is the finding
		c.bypass()
	}
	if slices.ContainsFunc(c.Net.Conductors, func(k netlist.Conductor) bool { return k.Kind == netlist.Shunt }) {
		if p := c.way(func(i int) bool { return c.Ties[i].Kind != netlist.Shunt }); p != nil {
			c.r.Bypasses = append(c.r.Bypasses, Path{"shunt", p})
			c.find(finding.New(finding.Stop, codeShuntBypassed).About(minus[0]).
				Says("%s", "The way through "+orNothing(p)+" goes round the shunt: its current is not counted.").
				Then("Take every negative to the load side of the shunt."))
		}
	}
	c.stringFuses()
}

// way returns the names of the conductors on a way through cells from a plus terminal to a minus
// terminal over the ties for which keep is true, nil where there is none.
func (c *checker) way(keep func(int) bool) []string {
	path := c.wayEdges(keep)
	if path == nil {
		return nil
	}
	out := []string{}
	for _, e := range path {
		if e.Tie >= 0 && c.Ties[e.Tie].Kind != netlist.BMSTie {
			out = append(out, c.Ties[e.Tie].Name)
		}
	}
	return out
}

func (c *checker) wayEdges(keep func(int) bool) []network.Edge {
	g := c.Graph(keep)
	ends := map[int]bool{}
	for _, m := range c.Net.Terminals.Minus {
		ends[c.Point[m]] = true
	}
	for _, p := range c.Net.Terminals.Plus {
		if path := network.Shortest(g, c.Point[p], func(q int) bool { return ends[q] }); path != nil {
			return path
		}
	}
	return nil
}

// bypass looks for ways round the BMS's switch. A pre-charge branch with a relay of its own is none; a
// resistor that stays across the switch for ever is one.
func (c *checker) bypass() {
	switched := currents.Switched(c.Indexed)
	relayed := currents.PrechargeRelays(c.Indexed)
	byHand := ""
	keep := func(i int) bool { return !switched[i] && relayed[i] == "" }
	if p := c.way(keep); p != nil {
		c.r.Bypasses = append(c.r.Bypasses, Path{"BMS", p})
		c.find(finding.New(finding.Stop, codeBMSBypassed).About(c.Net.Terminals.Minus[0]).Says("%s", "The way through "+
			orNothing(p)+" goes round the BMS: it could not disconnect the load or the charger.").
			Then("Take load and charger negatives to the load side of the BMS. Check for earthed devices."))
	}
	for i := range c.Ties {
		if relayed[i] == netlist.Switch && (byHand == "" || c.Ties[i].Name < byHand) {
			byHand = c.Ties[i].Name
		}
	}
	if byHand != "" {
		c.find(finding.New(finding.Caution, codePrechargeByHand).About(byHand).
			Says("The pre-charge branch of %s has a hand switch: the BMS cannot open it.", byHand).
			Then("Use a button that springs back, or a relay that the BMS opens."))
	}
}

// stringFuses asks each of several strings for an overcurrent device of its own. A short in one is fed
// by the others, and the main fuse does not see it.
func (c *checker) stringFuses() {
	s := currents.RowsOf(c.Indexed)
	fused := map[uint64]bool{}
	for i := range c.Ties {
		if c.Ties[i].Overcurrent() {
			fused[s.Tie[i]] = true
		}
	}
	var names []string
	for l, cells := range s.Strings(c.Indexed) {
		if !fused[l] {
			names = append(names, c.branchName(cells))
		}
	}
	if len(names) == 0 {
		return
	}
	slices.Sort(names)
	c.find(finding.New(finding.Stop, codeStringWithoutFuse).About(names[0]).Reads(0, "devices").Against(1).
		Says("%s: no overcurrent device of its own. A fault in one string is fed by the others, whatever "+
			"the main fuse is.", finding.Names(names, "strings")).
		Then("Put one overcurrent device in each string, at the battery end."))
}

// ratings judges what the file says of fuses, breakers and conductors, and names what it does not say.
func (c *checker) ratings() {
	s := currents.RowsOf(c.Indexed)
	var missing []string
	c.prospective()
	c.fed(s)
	c.cells(s)
	c.switches(s)
	reach := currents.NewReach(c.Indexed)
	for i := range c.Ties {
		t := &c.Ties[i]
		if t.Cond == nil || c.Off[i] {
			continue
		}
		k := t.Cond
		if t.Kind == netlist.Switch || t.Kind == netlist.Contactor {
			c.breaking(t)
		}
		if t.Overcurrent() {
			if open := c.device(i, s, reach); open {
				missing = append(missing, k.ID)
			}
		}
		if c.Net.DesignA > 0 && k.RatingA != nil && t.Kind != netlist.Bond && t.Kind != netlist.Precharge {
			need := c.through(i, s)
			if need > *k.RatingA+1e-9 {
				c.find(finding.New(finding.Stop, codeCurrentRating).About(k.ID).
					Reads(numeral.Round3(need), "A").Against(*k.RatingA).
					Says("%s is rated for %.0f A, the design current through it is %.0f A.", k.ID, *k.RatingA, need).
					Then("Use a larger one, or lower the load and charge current."))
			}
		}
	}
	if len(missing) > 0 {
		slices.Sort(missing)
		c.find(finding.New(finding.Note, codeRatingsMissing).About(missing[0]).
			Reads(float64(len(missing)), "devices").Against(0).
			Says("Rating, DC voltage or interrupting rating not given for %s: not checked.",
				finding.Names(missing, "devices")).
			Then("Read them from the devices and enter them."))
	}
}

// device judges one fuse or breaker; open says that something of it is not on record.
func (c *checker) device(i int, s currents.Rows, reach *currents.Reach) (open bool) {
	t := &c.Ties[i]
	k := t.Cond
	bond := currents.Tap(c.Indexed, t.A) && currents.Tap(c.Indexed, t.B)
	limit := c.r.FullVolts
	if bond { // what its own module can put across it
		limit = c.moduleFull(c.Owner[t.A])
	}
	if k.VoltageRatingV != nil && limit > *k.VoltageRatingV {
		c.find(finding.New(finding.Stop, codeVoltageRating).About(k.ID).
			Reads(numeral.Round3(limit), "V").Against(*k.VoltageRatingV).
			Says("%s is rated for %.0f V DC, what it must open reaches %.1f V.", k.ID, *k.VoltageRatingV, limit).
			Then("Use one with a DC rating above the full bank."))
	}
	if bond {
		return false
	}
	c.interrupting(i, s)
	c.onRecord(i, s)
	c.protects(i, s)
	if mm, ok := reach.MM(i); ok && mm > FuseReachMM {
		c.find(finding.New(finding.Stop, codeFuseFar).About(k.ID).Reads(mm, "mm").Against(FuseReachMM).
			Says("%s sits %.1f m from the cells: the conductor up to it is not protected.", k.ID, mm/1000).
			Then("Put it within 0.2 m of the cells (shop policy), or protect that conductor."))
	}
	return k.RatingA == nil || k.VoltageRatingV == nil || k.InterruptA == nil
}

// through is the design current through a tie, A, 0 where it is not known.
func (c *checker) through(tie int, s currents.Rows) float64 {
	switch l := s.Tie[tie]; {
	case l == 0:
	case l == s.Load:
		return c.Net.DesignA
	default: // a string carries its share, and more when another has tripped
		if n := c.parallelStrings(s, l); n > 0 {
			return c.Net.DesignA / float64(n)
		}
	}
	return 0
}

// parallelStrings counts the strings, 0 where class l is none of them.
func (c *checker) parallelStrings(s currents.Rows, l uint64) int {
	all := c.strings(s)
	if _, ok := all[l]; !ok {
		return 0
	}
	return len(all)
}

// strings are the groups of each string that stands beside others, by its label.
func (c *checker) strings(s currents.Rows) map[uint64][]int {
	if c.beside == nil {
		c.beside = s.Strings(c.Indexed)
	}
	return c.beside
}

// probed lists the names a probe can touch, sorted.
func (c *checker) probed() []string {
	if c.touched == nil {
		c.touched = c.Accessible()
	}
	return c.touched
}

// opened are the ties that a BMS opens.
func (c *checker) opened(bms int) []int {
	if c.opens == nil {
		c.opens = currents.Opens(c.Indexed)
	}
	return c.opens[bms]
}

func (c *checker) moduleFull(m int) float64 {
	sum := 0.0
	for range c.Net.Modules[m].Groups {
		sum += c.groupLimit(m)
	}
	return sum
}

// protects finds conductors that carry the current of a device and are rated below it.
func (c *checker) protects(device int, s currents.Rows) {
	k := c.Ties[device].Cond
	if k.RatingA == nil || s.Tie[device] == 0 {
		return
	}
	row := c.inRow(s, s.Tie[device])
	for _, i := range row {
		if t := &c.Ties[i]; t.Overcurrent() && t.Cond.RatingA != nil &&
			(*t.Cond.RatingA < *k.RatingA || *t.Cond.RatingA == *k.RatingA && t.Name < k.ID) {
			return // a smaller one in the same row protects them
		}
	}
	for _, i := range row {
		t := &c.Ties[i]
		if t.Cond == nil || t.Overcurrent() || t.Cond.RatingA == nil || t.Kind == netlist.Precharge {
			continue
		}
		if *t.Cond.RatingA < *k.RatingA {
			c.find(finding.New(finding.Stop, codeFuseAboveConductor).About(k.ID).
				Reads(*k.RatingA, "A").Against(*t.Cond.RatingA).
				Says("%s lets %.0f A pass for ever, %s carries %.0f A: the conductor burns before the device opens.",
					k.ID, *k.RatingA, t.Name, *t.Cond.RatingA).
				Then("Use a smaller device or a larger conductor."))
		}
	}
}

// inRow lists the ties that carry one current.
func (c *checker) inRow(s currents.Rows, row uint64) []int {
	if c.rows == nil {
		c.rows = map[uint64][]int{}
		for i, r := range s.Tie {
			c.rows[r] = append(c.rows[r], i)
		}
	}
	return c.rows[row]
}

func orNothing(path []string) string {
	if len(path) == 0 {
		return "the modules themselves"
	}
	return finding.Names(path, "conductors")
}
