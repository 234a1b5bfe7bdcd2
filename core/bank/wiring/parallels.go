package wiring

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// typicalMOhm stands for the ohmic resistance of a group of which none is given.
const typicalMOhm = 1.0

// branch is groups in series between two nets of the bank, or what several such have been merged into.
// Volts are of b above a. A merged branch keeps the groups of one of its parts to be named by.
type branch struct {
	a, b  int
	volts float64
	mOhm  float64
	cells []int
	mixed bool // parts in parallel lie within
	gone  bool
}

// difference is the widest difference between branches that stand in parallel, and the first current
// that it drives when they are joined.
type difference struct {
	volts  float64
	amps   float64
	branch branch
	limit  float64 // what cells and conductors of the branch allow, +Inf where nothing is known
	what   string
}

// parallels compares what stands in parallel when everything is on (handbook §9 and §11): groups,
// modules and whole strings. The bank is reduced step by step, all branches between the same two nets
// to one and all in a row to one, until nothing stands beside anything.
func (c *checker) parallels() {
	c.bonds()
	net := network.NewLevels(len(c.Names))
	c.JoinTies(net, func(*netlist.Tie) bool { return true })
	root := func(p int) int { r, _, _ := net.Find(p); return r }
	r := &reducer{c: c, at: map[int][]*branch{}, keep: map[int]bool{}, classes: currents.RowsOf(c.Indexed)}
	r.weakest = r.classes.Weakest(c.Indexed)
	for _, list := range [][]string{c.Net.Terminals.Plus, c.Net.Terminals.Minus} {
		for _, p := range list {
			r.keep[root(c.Point[p])] = true
		}
	}
	for i, x := range c.Cells {
		g := c.Net.Modules[x.Module].Groups[x.Group]
		mOhm := g.MOhm
		if mOhm == 0 {
			mOhm = typicalMOhm
		}
		r.add(&branch{a: root(x.Lo), b: root(x.Hi), volts: g.Volts, mOhm: mOhm, cells: []int{i}})
	}
	r.run()
	d := r.worst
	if d.volts <= limits.JoinVolts+1e-9 {
		return
	}
	name := c.branchName(d.branch)
	level, limit := finding.Caution, finding.Of(limits.JoinVolts)
	text := fmt.Sprintf("%s differs by %.3f V from what stands in parallel with it: about %.0f A flow in the first "+
		"moment.", name, d.volts, d.amps)
	do := "Bring them to the same voltage first, with everything open."
	measured, unit := d.volts, "V"
	if over := d.amps - d.limit; over > 0 {
		level, limit, measured, unit = finding.Stop, finding.Of(numeral.Round3(d.limit)), math.Round(d.amps), "A"
		text += fmt.Sprintf(" %s allows %.0f A.", d.what, d.limit)
		do = fmt.Sprintf("Do not join them. Bring them within %.0f mV of each other first: charge the lower one, "+
			"or discharge the higher.", 1000*max(limits.JoinVolts/2, d.volts*d.limit/d.amps))
	}
	c.find(level, "parallel-difference", name, finding.Of(numeral.Round3(measured)), limit, unit, text, do)
}

// reducer merges branches. Nets in keep are never merged away.
type reducer struct {
	c       *checker
	at      map[int][]*branch
	keep    map[int]bool
	classes currents.Rows
	weakest map[uint64]*netlist.Tie // of the conductors that lie in a row
	worst   difference
}

func (r *reducer) add(b *branch) {
	if b.a > b.b { // one direction for each pair of nets
		b.a, b.b, b.volts = b.b, b.a, -b.volts
	}
	r.at[b.a] = append(r.at[b.a], b)
	if b.b != b.a {
		r.at[b.b] = append(r.at[b.b], b)
	}
}

func (r *reducer) run() {
	for {
		if r.mergeParallel() {
			continue
		}
		if !r.mergeSeries() {
			return
		}
	}
}

// alive returns the branches at a net that are not merged away.
func (r *reducer) alive(net int) []*branch {
	list := slices.DeleteFunc(r.at[net], func(b *branch) bool { return b.gone })
	r.at[net] = list
	return list
}

func (r *reducer) nets() []int {
	var out []int
	for n := range r.at {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// mergeParallel merges all branches between the same two nets, everywhere at once.
func (r *reducer) mergeParallel() bool {
	changed := false
	for _, n := range r.nets() {
		by := map[int][]*branch{}
		for _, b := range r.alive(n) {
			if b.a == n {
				by[b.b] = append(by[b.b], b)
			}
		}
		for to, list := range by {
			if to == n { // a branch closed upon itself: both ends of a whole string on one net
				for _, b := range list {
					r.compare([]*branch{b, {a: b.a, b: b.b, mOhm: 1e-9}})
					b.gone = true
				}
				changed = true
				continue
			}
			if len(list) < 2 {
				continue
			}
			r.compare(list)
			g, gv := 0.0, 0.0
			for _, b := range list {
				g += 1 / b.mOhm
				gv += b.volts / b.mOhm
				b.gone = true
			}
			first := slices.MinFunc(list,
				func(x, y *branch) int { return cmp.Compare(slices.Min(x.cells), slices.Min(y.cells)) })
			r.add(&branch{a: n, b: to, volts: gv / g, mOhm: 1 / g, cells: first.cells, mixed: true})
			changed = true
		}
	}
	return changed
}

// mergeSeries joins the two branches of every net that only they meet at.
func (r *reducer) mergeSeries() bool {
	changed := false
	for _, n := range r.nets() {
		if r.keep[n] {
			continue
		}
		list := r.alive(n)
		if len(list) != 2 || list[0].a == list[0].b || list[1].a == list[1].b {
			continue
		}
		x, y := *list[0], *list[1]
		if x.b != n {
			x.a, x.b, x.volts = x.b, x.a, -x.volts
		}
		if y.a != n {
			y.a, y.b, y.volts = y.b, y.a, -y.volts
		}
		list[0].gone, list[1].gone = true, true
		r.at[n] = nil
		r.add(&branch{a: x.a, b: y.b, volts: x.volts + y.volts, mOhm: x.mOhm + y.mOhm,
			cells: joinCells(x.cells, y.cells), mixed: x.mixed || y.mixed})
		changed = true
	}
	return changed
}

// joinCells appends the shorter list to the longer; both branches are merged away, so neither is read
// again and a chain of n groups costs about n.
func joinCells(x, y []int) []int {
	if len(x) < len(y) {
		x, y = y, x
	}
	return append(x, y...)
}

// compare finds the branch of a parallel set that lies furthest from the voltage on which they settle.
func (r *reducer) compare(list []*branch) {
	low, high, g, gv := math.Inf(1), math.Inf(-1), 0.0, 0.0
	for _, b := range list {
		low, high = min(low, b.volts), max(high, b.volts)
		g += 1 / b.mOhm
		gv += b.volts / b.mOhm
	}
	for _, b := range list {
		if len(b.cells) == 0 {
			continue
		}
		amps := (gv/g - b.volts) / b.mOhm * 1000 // into the branch at b, as it lies between a and b
		if r.rising(b) < 0 {
			amps = -amps
		}
		limit, what := r.c.allows(b.cells, amps > 0, r.classes, r.weakest)
		d := difference{high - low, math.Abs(amps), *b, limit, what}
		// The one that is furthest above its limit counts; without limits the widest.
		if score(d) > score(r.worst)+1e-12 {
			r.worst = d
		}
	}
}

func score(d difference) float64 {
	if d.volts <= limits.JoinVolts+1e-9 {
		return d.volts / 1e6
	}
	if math.IsInf(d.limit, 1) || d.limit <= 0 {
		return d.volts / 1e3
	}
	return max(d.volts/1e3, d.amps/d.limit)
}

// rising is 1 where a branch's groups have their positive ends towards b, else −1.
func (r *reducer) rising(b *branch) float64 {
	if b.volts < 0 {
		return -1
	}
	return 1
}

// allows is the least current that the groups of a branch and what lies in a row with them allow, in
// amps, and what sets it. Groups without a capacity set none.
func (c *checker) allows(cells []int, charging bool, s currents.Rows, weakest map[uint64]*netlist.Tie) (amps float64,
	what string) {
	amps = math.Inf(1)
	label := uint64(0)
	for k, i := range cells {
		x := c.Cells[i]
		m := &c.Net.Modules[x.Module]
		limit := m.Groups[x.Group].Ah * chem.TypicalDischargeC
		word := "discharge"
		if charging {
			limit, word = m.Groups[x.Group].Ah*chem.TypicalChargeC, "charge"
		}
		switch {
		case charging && m.ChargeA > 0:
			limit = m.ChargeA
		case !charging && m.DischargeA > 0:
			limit = m.DischargeA
		}
		if limit > 0 && limit < amps {
			amps, what = limit, fmt.Sprintf("The %s limit of %s", word, m.ID)
		}
		if k == 0 {
			label = s.Cell[i]
		} else if s.Cell[i] != label {
			label = 0
		}
	}
	if t := weakest[label]; label != 0 && label != s.Load && t != nil && *t.Cond.RatingA < amps {
		amps, what = *t.Cond.RatingA, "The rating of "+t.Name
	}
	return amps, what
}

// branchName says which modules a branch is.
func (c *checker) branchName(b branch) string {
	var names []string
	groups := map[string][]int{}
	for _, i := range b.cells {
		x := c.Cells[i]
		id := c.Net.Modules[x.Module].ID
		if groups[id] == nil {
			names = append(names, id)
		}
		groups[id] = append(groups[id], x.Group+1)
	}
	slices.Sort(names)
	switch {
	case len(names) == 1 && len(b.cells) == 1 && len(c.moduleNamed(names[0]).Groups) > 1:
		return fmt.Sprintf("%s group %d", names[0], groups[names[0]][0])
	case len(names) == 1:
		return names[0]
	case len(names) > 4:
		return fmt.Sprintf("The string of %s to %s (%d modules)", names[0], names[len(names)-1], len(names))
	}
	return "The string of " + strings.Join(names, ", ")
}

func (c *checker) moduleNamed(id string) *netlist.Module {
	return &c.Net.Modules[slices.IndexFunc(c.Net.Modules, func(m netlist.Module) bool { return m.ID == id })]
}

// bonds judges the bonds of middle taps: when one module weakens, its mates feed it through them.
func (c *checker) bonds() {
	bare := 0
	var thin *netlist.Tie
	short, wanted := 0.0, 0.0 // the bond that is furthest below what it may have to carry
	for i := range c.Ties {
		t := &c.Ties[i]
		if t.Kind != netlist.Bond {
			continue
		}
		if t.Cond.RatingA == nil {
			bare++
			continue
		}
		need := 0.0
		for _, p := range []int{t.A, t.B} {
			if m := c.Owner[p]; m >= 0 {
				amps := c.Net.Modules[m].Groups[0].Ah * chem.TypicalDischargeC
				if d := c.Net.Modules[m].DischargeA; d > 0 {
					amps = d
				}
				need = max(need, amps)
			}
		}
		if c.Net.DesignA > 0 {
			need = min(need, c.Net.DesignA)
		}
		if lack := need - *t.Cond.RatingA; lack > short+1e-9 || thin != nil && lack > short-1e-9 && t.Name < thin.Name {
			thin, short, wanted = t, lack, need
		}
	}
	if thin != nil {
		c.find(finding.Caution, "bond-thin", thin.Name, thin.Cond.RatingA, finding.Of(numeral.Round3(wanted)), "A",
			fmt.Sprintf("Bond %s carries %.0f A, a module can feed %.0f A through it.", thin.Name, *thin.Cond.RatingA,
				wanted), "Rate each bond for the full current of a module, or fuse each.")
	}
	if bare > 0 {
		c.find(finding.Caution, "bonds", "bank", finding.Of(float64(bare)), finding.Of(0), "bonds",
			fmt.Sprintf("%d bonds of middle taps without a rating: when one module weakens, its mates feed it "+
				"through them.", bare), "Rate each for the full current of a module, or fuse each.")
	}
}
