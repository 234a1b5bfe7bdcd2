package plan

import (
	"maps"
	"slices"
	"strings"

	"pandrel/core/bank/build"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
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

// physical puts each module that covers posts behind the joints at those posts: electrical order yields where one part
// covers another. It cannot yield to a joint that waits until the sense leads are on, since they go on that module too:
// buried are the modules that cover posts of one.
func physical(steps []build.Step, covers map[string][]string, n netlist.Netlist) (out []build.Step, buried []string) {
	own := map[string][]string{}
	for _, c := range n.Conductors {
		for _, end := range []string{c.From, c.To} {
			if id, _, ok := strings.Cut(end, "."); ok {
				own[id] = append(own[id], c.ID)
			}
		}
	}
	for _, id := range slices.Sorted(maps.Keys(covers)) {
		from := slices.IndexFunc(steps, func(s build.Step) bool { return s.Module == id })
		to := -1
		for i, s := range steps {
			if s.Conductor != "" && slices.Contains(covers[id], s.Conductor) {
				to = i
			}
		}
		leads := slices.IndexFunc(steps, func(s build.Step) bool { return strings.HasPrefix(s.Key, build.Negative) })
		if from < 0 || to < from {
			continue
		}
		if leads >= 0 && to > leads {
			buried = append(buried, id)
			continue
		}
		moved := []build.Step{steps[from]}
		var rest []build.Step
		for i, s := range steps[:to+1] { // its own joints follow it
			switch {
			case i == from:
			case s.Conductor != "" && slices.Contains(own[id], s.Conductor):
				moved = append(moved, s)
			default:
				rest = append(rest, s)
			}
		}
		steps = slices.Concat(rest, moved, steps[to+1:])
	}
	now := map[int]int{}
	for i := range steps {
		now[steps[i].Number] = i + 1
		steps[i].Number = i + 1
	}
	for i := range steps {
		if at := now[steps[i].Repeats]; at < steps[i].Number {
			steps[i].Repeats = at
		} else {
			steps[i].Repeats = 0
		}
	}
	return steps, buried
}

// buries says which modules cover posts that must be reached after the sense leads are on.
func (w *Wiring) buries(ids []string) {
	for _, id := range ids {
		joints := w.Covers[id]
		delete(w.Covers, id)
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Stop, codeBuriesLate).About(id).
			Reads(float64(len(joints)), "joints").Against(0).By("rules §9").
			Says("%s covers posts of %s, of which one waits until the sense leads are on: it cannot be reached then.",
				id, finding.Names(joints, "joints")).
			Then("Move it on the plan."))
	}
}

// Drawing is the design as it draws itself: the modules with the shortest links, and everything that its netlist has.
func (w Wiring) Drawing(d Design, shapes floor.Units) floor.Drawing {
	return floor.FromNetlist(w.Netlist, shapes.With(w.Netlist.Modules), d.Chains())
}
