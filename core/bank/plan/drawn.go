package plan

import (
	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/module/layout"
)

// All lists the modules of a design in the order of their places.
func (d Design) All() (out []string) {
	for _, p := range d.Places {
		out = append(out, p.Number)
	}
	return out
}

// Alone is one module as a netlist has it, of whatever bank.
func Alone(p Place, t Type, lay layout.Map, c chem.ID) netlist.Module {
	d := Design{Places: []Place{p}}
	d.Candidate.Chemistry = c
	l := &lister{d: d, t: t, lay: lay, at: map[[2]int]string{}, own: map[string]layout.Map{}, of: map[string]Type{}}
	l.module(p)
	return l.n.Modules[0]
}

// Chains are the modules of each string from its negative up, those in parallel beside each other.
func (d Design) Chains() (out [][][]string) {
	strings := d.Strings()
	out = make([][][]string, strings)
	for _, p := range d.Places {
		st, pos := 0, p.Position
		if strings > 1 {
			st = p.Mate
		}
		for len(out[st]) <= pos {
			out[st] = append(out[st], nil)
		}
		out[st][pos] = append(out[st][pos], p.Number)
	}
	return out
}

// Drawing is the design as it draws itself: the modules with the shortest links, and everything that its netlist has.
func (w Wiring) Drawing(d Design, shapes floor.Units) floor.Drawing {
	return floor.FromNetlist(w.Netlist, shapes.With(w.Netlist.Modules), d.Chains())
}
