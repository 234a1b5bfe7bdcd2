package draw

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/plan"
	"pandrel/core/module/layout"
	"pandrel/core/module/survey"
	"pandrel/core/module/variant"
)

// MapLadder is a map as a ladder; without groups yet, its nodes alone.
func MapLadder(title string, m layout.Map) Ladder {
	l := Ladder{Title: title}
	volts := 0.0
	for _, g := range m.Groups {
		l.Rungs = append(l.Rungs, Rung{Points: g.Negative, Volts: volts, Hidden: len(g.Negative) == 0})
		l.Blocks = append(l.Blocks, Block{Label: fmt.Sprintf("group %d", g.Index), Volts: g.Volts})
		volts += g.Volts
	}
	if n := len(m.Groups); n > 0 {
		l.Rungs = append(l.Rungs, Rung{Points: m.Groups[n-1].Positive, Volts: volts})
		return l
	}
	for i, n := range m.Nodes {
		l.Rungs = append(l.Rungs, Rung{Points: n.Points, Volts: n.Volts})
		if i > 0 {
			l.Blocks = append(l.Blocks, Block{Label: "step", Volts: n.Volts - m.Nodes[i-1].Volts})
		}
	}
	return l
}

// SurveyLadder is a survey on the layout of its module; of a layout with another count of groups no points are shown.
func SurveyLadder(r survey.Result, lay layout.Map) Ladder {
	l := Ladder{Title: "Survey of " + r.Module}
	if len(lay.Groups) != len(r.Groups) {
		lay = layout.Map{}
	}
	volts := 0.0
	for i, g := range r.Groups {
		var rung Rung
		if len(lay.Groups) > 0 {
			rung = Rung{Points: lay.Groups[i].Negative, Hidden: len(lay.Groups[i].Negative) == 0}
		}
		rung.Volts = volts
		l.Rungs = append(l.Rungs, rung)
		l.Blocks = append(l.Blocks, Block{Label: fmt.Sprintf("group %d", g.Group), Volts: g.Volts,
			Verdict: string(g.Verdict), OffsetPct: g.ShownOffsetPct(r.MedianV)})
		volts += g.Volts
	}
	top := Rung{Volts: volts}
	if n := len(lay.Groups); n > 0 {
		top.Points = lay.Groups[n-1].Positive
	}
	l.Rungs = append(l.Rungs, top)
	return l
}

// PartLadder is the groups surveyed so far on the layout; the rest stands as it was mapped, without a verdict.
func PartLadder(title string, lay layout.Map, r survey.Result) Ladder {
	l := MapLadder(title, lay)
	volts := 0.0
	for i := range l.Blocks {
		l.Blocks[i].Label = fmt.Sprintf("group %d, to come", i+1)
		if i < len(r.Groups) {
			l.Blocks[i] = Block{Label: fmt.Sprintf("group %d", i+1), Volts: r.Groups[i].Volts,
				Verdict: string(r.Groups[i].Verdict)}
		}
		l.Rungs[i].Volts = volts
		volts += l.Blocks[i].Volts
	}
	l.Rungs[len(l.Rungs)-1].Volts = volts
	return l
}

// VariantLadder is one piece of a variant, with which posts and how many taps it leaves. declared are the posts of
// its type.
func VariantLadder(x variant.Variant, declared []string) (l Ladder, posts string, taps int) {
	l.Title = x.Title
	per := x.LowVolts / float64(max(1, x.Series))
	var ends []string
	for i, n := range x.Nodes {
		r := Rung{Points: n.Points, Volts: per * float64(i), Hidden: len(n.Points) == 0 && !n.Post}
		if n.New {
			r.Points = append([]string{"new"}, n.Points...)
		}
		if n.Post && (i == 0 || i == len(x.Nodes)-1) {
			name := "a new stud"
			for _, p := range n.Points {
				if slices.Contains(declared, p) {
					name = p
				}
			}
			ends = append(ends, name)
		} else if len(r.Points) > 0 {
			taps++
		}
		l.Rungs = append(l.Rungs, r)
		if i > 0 {
			l.Blocks = append(l.Blocks, Block{Label: fmt.Sprintf("group %d", i), Volts: per})
		}
	}
	return l, strings.Join(ends, " and "), taps
}

// Read is the ladder with the volts of its groups as they were read, from the main negative.
func (l Ladder) Read(volts []float64) Ladder {
	at := 0.0
	for i := range l.Rungs {
		l.Rungs[i].Volts = at
		if i < len(l.Blocks) && i < len(volts) {
			l.Blocks[i].Volts = volts[i]
			at += volts[i]
		}
	}
	return l
}

// BankOf is a designed bank as a picture, with potentials and sense inputs.
func BankOf(title string, d plan.Design, w plan.Wiring) Bank {
	p := Bank{Title: title, Series: d.Candidate.ModulesInString, Parallel: d.Candidate.Parallel,
		StringsFirst: d.StringsApart(), PlusVolts: w.Report.Potentials[plan.OutPlus]}
	for _, x := range w.Netlist.BMS {
		p.BMS = append(p.BMS, x.ID)
	}
	p.Fuses, p.Relays = plan.FuseLabels(w.Netlist)
	p.LinkName = d.LinkName
	if p.PartAfter = w.PartAfter; p.PartAfter > 0 {
		p.LinkName = func(position, mate int) string {
			if position+1 == w.PartAfter {
				return plan.PartName(d, mate)
			}
			return d.LinkName(position, mate)
		}
	}
	p.Between = func(position, mate int) string { return plan.BondNames(w.Netlist, position, mate) }
	for _, pl := range w.Places {
		m := BankModule{Label: pl.Number, Position: pl.Position, Mate: pl.Mate}
		m.Volts, m.Sense = w.Stand(pl)
		p.Modules = append(p.Modules, m)
	}
	return p
}
