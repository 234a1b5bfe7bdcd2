package wiring

import (
	"fmt"
	"slices"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// spare finds for each BMS the highest input that belongs to a group. Inputs above it are spare: open,
// or tied to the same tap. Both are ways that data sheets ask for.
func (c *checker) spare() {
	for i := range c.Net.BMS {
		c.tops = append(c.tops, c.topInput(i))
	}
}

func (c *checker) topInput(bms int) int {
	b := c.Net.BMS[bms]
	top := len(b.Sense) - 1
	for top >= 0 && b.Sense[top] == nil {
		top--
	}
	for top > 0 && b.Sense[top-1] != nil && top > 1 {
		if _, _, same := c.solid().Between(c.Point[*b.Sense[top]], c.Point[*b.Sense[top-1]]); !same {
			break
		}
		top--
	}
	return top
}

// solid joins what is one piece of metal: bars, cables and bonds.
func (c *checker) solid() *network.Levels {
	if c.metal == nil {
		c.metal = network.NewLevels(len(c.Names))
		c.JoinTies(c.metal, (*netlist.Tie).Solid)
	}
	return c.metal
}

// monitoring lists the groups that no pair of adjacent sense leads sees (rules §9).
func (c *checker) monitoring() {
	n := len(c.Names)
	soft, hard, fused := network.NewLevels(n), network.NewLevels(n), network.NewLevels(n)
	c.JoinTies(soft, func(t *netlist.Tie) bool { return t.Cond != nil || t.Kind == netlist.EarthTie })
	c.JoinTies(hard, (*netlist.Tie).Solid)
	bond := currents.FusedBonds(c.Indexed)
	c.JoinTies(fused, func(t *netlist.Tie) bool { return t.Solid() || t.Overcurrent() && bond[t] })
	root := func(l *network.Levels, p int) int { r, _, _ := l.Find(p); return r }
	between := map[[2]int][]int{} // cells between two soft nets
	for i, x := range c.Cells {
		k := [2]int{root(soft, x.Lo), root(soft, x.Hi)}
		between[k] = append(between[k], i)
	}
	c.seen = make([]bool, len(c.Cells))
	byFuse := map[int]bool{}
	for bi, b := range c.Net.BMS {
		for k := 1; k <= c.tops[bi]; k++ {
			if b.Sense[k-1] == nil || b.Sense[k] == nil {
				continue
			}
			lo, hi := c.Point[*b.Sense[k-1]], c.Point[*b.Sense[k]]
			group := between[[2]int{root(soft, lo), root(soft, hi)}]
			for _, i := range group {
				x := c.Cells[i]
				switch {
				case len(group) == 1 || root(hard, x.Lo) == root(hard, lo) && root(hard, x.Hi) == root(hard, hi):
					c.seen[i] = true
				case root(fused, x.Lo) == root(fused, lo) && root(fused, x.Hi) == root(fused, hi):
					byFuse[i] = true
				}
			}
		}
	}
	c.unseen(byFuse)
	if len(c.Net.BMS) == 0 {
		c.find(finding.New(finding.Refuse, codeNoBMS).About("bank").Reads(0, "BMS").Against(1).
			Says("The bank has no BMS that can disconnect it.").
			Then("Choose a BMS that monitors every group."))
		return
	}
	c.disconnecting()
	if n := len(c.r.Unmonitored); n > 0 {
		names := make([]string, 0, n)
		for _, u := range c.r.Unmonitored {
			names = append(names, fmt.Sprintf("%s group %d", u.Module, u.Group))
		}
		c.find(finding.New(finding.Stop, codeUnmonitored).About(names[0]).Reads(float64(n), "groups").Against(0).
			Says("No sense lead pair sees %s.", finding.Names(names, "groups")).
			Then("Bond the middle taps of paralleled modules, or give each its own monitor."))
	}
}

// unseen lists the groups that nothing sees, and says which are seen through fuses alone.
func (c *checker) unseen(byFuse map[int]bool) {
	var behind []string
	for i, x := range c.Cells {
		switch {
		case c.seen[i]:
		case byFuse[i]:
			c.seen[i], behind = true, append(behind, c.groupName(x))
		default:
			c.r.Unmonitored = append(c.r.Unmonitored, GroupRef{c.Net.Modules[x.Module].ID, x.Group + 1})
		}
	}
	if n := len(behind); n > 0 {
		c.find(finding.New(finding.Caution, codeFusedBonds).About(slices.Min(behind)).Reads(float64(n), "groups").
			Against(0).Says("Groups seen through fused bonds: %d. While a fuse is blown its group is hidden.", n).
			Then("Check every bond fuse at each service, and after any fault."))
	}
}

func (c *checker) groupName(x netlist.Cell) string {
	return fmt.Sprintf("%s group %d", c.Net.Modules[x.Module].ID, x.Group+1)
}

// disconnecting asks for a switch for each BMS: its own, or that of a stack it is part of, which is one
// row of boards of which each begins where another ends.
func (c *checker) disconnecting() {
	hard := network.NewLevels(len(c.Names))
	c.JoinTies(hard, func(t *netlist.Tie) bool {
		return t.Solid() || t.Kind == netlist.Switch || t.Cond != nil && t.Opens()
	})
	can := make([]bool, len(c.Net.BMS))
	for i := range c.Net.BMS {
		can[i] = len(c.opened(i)) > 0
	}
	end := func(i int, top bool) int {
		b := c.Net.BMS[i]
		k := 0
		if top {
			k = max(c.tops[i], 0)
		}
		if len(b.Sense) == 0 || b.Sense[k] == nil {
			return -1
		}
		r, _, _ := hard.Find(c.Point[*b.Sense[k]])
		return r
	}
	// Those that can open reach the others over the ends at which boards touch: one's bottom at another's top.
	begins, ends := map[int][]int{}, map[int][]int{}
	var next []int
	for i := range c.Net.BMS {
		if e := end(i, false); e >= 0 {
			begins[e] = append(begins[e], i)
		}
		if e := end(i, true); e >= 0 {
			ends[e] = append(ends[e], i)
		}
		if can[i] {
			next = append(next, i)
		}
	}
	stacked := slices.Clone(can)
	reach := func(at map[int][]int, e int) {
		for _, i := range at[e] {
			if !stacked[i] {
				stacked[i] = true
				next = append(next, i)
			}
		}
		delete(at, e) // all of them are reached
	}
	for n := 0; n < len(next); n++ {
		reach(ends, end(next[n], false))
		reach(begins, end(next[n], true))
	}
	c.switchless(can, stacked)
}

// switchless judges the BMS that open nothing themselves, those of a stack by the switch of their stack.
func (c *checker) switchless(can, stacked []bool) {
	for i, b := range c.Net.BMS {
		switch {
		case can[i]:
		case stacked[i]:
			c.find(finding.New(finding.Caution, codeStackSwitch).About(b.ID).
				Says("%s has no switch of its own: it depends on the switch of the board it is stacked with.", b.ID).
				Then("Check that the boards are " +
					"chained, not starred, and that the common switch opens when this board asks."))
		default:
			c.find(finding.New(finding.Refuse, codeBMSCannotDisconnect).About(b.ID).Reads(0, "switches").Against(1).
				Says("%s", c.whyNot(b)).
				Then("Wire its own switch or a contactor that it " +
					"drives, name the common switch of its stack, or choose one that can disconnect."))
		}
	}
}

// whyNot says why a BMS opens nothing.
func (c *checker) whyNot(b netlist.BMS) string {
	if b.Switch != nil {
		for i := range c.Ties {
			if t := &c.Ties[i]; t.Cond != nil && t.Name == *b.Switch && t.Kind != netlist.Contactor {
				return fmt.Sprintf("BMS %s names %s as its switch: a %s opens nothing when it asks.", b.ID,
					t.Name, t.Kind)
			}
		}
	}
	if b.Kind != netlist.Contactor && b.Kind != netlist.Transistor && b.Kind != netlist.Opens {
		return fmt.Sprintf("Of BMS %s nothing is known that opens the circuit.", b.ID)
	}
	return fmt.Sprintf("BMS %s has no switch of its own in the circuit.", b.ID)
}

// offLead0 judges what lies between lead 0 and B−, where it is no more than bars, cables and shunts: group 1 is read
// wrong by what drops there. ok is false where something else lies between.
func (c *checker) offLead0(b netlist.BMS) (ok bool) {
	from, to := c.Point[*b.Sense[0]], c.Point[b.BMinus]
	if from == to {
		return true
	}
	g := c.Graph(func(i int) bool {
		return c.Ties[i].Solid() || c.Ties[i].Kind == netlist.Shunt && !c.Ties[i].Cond.Open
	})
	for i := range g { // no way through cells
		g[i] = slices.DeleteFunc(g[i], func(e network.Edge) bool { return e.Tie < 0 })
	}
	path := network.Shortest(g, from, func(p int) bool { return p == to })
	if path == nil {
		return false
	}
	amps, mOhm, shunt, names := c.Net.DesignA, 0.0, false, []string{}
	for _, e := range path {
		if t := &c.Ties[e.Tie]; t.Kind == netlist.Shunt && amps == 0 {
			amps = currents.MostRating(c.Indexed)
		}
		shunt = shunt || c.Ties[e.Tie].Kind == netlist.Shunt && (c.Ties[e.Tie].MOhm == 0 || amps == 0)
		mOhm += c.Ties[e.Tie].MOhm
		names = append(names, c.Ties[e.Tie].Name)
	}
	if shunt {
		c.find(finding.New(finding.Caution, codeBMinusDrop).About(b.ID).ReadsIf(nil, "mV").Against(lead0MV).
			Says("%s between lead 0 and B− of %s: what drops there is not known, and group 1 is read wrong by as much.",
				finding.Names(names, "conductors"), b.ID).
			Then("Put B− and lead 0 on the same post, or read the drop from the shunt's print: " +
				"up to 10 mV changes nothing, above 100 mV it is refused."))
		return true
	}
	mv := mOhm * amps
	switch {
	case mv <= lead0MV+1e-9:
	case mv <= lead0MostMV+1e-9:
		c.find(finding.New(finding.Caution, codeBMinusDrop).About(b.ID).
			Reads(numeral.Round3(mv), "mV").Against(lead0MV).
			Says("%s between lead 0 and B− of %s: %.0f mV drop there at %.0f A, and group 1 is read wrong by as much.",
				finding.Names(names, "conductors"), b.ID, mv, amps).
			Then("Put B− and lead 0 on the same post."))
	default:
		c.find(finding.New(finding.Refuse, codeBMinusOffLead0).About(b.ID).
			Reads(numeral.Round3(mv), "mV").Against(lead0MostMV).
			Says("%s between lead 0 and B− of %s: %.0f mV drop there at %.0f A.",
				finding.Names(names, "conductors"), b.ID, mv, amps).
			Then("Put B− and lead 0 on the same post, with nothing between them."))
	}
	return true
}

// What may drop between lead 0 and B− at the design current, or where that is not known at the largest device,
// millivolts (policy, rules §9).
const (
	lead0MV     = 10.0
	lead0MostMV = 100.0
)

// spans checks that B− sits where lead 0 does, and that nothing which can open lies between two sense
// leads of one BMS: when it opens under load, the whole string's voltage lands on the inputs beside it.
func (c *checker) spans() {
	fixed := c.WithCells()
	c.JoinTies(fixed, func(t *netlist.Tie) bool { return !t.Opens() && t.Kind != netlist.Precharge })
	part := func(p int) int { r, _, _ := fixed.Find(p); return r }
	for bi, b := range c.Net.BMS {
		if c.tops[bi] < 0 {
			continue
		}
		if b.BMinus != "" && b.Sense[0] != nil && !c.offLead0(b) {
			c.apart(b)
		}
		var parts []int
		for _, s := range b.Sense[:c.tops[bi]+1] {
			if s != nil && !slices.Contains(parts, part(c.Point[*s])) {
				parts = append(parts, part(c.Point[*s]))
			}
		}
		if len(parts) < 2 {
			continue
		}
		low, high := 0.0, 0.0
		for p := range c.Names {
			if _, v, ok := c.joined().Between(c.Point[*b.Sense[c.tops[bi]]], p); ok {
				low, high = min(low, v), max(high, v)
			}
		}
		var names []string
		for i := range c.Ties {
			t := &c.Ties[i]
			if !c.Off[i] && t.Opens() && part(t.A) != part(t.B) && slices.Contains(parts, part(t.A)) &&
				slices.Contains(parts, part(t.B)) {
				names = append(names, t.Name)
			}
		}
		slices.Sort(names)
		if len(names) > 0 {
			c.find(finding.New(finding.Stop, codeDeviceInSpan).About(names[0]).
				Reads(numeral.Round3(high-low), "V").Against(0).
				Says("%s lies between two sense leads of %s: when it opens under load, up to "+
					"%.1f V stand on one input.", finding.Names(names, "devices"), b.ID, high-low).
				Then("Move it to the end of the string, or between two stacked boards made for it."))
		}
	}
}

// apart says that B− of a BMS does not lie where its lead 0 does.
func (c *checker) apart(b netlist.BMS) {
	n, _, ok := c.joined().Between(c.Point[*b.Sense[0]], c.Point[b.BMinus])
	text := fmt.Sprintf("B− of %s is on %s, lead 0 on %s: something that can open or drop volts lies "+
		"between them.", b.ID, b.BMinus, *b.Sense[0])
	var measured *float64
	switch {
	case !ok:
		text = fmt.Sprintf("B− of %s is on %s, lead 0 on %s: no conductor joins them.", b.ID, b.BMinus, *b.Sense[0])
	case n != 0:
		measured = finding.Of(float64(n))
		text = fmt.Sprintf("B− of %s is on %s, %s from lead 0 on %s.", b.ID, b.BMinus,
			numeral.Count(max(n, -n), "group"),
			*b.Sense[0])
	}
	c.find(finding.New(finding.Refuse, codeBMinusOffLead0).About(b.ID).ReadsIf(measured, "groups").Against(0).
		Says("%s", text).
		Then("Put B− and lead 0 on the same post, with nothing between them."))
}

// groups judges each group's voltage against its chemistry, and the charge of the levels against each other.
func (c *checker) groups() {
	undeclared := ""
	type bad struct {
		level           finding.Level
		code, text, do  string
		measured, limit float64
		subject         string
	}
	var list []bad
	for _, x := range c.Cells {
		m := &c.Net.Modules[x.Module]
		v, name := m.Groups[x.Group].Volts, c.groupName(x)
		say := func(l finding.Level, code string, limit float64, text, do string) {
			list = append(list, bad{l, code, fmt.Sprintf("%s is at %.3f V: %s", name, v, text), do, v, limit, name})
		}
		ch, err := chem.Lookup(m.Chemistry)
		if err != nil {
			if undeclared == "" || m.ID < undeclared {
				undeclared = m.ID
			}
			ch.ChargeLimitVolts = chem.MostChargeVolts()
		}
		switch {
		case v <= 0:
			say(finding.Refuse, codeGroupDead, 0, "reversed, dead or misread.",
				"Take the module out, and read the group again on its posts.")
		case err == nil && v < ch.NeverRechargeVolts:
			say(finding.Refuse, codeNeverRecharge, ch.NeverRechargeVolts, fmt.Sprintf("below %.2f V it may never be "+
				"charged again.", ch.NeverRechargeVolts), "Take the module out: quarantine.")
		case err == nil && v < ch.FloorVolts:
			say(finding.Stop, codeGroupLow, ch.FloorVolts,
				fmt.Sprintf("below its floor of %.2f V, near where it may never be charged again.", ch.FloorVolts),
				"Charge it slowly under watch with its voltage monitored, and survey it again before it joins others.")
		case err == nil && v < ch.LookCloserVolts:
			say(finding.Caution, codeGroupLookCloser, ch.LookCloserVolts, "nearly empty.",
				"Charge it slowly under watch before the bank is loaded.")
		case v > ch.ChargeLimitVolts+chem.OverQuarantineVolts:
			say(finding.Refuse, codeGroupOver, ch.ChargeLimitVolts, fmt.Sprintf("far above the charge limit of %.2f V.",
				ch.ChargeLimitVolts), "Read it again. If it is so: park the module outside.")
		case v > ch.ChargeLimitVolts+chem.OverToleranceVolts:
			say(finding.Stop, codeGroupOver, ch.ChargeLimitVolts, fmt.Sprintf("above the charge limit of %.2f V.",
				ch.ChargeLimitVolts), "Discharge that group through a resistor under watch.")
		}
	}
	for _, b := range list {
		c.find(finding.New(b.level, b.code).About(b.subject).Reads(numeral.Round3(b.measured), "V").Against(b.limit).
			Says("%s", b.text).Then("%s", b.do))
	}
	if undeclared != "" {
		c.find(finding.New(finding.Caution, codeChemistryUndeclared).About(undeclared).
			Says("The chemistry is not declared: voltages, full charge and charge of the groups are not judged.").
			Then("Declare it from a label or a data sheet before anything is charged."))
	}
	c.charge()
}
