package floor

import (
	"fmt"
	"slices"

	"pandrel/core/bank/netlist"
)

// Difference is one thing in which two drawings differ. Wiring says that it changes what is joined, and not only where
// something lies.
type Difference struct {
	On     string
	Text   string
	Wiring bool
}

// Compare says what stands otherwise in now than in was: first what is joined, then what lies elsewhere.
func Compare(was, now Drawing) (out []Difference) {
	add := func(on string, wiring bool, format string, args ...any) {
		out = append(out, Difference{on, fmt.Sprintf(format, args...), wiring})
	}
	for _, c := range was.Joints {
		if text := changed(now, c); text != "" {
			add(c.ID, true, "%s", text)
		}
	}
	for _, c := range now.Joints {
		if was.Joint(c.ID) == nil && same(was, c) == "" {
			add(c.ID, true, "%s is new: %s from %s to %s.", c.ID, c.Kind, c.From, c.To)
		}
	}
	for _, p := range was.Pieces {
		o := now.Piece(p.ID)
		switch {
		case o == nil:
			add(p.ID, true, "%s is gone.", p.ID)
		case o.Opens != p.Opens || o.Drives != p.Drives || o.Supply != p.Supply:
			add(p.ID, true, "%s is set otherwise.", p.ID)
		case o.Place != p.Place:
			add(p.ID, false, "%s stands elsewhere: %s.", p.ID, where(o.Place, p.Place))
		}
	}
	for _, p := range now.Pieces {
		if was.Piece(p.ID) == nil {
			add(p.ID, true, "%s is new: %s.", p.ID, Word(string(p.Kind)))
		}
	}
	slices.SortStableFunc(out, func(a, b Difference) int {
		switch {
		case a.Wiring == b.Wiring:
			return 0
		case a.Wiring:
			return -1
		}
		return 1
	})
	return out
}

// changed says how a joint stands otherwise in another drawing, "" for as it was.
func changed(now Drawing, c netlist.Conductor) string {
	o := now.Joint(c.ID)
	switch {
	case o == nil && same(now, c) == "":
		return fmt.Sprintf("%s is gone: %s from %s to %s.", c.ID, c.Kind, c.From, c.To)
	case o == nil:
		return ""
	case o.Kind != c.Kind:
		return fmt.Sprintf("%s is a %s where it was a %s.", c.ID, o.Kind, c.Kind)
	case !alike(*o, c):
		return fmt.Sprintf("%s goes from %s to %s, and went from %s to %s.", c.ID, o.From, o.To, c.From, c.To)
	case Rating(*o) != Rating(c):
		return fmt.Sprintf("%s: %s, before %s.", c.ID, Rating(*o), Rating(c))
	case o.Open != c.Open:
		return fmt.Sprintf("%s is %s, and was %s.", c.ID, openText(o.Open), openText(c.Open))
	}
	return ""
}

func openText(open bool) string {
	if open {
		return "open"
	}
	return "closed"
}

// alike reports whether two joints join the same points, whichever end is named first.
func alike(a, b netlist.Conductor) bool {
	return a.From == b.From && a.To == b.To || a.From == b.To && a.To == b.From
}

// same is the name of a joint of a drawing that is this one by another name, "" for none.
func same(d Drawing, c netlist.Conductor) string {
	for _, o := range d.Joints {
		if o.Kind == c.Kind && alike(o, c) {
			return o.ID
		}
	}
	return ""
}

func where(now, was Place) string {
	switch {
	case now.Turn != was.Turn:
		return "turned"
	case now.Flip != was.Flip:
		return "flipped"
	case now.Layer != was.Layer:
		return fmt.Sprintf("on layer %d", now.Layer+1)
	}
	return fmt.Sprintf("moved by %.0f mm across and %.0f mm down", now.XMM-was.XMM, now.YMM-was.YMM)
}
