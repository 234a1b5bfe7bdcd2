package plan

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
)

// closed says what packs with a BMS of their own inside ask for in series: each of their switches stands in one
// circuit,
// and nothing outside sees their groups.
func (w *Wiring) closed(s Situation) {
	var packs, open []string
	least := math.Inf(1)
	for _, p := range s.Design.Places {
		t := s.Type
		if p.Type != nil {
			t = *p.Type
		}
		if !t.Closed {
			continue
		}
		if packs = append(packs, p.Number); t.SwitchVolts <= 0 {
			open = append(open, p.Number)
		} else {
			least = min(least, t.SwitchVolts)
		}
	}
	if len(packs) == 0 {
		return
	}
	add := func(f finding.Finding) {
		w.Report.Findings = append(w.Report.Findings, f.About(packs[0]).By("rules §14"))
	}
	add(finding.New(finding.Caution, codeClosedPacks).Reads(float64(len(packs)), "packs").
		Says("Closed, each with a BMS of its own: %s. No monitor outside sees their groups.", finding.Names(packs,
			"packs")).
		Then("Each is charged by its own charger before, and they are never charged in series unwatched. Both " +
			"must open " +
			"one circuit: when either opens, the whole is off."))
	if len(packs) < 2 {
		return
	}
	switch {
	case len(open) > 0:
		add(finding.New(finding.Stop, codeClosedSwitch).Reads(w.FullV, "V").
			Says("When one opens, its switch bears the whole %.1f V. What the switch of %s bears is not known.",
				w.FullV,
				finding.Names(open, "packs")).
			Then("Ask its maker, and write it down with its type. No, or no answer, is a stop: they are not " +
				"put in series."))
	case least < w.FullV:
		add(finding.New(finding.Refuse, codeClosedSwitchLow).Reads(w.FullV, "V").Against(least).
			Says("When one opens, its switch bears the whole %.1f V, and one of them bears %.0f V.", w.FullV, least).
			Then("They are not put in series."))
	}
}

// unused says what the stronger parts of a string keep for themselves: in series the weakest ends it.
func (w *Wiring) unused(s Situation) {
	d := s.Design
	bank := d.Ah().V()
	if len(d.Candidate.Types) == 0 || bank <= 0 || len(d.Unrated()) > 0 || d.TestedAh > 0 || d.Candidate.Parallel > 1 {
		return
	}
	var out []string
	for _, p := range d.Places {
		if rest := 1 - bank/p.Ah().V(); rest >= 0.1 {
			out = append(out, fmt.Sprintf("%.0f %% of %s", rest*100, p.Number))
		}
	}
	if len(out) == 0 {
		return
	}
	slices.Sort(out)
	w.Report.Findings = append(w.Report.Findings, finding.New(finding.Note, codeUnused).About("bank").By("rules §6").
		Reads(bank, "Ah").From(d.Ah().From()).
		Says("As one string it gives about %.0f Ah, by what is known of its weakest: %s stays unused, and no "+
			"balancing "+
			"gets it out.", bank, finding.Names(out, "modules")).
		Then("Nothing, where that is meant. Else put like beside like."))
}
