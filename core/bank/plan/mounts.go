package plan

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/build"
	"pandrel/core/bank/mount"
)

// typeOf is the type of a module of the design.
func (s Situation) typeOf(number string) Type {
	for _, p := range s.Design.Places {
		if p.Number == number && p.Type != nil {
			return *p.Type
		}
	}
	return s.Type
}

// mounts holds a bank out of service by how its modules take a screw and how their cells are held: once for each type.
func (w *Wiring) mounts(s Situation) {
	var seen []mount.Mount
	for _, p := range s.Design.Places {
		m := s.typeOf(p.Number).Mount
		if slices.Contains(seen, m) {
			continue
		}
		seen = append(seen, m)
		w.Report.IntoService = append(w.Report.IntoService, m.Findings(p.Number)...)
	}
}

// tighten writes the maker's torque into the steps that fit a joint, and how cells are pressed into those that put a
// module down.
func (w *Wiring) tighten(s Situation) {
	ends := map[string][]string{}
	for _, c := range w.Netlist.Conductors {
		for _, end := range []string{c.From, c.To} {
			id, point, ok := strings.Cut(end, ".")
			if ok && s.Design.At(id) >= 0 && slices.Contains(s.typeOf(id).Posts, point) { // a pin is not tightened
				ends[c.ID] = append(ends[c.ID], id)
			}
		}
	}
	for i := range w.Steps {
		st := &w.Steps[i]
		if st.Module != "" {
			if how := s.typeOf(st.Module).Mount.Presses(); how != "" {
				st.Do = strings.TrimSpace(st.Do + " Its cells are pressed first, by the maker's data: " + how + ".")
			}
		}
		if st.Conductor == "" {
			continue
		}
		if t := s.tight(ends[st.Conductor]); t != build.TorqueOpen {
			st.Do = strings.TrimSpace(strings.TrimSuffix(st.Do, build.TorqueOpen)) + " " + t
		}
	}
}

// tight says how tight the posts of modules are made where a joint ends: alike ones in one figure, so that steps that
// are alike stay so.
func (s Situation) tight(modules []string) string {
	var said, figures []string
	for _, id := range modules {
		nm := s.typeOf(id).Mount.Torque()
		if nm == "" {
			return build.TorqueOpen
		}
		said = append(said, fmt.Sprintf("%s on the post of %s", nm, id))
		if !slices.Contains(figures, nm) {
			figures = append(figures, nm)
		}
	}
	switch len(figures) {
	case 0:
		return build.TorqueOpen
	case 1:
		return "Tighten to " + figures[0] + " at the posts of modules, by the maker's data."
	}
	return "Tighten to " + strings.Join(said, " and ") + ", by the maker's data."
}
