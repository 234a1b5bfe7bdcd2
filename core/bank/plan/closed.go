package plan

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
)

// closed says what packs with a BMS of their own inside ask for in series: each of their switches stands in one
// circuit, and nothing outside sees their groups.
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
			"must open one circuit: when either opens, the whole is off."))
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
				"put in series.").At(finding.PlaceType))
	case least < w.FullV:
		add(finding.New(finding.Refuse, codeClosedSwitchLow).Reads(w.FullV, "V").Against(least).
			Says("When one opens, its switch bears the whole %.1f V, and one of them bears %.0f V.", w.FullV, least).
			Then("They are not put in series.").At(finding.PlaceType))
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
			"balancing gets it out.", bank, finding.Names(out, "modules")).
		Then("Nothing, where that is meant. Else put like beside like."))
}

// wakes holds a BMS that wakes on a charger against the bank as it stands, and against the charger that was typed.
func (w *Wiring) wakes(s Situation) {
	by, now := s.Device.WakeVolts, w.NowVolts()
	if by <= 0 || now <= 0 || len(w.Assumed) > 0 && !w.EndsOnly() {
		return
	}
	f := finding.New(finding.Note, codeWakes).About(s.Device.Name).By("rules §14").Reads(now+by, "V")
	text := fmt.Sprintf("It wakes on %.1f V above the bank: %.1f V now.", by, now+by)
	do := "A charger that gives no voltage before it sees a battery does not wake it: its data sheet says."
	if most := s.Need.ChargeMaxVolts; most > 0 {
		f = f.Against(most)
		text += fmt.Sprintf(" The charger's %.1f V are enough only while the bank stands below %.1f V.", most, most-by)
		if now+by > most {
			f.Level = finding.Caution
			do = "Let the bank down first, or wake it by another way that its data sheet names."
		}
	}
	if s.Design.Candidate.Chemistry == "" {
		f.Level = finding.Stop
		f.Code = codeWakeNoCharge
		text += " The chemistry is not declared: no charge, so no waking by a charger either."
		do = "Declare it first, from a label or a data sheet."
	}
	w.Report.Findings = append(w.Report.Findings, f.Says("%s", text).Then("%s", do))
}

// ports says where the supply lead of each board goes, and which port the charger takes.
func (w *Wiring) ports(s Situation) {
	note := func(code, about, text, do string) {
		if text != "" {
			w.Report.Findings = append(w.Report.Findings, finding.New(finding.Note, code).About(about).By("rules §9").
				Says("%s", text).Then("%s", do))
		}
	}
	top := map[string]string{}
	for _, r := range w.Report.SenseTable { // in the order of the inputs
		if !r.Spare && r.Point != "" {
			top[r.BMS] = r.Point
		}
	}
	for _, b := range w.Netlist.BMS {
		if point := top[b.ID]; point != "" {
			note(codeSupply, b.ID, s.Device.SupplyText(point), "It stays on the cells whatever the BMS opens: nothing "+
				"else is joined to it, and the plug goes in last.")
		}
	}
	note(codeChargePort, s.Device.Name, s.Device.PortText(), "Mark both ends before anything is joined.")
}

// leftOut says that nothing on record ranks modules that are known alike, where one of them is left out.
func (w *Wiring) leftOut(s Situation) {
	d := s.Design
	n := len(d.Match.LeftOver)
	if n == 0 || d.TestedAh > 0 || len(d.Places) != len(d.Untested()) || !d.UntestedAlike() && len(d.Unrated()) == 0 {
		return
	}
	w.Report.Findings = append(w.Report.Findings, finding.New(finding.Note,
		codeLeftOutOpen).About("bank").By("rules §6").
		Reads(float64(n), "modules").
		Says("%d stay out, and which is left open: what is known of all is alike, and voltages where the "+
			"curve is flat rank nothing.", n).
		Then("The capacity of each, all %d, would say which is the weakest. Until then any may be the one.",
			len(d.Places)+n))
}
