package wiring

import (
	"slices"
	"strings"

	"pandrel/core/bank/balance"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
)

// charge compares the charge of the levels of each string. Groups held in parallel are one level.
func (c *checker) charge() {
	hard := network.NewLevels(len(c.Names))
	c.JoinTies(hard, func(t *netlist.Tie) bool { return t.Solid() || t.Kind == netlist.Shunt })
	type key struct{ lo, hi int }
	at := map[key]*balance.Group{}
	var order []key
	for _, x := range c.Cells {
		m := &c.Net.Modules[x.Module]
		g := m.Groups[x.Group]
		ch, err := chem.Lookup(m.Chemistry)
		if err != nil || g.Volts < ch.NeverRechargeVolts {
			return // not judged, or said already
		}
		lo, _, _ := hard.Find(x.Lo)
		hi, _, _ := hard.Find(x.Hi)
		k := key{lo, hi}
		if at[k] == nil {
			at[k] = &balance.Group{Name: c.groupName(x), Chemistry: m.Chemistry, Curve: m.Curve}
			order = append(order, k)
		}
		b := at[k]
		if name := c.groupName(x); name < b.Name {
			b.Name, b.Curve = name, m.Curve
		}
		b.Volts += g.Volts * weight(g.Ah)
		b.Ah += weight(g.Ah)
	}
	groups := make([]balance.Group, 0, len(order))
	for _, k := range order {
		b := *at[k]
		b.Volts /= b.Ah
		groups = append(groups, b)
	}
	if known := !slices.ContainsFunc(c.Net.Modules, func(m netlist.Module) bool {
		return slices.ContainsFunc(m.Groups, func(g netlist.Group) bool { return g.Ah == 0 })
	}); !known {
		for i := range groups {
			groups[i].Ah = 0
		}
	}
	slices.SortFunc(groups, func(a, b balance.Group) int { return strings.Compare(a.Name, b.Name) })
	if r, err := balance.JudgeGroups(groups); err == nil {
		c.r.Findings = append(c.r.Findings, r.Findings...)
	}
}

// weight is a capacity, or one where none is known.
func weight(ah float64) float64 {
	if ah > 0 {
		return ah
	}
	return 1
}
