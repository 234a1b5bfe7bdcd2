package wiring

import (
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

// parallels compares what stands in parallel when everything is on (rules §9 and §11): groups,
// modules and whole strings. The bank is reduced step by step, all branches between the same two nets
// to one and all in a row to one, until nothing stands beside anything.
func (c *checker) parallels() {
	c.bonds()
	net := network.NewLevels(len(c.Names))
	c.JoinTies(net, func(*netlist.Tie) bool { return true })
	root := func(p int) int { r, _, _ := net.Find(p); return r }
	classes := currents.RowsOf(c.Indexed)
	weakest := classes.Weakest(c.Indexed)
	r := currents.NewReducer(func(cells []int, charging bool) (amps float64, what string) {
		return c.allows(cells, charging, classes, weakest)
	})
	for _, p := range slices.Concat(c.Net.Terminals.Plus, c.Net.Terminals.Minus) {
		r.Keep(root(c.Point[p]))
	}
	for i, x := range c.Cells {
		g := c.Net.Modules[x.Module].Groups[x.Group]
		mOhm := g.MOhm
		if mOhm == 0 {
			mOhm = typicalMOhm
		}
		r.Add(root(x.Lo), root(x.Hi), g.Volts, mOhm, i)
	}
	d := r.Widest()
	if d.Volts <= limits.JoinVolts+1e-9 {
		return
	}
	name := c.branchName(d.Cells)
	level, limit := finding.Caution, finding.Of(limits.JoinVolts)
	text := fmt.Sprintf("%s differs by %.3f V from what stands in parallel with it: about %.0f A flow in the first "+
		"moment.", name, d.Volts, d.Amps)
	do := "Bring them to the same voltage first, with everything open."
	measured, unit := d.Volts, "V"
	if over := d.Amps - d.Limit; over > 0 {
		level, limit, measured, unit = finding.Stop, finding.Of(numeral.Round3(d.Limit)), math.Round(d.Amps), "A"
		text += fmt.Sprintf(" %s allows %.0f A.", d.What, d.Limit)
		do = fmt.Sprintf("Do not join them. Bring them within %.0f mV of each other first: charge the lower one, "+
			"or discharge the higher.", 1000*max(limits.JoinVolts/2, d.Volts*d.Limit/d.Amps))
	}
	c.find(finding.New(level, codeParallelDifference).About(name).Reads(numeral.Round3(measured), unit).
		AgainstIf(limit).Says("%s", text).Then("%s", do))
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

// branchName says which modules groups are.
func (c *checker) branchName(cells []int) string {
	var names []string
	groups := map[string][]int{}
	for _, i := range cells {
		x := c.Cells[i]
		id := c.Net.Modules[x.Module].ID
		if groups[id] == nil {
			names = append(names, id)
		}
		groups[id] = append(groups[id], x.Group+1)
	}
	slices.Sort(names)
	switch {
	case len(names) == 1 && len(cells) == 1 && len(c.moduleNamed(names[0]).Groups) > 1:
		return fmt.Sprintf("%s group %d", names[0], groups[names[0]][0])
	case len(names) == 1:
		return names[0]
	case len(names) > 4:
		return fmt.Sprintf("The string of %s to %s (%s)", names[0], names[len(names)-1], numeral.Count(len(names),
			"module"))
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
		c.find(finding.New(finding.Caution, codeBondThin).About(thin.Name).
			Reads(*thin.Cond.RatingA, "A").Against(numeral.Round3(wanted)).
			Says("Bond %s carries %.0f A, a module can feed %.0f A through it.", thin.Name, *thin.Cond.RatingA, wanted).
			Then("Rate each bond for the full current of a module, or fuse each."))
	}
	if bare > 0 {
		c.find(finding.New(finding.Caution, codeBonds).About("bank").Reads(float64(bare), "bonds").Against(0).
			Says("%d bonds of middle taps without a rating: when one module weakens, its mates "+
				"feed it through them.", bare).
			Then("Rate each for the full current of a module, or fuse each."))
	}
}
