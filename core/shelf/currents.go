package shelf

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

var metalsField = Field{Key: "metal", Label: "Metal", Kind: Choice, Choices: [][2]string{{"copper", "copper"},
	{"aluminium", "aluminium"}}, Start: "copper"}

var pathWorking = Working{Key: "path", Title: "Load current and weakest link", About: abouts[1], Question: "How many " +
	"amps is that, and what in the path bears it least?", Fields: []Field{
	num("watts", "Load", "W", "1500", ""),
	num("efficiency", "Device's efficiency", "%", "90", ""),
	num("volts", "Volts at cut-off", "V", "22", "Where the current is highest"),
	num("surge_w", "Surge, for seconds", "W", "2000", "Empty: twice the load"),
	num("ah", "Capacity of a cell or module", "Ah", "100", "For its C-rate; empty: not known"),
	num("parallel", "Of them in parallel", "", "1", ""),
	{Key: "path", Label: "The path", Kind: Lines, Start: "cable: 110\nbreaker: 100 150\nBMS: 100 200\nconnector: " +
		"50 70 x2", Help: "a line each: name, amps for ever, amps for seconds, x2 for two side by side"}},
	Source: "rules §10 and §17: A = W / (efficiency × V at cut-off); the least rating of the path is " +
		"the path's", Not: []string{"heat of parts beside each other", notTheCode}, solve: solvePath}

// solvePath binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solvePath(r *reader, a *Answer) error {
	w, eff, v := r.num("watts", 0.1, 1e6), r.opt("efficiency", 90, 20, 100)/100, r.num("volts", 0.5, 2000)
	surgeW := r.opt("surge_w", 2*w, 0, 1e7)
	ah, par := r.opt("ah", 0, 0.01, 1e5), r.optWhole("parallel", 1, 1, 1000)
	rows := r.rows("path", 0, 60)
	if len(r.bad) > 0 {
		return nil
	}
	if !r.given("surge_w") {
		a.assume("surge not given: twice the load")
	}
	amps, surge := window.LoadAmps(w, eff, v), window.LoadAmps(surgeW, eff, v)
	a.formula("%s W / (%s × %s V) = %s A", fig(w), dec(eff, 2), fig(v), fig(amps))
	var es []sizing.Element
	if ah > 0 {
		es = append(es, sizing.Element{Name: "cells", EverAmps: chem.TypicalDischargeC * ah,
			PeakAmps: chem.TypicalPeakC * ah, InParallel: par, Assumed: true})
		a.assume("what the cells bear: typical, %.0f C for ever and %.0f C for seconds", chem.TypicalDischargeC,
			chem.TypicalPeakC)
		a.line("Of each cell or module", fmt.Sprintf("%s A, %s C", fig(amps/float64(par)), dec(amps/float64(par)/ah,
			2)), "")
	}
	for _, x := range rows {
		e := sizing.Element{Name: x.name, EverAmps: x.at(0), PeakAmps: x.at(1), InParallel: 1}
		for _, word := range x.words {
			n, ok := strings.CutPrefix(word, "x")
			if _, err := fmt.Sscan(n, &e.InParallel); !ok || err != nil {
				r.stray("path", x.name, word)
			}
		}
		if e.EverAmps < 0 || e.PeakAmps < 0 || e.InParallel < 1 || e.InParallel > 100 {
			r.bad["path"] = x.name + ": expected amps above 0"
		}
		es = append(es, e)
	}
	res, err := sizing.Path(amps, surge, es)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	a.Says = fmt.Sprintf("%.1f A at %.1f V, design for %.0f A.", amps, v, math.Ceil(sizing.DesignFactor*amps))
	if res.Weakest != "" {
		a.Says += fmt.Sprintf(" The weakest is %s: the path bears %.0f A for ever.", res.Weakest, res.EverAmps)
	}
	a.line("Load current", fig(amps), "A")
	a.line("Design current, × 1.25", fig(sizing.DesignFactor*amps), "A")
	a.line("Surge", fig(surge), "A")
	a.line("The path bears for ever", fig(res.EverAmps), "A")
	a.line("and for seconds", fig(res.PeakAmps), "A")
	t := Table{Title: "The path", Heads: []string{"Element", "For ever", "For seconds", "Load of it"}, Words: 1}
	for _, e := range es {
		n := float64(e.InParallel)
		share := "not known"
		if e.EverAmps > 0 {
			share = dec(amps/(e.EverAmps*n)*100, 0) + " %"
		}
		t.Rows = append(t.Rows, []string{e.Name, fig(e.EverAmps*n) + " A", fig(max(e.PeakAmps, e.EverAmps)*n) + " A",
			share})
	}
	a.Tables = append(a.Tables, t)
	return nil
}

var cableWorking = Working{Key: "cable", Title: "Cable", About: abouts[1], Question: "How thick must it be, and what " +
	"does it lose?", Fields: []Field{
	num("amps", "The larger of load and charge", "A", "75", ""),
	num("length", "One way", "m", "1.5", "The current goes there and back"),
	num("volts", "System", "V", "24", ""),
	num("drop", "Drop that is allowed", "%", "3", "1 in the bank, 3 to the load"),
	metalsField,
	{Key: "place", Label: "It lies", Kind: Choice, Choices: [][2]string{{"free-air", "in free air"}, {"conduit",
		"in conduit or a bundle"}}, Start: "free-air"},
	{Key: "posts", Label: "Ends on cell posts", Kind: Tick, Start: "yes", Help: "The 60 °C column: a hot lug " +
		"heats the cell"},
	num("ambient", "Around it", "°C", "30", ""),
	num("mm2", "or a section in hand", "mm²", "", "Empty: the thinnest that does"),
	num("other", "Cable of the string beside it, one way", "m", "", "Where two strings share"),
	num("string", "Resistance of each string", "mΩ", "10", "For what unequal cables do")}, Source: "rules §10: " +
	"NEC 310.16 and 310.17 at 75 °C, 60 °C at cell posts, √((Tc − Ta)/(Tc − 30)); 0.017241 Ω·mm²/m",
	Not: []string{"bends, bundles, the insulation's class", notTheCode}, solve: solveCable}

// solveCable binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveCable(r *reader, a *Answer) error {
	c := sizing.Cable{Amps: r.num("amps", 1e-3, 1e5), OneWayM: r.num("length", 0, 1e4), Volts: r.num("volts", 0.1,
		2000), DropShare: r.opt("drop", 3, 0.01, 50) / 100, Metal: sizing.Metal(r.word("metal")),
		Place: sizing.Place(r.word("place")), AtPosts: r.yes("posts"), AmbientC: r.opt("ambient", 30, -40, 59)}
	mm2 := r.opt("mm2", 0, 0.1, 1e4)
	if len(r.bad) > 0 {
		return nil
	}
	var s sizing.Sized
	var err error
	if mm2 > 0 {
		s, err = sizing.Of(c, mm2)
	} else {
		s, err = sizing.Choose(c)
	}
	if err != nil {
		return err
	}
	a.Result = s
	by := "the heat decides"
	if s.ByDrop {
		by = "the drop decides"
	}
	a.Says = fmt.Sprintf("%s mm² (AWG %s nearest): it bears %.0f A; at %s A it loses %.2f V, %.2f %%; %s.", fig(s.MM2),
		s.AWG, s.BearsAmps, fig(c.Amps), s.DropVolts, s.DropShare*100, by)
	if mm2 > 0 {
		a.Says = fmt.Sprintf("%s mm² bears %.0f A; at %s A it loses %.2f V, %.2f %%.", fig(s.MM2), s.BearsAmps,
			fig(c.Amps), s.DropVolts, s.DropShare*100)
		over := func(code string, level finding.Level, m, limit float64, unit, text string) {
			a.Findings = append(a.Findings, finding.New(level, code).About("cable").
				Reads(m, unit).Against(limit).By("rules §10").
				Says("%s", text).
				Then("A thicker cable, or a shorter way."))
		}
		if s.BearsAmps < s.DesignAmps {
			over("thin", finding.Stop, math.Round(s.DesignAmps), math.Floor(s.BearsAmps), "A",
				fmt.Sprintf("%.0f A are to be designed for; it bears %.0f A.", s.DesignAmps, s.BearsAmps))
		}
		if s.DropShare > c.DropShare {
			over("drop", finding.Caution, math.Round(s.DropShare*1000)/10, c.DropShare*100, "%",
				fmt.Sprintf("It loses %.1f %% of the volts.", s.DropShare*100))
		}
	}
	low, high := sizing.RingHole(sizing.StudFor(s.MM2))
	if mm2 == 0 {
		a.Says = strings.TrimSuffix(a.Says, ".") + fmt.Sprintf("; lug for an M%.0f stud.", sizing.StudFor(s.MM2))
	}
	a.line("Section", fig(s.MM2), "mm²")
	a.line("AWG, nearest", s.AWG, "")
	a.line("Bears", dec(s.BearsAmps, 0), "A")
	a.line("Design current", fig(s.DesignAmps), "A")
	a.line("Loses, both ways", dec(s.DropVolts, 3), "V")
	a.line("that is", dec(s.DropShare*100, 2), "%")
	a.line("Warmer than around", dec(s.RiseK, 0), "K")
	a.line("Heat in it", fig(s.LostWatts), "W")
	a.line("Resistance, both ways", dec(s.MOhm, 2), "mΩ")
	a.line("Lug", fmt.Sprintf("%s mm², M%.0f, hole %.1f to %.1f", fig(s.MM2), sizing.StudFor(s.MM2), low, high), "mm")
	a.formula("1.25 × %s A = %s A; Ω = ρ × 2 × %s m / %s mm²; drop = %s A × %s mΩ", fig(c.Amps), fig(s.DesignAmps),
		fig(c.OneWayM), fig(s.MM2), fig(c.Amps), dec(s.MOhm, 2))
	a.Uses["cable_a"] = dec(math.Floor(s.BearsAmps), 0)
	if other := r.opt("other", 0, 0, 1e4); other > 0 && other != c.OneWayM {
		a.unequalCables(r, c, s, other)
	}
	t := Table{Title: "Sections beside it", Heads: []string{"mm²", "AWG", "Bears", "Loses", "Heat", "Warmer"}}
	for _, m := range sizing.Sections() {
		if m < s.MM2/4 || m > s.MM2*4 {
			continue
		}
		if x, err := sizing.Of(c, m); err == nil {
			t.Rows = append(t.Rows, []string{fig(m), x.AWG, dec(x.BearsAmps, 0) + " A", dec(x.DropShare*100, 2) + " %",
				fig(x.LostWatts) + " W", dec(x.RiseK, 0) + " K"})
		}
	}
	a.Tables = append(a.Tables, t)
	return nil
}

// unequalCables says what another length does to the share of two strings alike.
func (a *Answer) unequalCables(r *reader, c sizing.Cable, s sizing.Sized, otherM float64) {
	mOhm := r.opt("string", 10, 0.01, 1e5)
	x := c
	x.OneWayM = otherM
	o, err := sizing.Of(x, s.MM2)
	if err != nil {
		return
	}
	share := sizing.Inequality(mOhm, s.MOhm, o.MOhm)
	a.line("Shares beside the other cable", fmt.Sprintf("%s to %s", dec(share*100, 1), dec((1-share)*100, 1)), "%")
	if off := math.Abs(share - 0.5); off > 0.02 {
		a.Findings = append(a.Findings, finding.New(finding.Caution,
			"cables-unequal").About("strings").Reads(math.Round(max(share, 1-share)*1000)/10,
			"%").Against(52).By("rules §12").
			Says("Cables of %s and %s m: one string carries %.0f %% of the current.", fig(c.OneWayM), fig(otherM),
				max(share, 1-share)*100).
			Then("Cut both to the same length, whatever the way."))
	}
}

var stockWorking = Working{Key: "stock", Title: "A conductor in the hand", About: abouts[1], Question: "This strap, " +
	"this cable without a print: what does it bear?", Fields: []Field{
	num("strands", "Strands", "", "", "Counted"),
	num("strand", "of a diameter of", "mm", "", ""),
	num("width", "or a bar, wide", "mm", "20", ""),
	num("thick", "thick; or a pipe's wall", "mm", "3", ""),
	num("hole", "Hole across it", "mm", "8.5", ""),
	num("pipe", "or a pipe's outer diameter", "mm", "", "Flattened to a strap"),
	metalsField,
	num("print", "Printed on it", "mm²", "", ""),
	num("ambient", "Around it", "°C", "30", "")}, Source: "rules §10 and §17: bar by Melsom and Booth, " +
	"7.73·A^0.5·p^0.39 × (rise/50)^0.6, net of holes; cable by the table", Not: []string{"alloys, plating, " +
	"corrosion", notTheCode}, solve: solveStock}

func solveStock(r *reader, a *Answer) error {
	s := sizing.Stock{Strands: r.optWhole("strands", 0, 1, 100000), StrandMM: r.opt("strand", 0, 0.01, 50),
		WidthMM: r.opt("width", 0, 0.1, 1000), ThickMM: r.opt("thick", 0, 0.05, 100), HoleMM: r.opt("hole", 0, 0, 500),
		PipeMM: r.opt("pipe", 0, 0.5, 500), Metal: sizing.Metal(r.word("metal")), PrintMM2: r.opt("print", 0, 0.01,
			1e4), AmbientC: r.opt("ambient", 30, -40, 59)}
	if len(r.bad) > 0 {
		return nil
	}
	m, err := sizing.Measure(s)
	if err != nil {
		return err
	}
	a.Result = m
	a.Says = fmt.Sprintf("A %s of %s mm² (AWG %s nearest): it bears %.0f A at cell posts.", m.Kind, fig(m.MM2), m.AWG,
		m.BearsAmps)
	a.line("Section, net", fig(m.MM2), "mm²")
	a.line("AWG, nearest", m.AWG, "")
	a.line("Bears for ever", dec(m.BearsAmps, 0), "A")
	a.line("Rise that is allowed", dec(sizing.BarRise(s.AmbientC), 0), "K")
	switch m.Kind {
	case "cable":
		a.formula("%d × π/4 × (%s mm)² = %s mm²", s.Strands, fig(s.StrandMM), fig(m.MM2))
	case "bar":
		a.formula("(%s − %s mm) × %s mm = %s mm²", fig(s.WidthMM), fig(s.HoleMM), fig(s.ThickMM), fig(m.MM2))
	default:
		a.formula("π × (%s − %s mm) × %s mm, less the hole in both walls = %s mm²", fig(s.PipeMM), fig(s.ThickMM),
			fig(s.ThickMM), fig(m.MM2))
	}
	if math.Abs(m.PrintOff) > 0.1 {
		a.Findings = append(a.Findings, finding.New(finding.Caution,
			"print-off").About(m.Kind).Reads(math.Round(m.MM2*10)/10, "mm²").Against(s.PrintMM2).By("rules §17").
			Says("It says %s mm² and measures %s mm²: %+.0f %%.", fig(s.PrintMM2), fig(m.MM2), m.PrintOff*100).
			Then("Go by what was measured; look whether the strands are copper at all."))
	}
	return nil
}

var fuseWorking = Working{Key: "fuse", Title: "Fuse", About: abouts[1],
	Question: "Which rating, which kind, and what must it break?",
	Fields: []Field{
		num("amps", "The larger of load and charge", "A", "75", ""),
		num("conductor", "The conductor behind it bears", "A", "130", "Empty: not known"),
		num("full_v", "Bank at full charge", "V", "29.2", "Groups × charge limit"),
		num("mohm", "Resistance of the bank, 10 s", "mΩ", "12", "Half of it is taken as ohmic"),
		num("ohmic", "or its ohmic resistance", "mΩ", "", "1 kHz, or a step within 10 ms"),
		num("place", "From the cells", "m", "0.15", ""),
		num("others", "Other strings that feed a fault", "", "", "For a string's fuse; empty: a main fuse")},
	Source: "rules §10: 1.25 × A ≤ rating ≤ conductor; prospective = 1.25 × full volts / ohmic Ω",
	Not:    []string{"the fuse's own curve and age", notTheCode}, solve: solveFuse}

func solveFuse(r *reader, a *Answer) error {
	n := sizing.FuseNeed{Amps: r.num("amps", 1e-3, 1e5), ConductorAmps: r.opt("conductor", 0, 0.1, 1e5),
		FullVolts: r.num("full_v", 0.5, 2000), DCMOhm: r.opt("mohm", 0, 0.001, 1e5), MOhm: r.opt("ohmic", 0, 0.001,
			1e5), PlaceM: r.opt("place", 0, 0, 100), Others: r.optWhole("others", 0, 0, 100)}
	if len(r.bad) > 0 {
		return nil
	}
	s, err := sizing.Fuse(n)
	if err != nil {
		return err
	}
	a.Result, a.Findings = s, s.Findings
	if s.RatingAmps > 0 {
		a.Says = fmt.Sprintf("A fuse of %s A.", fig(s.RatingAmps))
		a.Uses["fuse_a"] = fig(s.RatingAmps)
	} else {
		a.Says = "No standard fuse fits this load and this conductor."
	}
	if s.ProspectiveA > 0 {
		a.Says += fmt.Sprintf(" It must break %s kA at %s V: %s.", fig(s.ProspectiveA/1000), fig(n.FullVolts),
			orNone(s.Kinds, "no usual kind does"))
		a.line("Prospective current", fig(s.ProspectiveA), "A")
		a.formula("1.25 × %s V / %s mΩ = %s A", fig(n.FullVolts), fig(s.OhmicMOhm), fig(s.ProspectiveA))
	}
	a.formula("1.25 × %s A = %s A, at most the %s A of the conductor", fig(n.Amps), fig(s.LowAmps), fig(s.HighAmps))
	a.line("Rating", fig(s.RatingAmps), "A")
	a.line("At least", fig(s.LowAmps), "A")
	a.line("At most", fig(s.HighAmps), "A")
	a.line("DC volts at least", fig(n.FullVolts), "V")
	t := Table{Title: "Kinds, typical", Heads: []string{"Kind", "Says", "Breaks", "DC volts"}, Words: 2}
	for _, k := range sizing.Kinds() {
		says := "does"
		switch {
		case k.NotAlone:
			says = "never alone: no overload protection"
		case k.DCVolts < n.FullVolts:
			says = "too few volts"
		case s.ProspectiveA == 0 && k.Amps < sizing.AnyFaultAmps:
			says = "not known: the resistance is not"
		case k.Amps < s.ProspectiveA:
			says = "breaks too little"
		}
		t.Rows = append(t.Rows, []string{k.Kind, says, fig(k.Amps/1000) + " kA", fig(k.DCVolts) + " V"})
	}
	a.Tables = append(a.Tables, t)
	return nil
}

func orNone(list []string, none string) string {
	if len(list) == 0 {
		return none
	}
	return strings.Join(list, " or ")
}

var prechargeWorking = Working{Key: "precharge", Title: "Pre-charge", About: abouts[1], Question: "Which resistor " +
	"fills the inverter, and for how long?", Fields: []Field{
	{Key: "itself", Label: "The device fills itself", Kind: Tick, Help: "Its manual says so"},
	num("volts", "Bank", "V", "52", ""),
	num("uf", "Capacitance", "µF", "", "Empty: bounds from the watts"),
	num("watts", "Inverter", "W", "3000", ""),
	num("ohms", "Resistor", "Ω", "47", ""),
	num("hold", "It bears for ever", "W", "50", ""),
	num("pulse", "and in a pulse", "J", "", "By its data sheet; empty: five times its watts for five seconds"),
	num("always", "Always on behind the switch", "W", "", ""),
	num("share", "Filled counts as", "%", "95", ""),
	num("switch", "Switch and wire bear", "A", "10", ""),
	{Key: "resistors", Label: "Resistors in stock", Kind: List, Start: "10 22 47 100 220", Help: "Ω, to compare"}},
	Source: "rules §10: I = V/R; t = R·C·ln(1/(1 − x)); ½CV²; V²/R; left over = V·R/(R + R of the load)",
	Not:    []string{"a device that starts by itself at some voltage", "wet or failed capacitors"},
	solve:  solvePrecharge}

// solvePrecharge binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solvePrecharge(r *reader, a *Answer) error {
	if r.yes("itself") {
		a.Says = "The device fills itself, by its manual: no resistor. Close the switch with the device off, and " +
			"wait for it."
		a.Level = finding.Note
		return nil
	}
	p := sizing.Precharge{Volts: r.num("volts", 1, 2000), Farads: r.opt("uf", 0, 0.1, 1e7) / 1e6, Watts: r.opt("watts",
		0, 1, 1e6), Ohms: r.num("ohms", 0.01, 1e6), LoadWatts: r.opt("always", 0, 0, 1e5), Share: r.opt("share", 95, 50,
		99.9) / 100, SwitchAmps: r.opt("switch", 0, 0.01, 1e5), HoldWatts: r.opt("hold", 0, 0.01, 1e5),
		PulseJ: r.opt("pulse", 0, 0.01, 1e6)}
	stock := r.list("resistors", 0.01, 1e6, 40)
	if len(r.bad) > 0 {
		return nil
	}
	f, err := sizing.Fill(p)
	if err != nil {
		return err
	}
	a.Result, a.Findings = f, f.Findings
	if p.Farads == 0 {
		a.assume("capacitance not given: %s to %s mF, typical for inverters of %s W", fig(f.FaradsLow*1000),
			fig(f.FaradsHigh*1000), fig(p.Watts))
	}
	if f.NeverFills {
		a.Says = fmt.Sprintf("It never fills: what is always on holds it at %.1f V of %.1f V.", f.FinalVolts, p.Volts)
	} else {
		a.Says = fmt.Sprintf("Hold for %s s: then %.1f V are left for the main switch.", figs(f.SecondsLow,
			f.SecondsHigh), f.LastStepV)
	}
	a.line("First current", fig(f.FirstAmps), "A")
	a.line("Time", figs(f.SecondsLow, f.SecondsHigh), "s")
	a.line("Into the resistor", figs(f.JoulesLow, f.JoulesHigh), "J")
	a.line("If held for ever", fig(f.HeldWatts), "W")
	a.line("Last step", fig(f.LastStepV), "V")
	a.line("about", fig(f.LastStepA), "A for a moment")
	a.formula("%s V / %s Ω = %s A; t = %s Ω × C × ln(1/(1 − %s)); ½ × C × V²", fig(p.Volts), fig(p.Ohms),
		fig(f.FirstAmps), fig(p.Ohms), dec(p.Share, 2))
	t := Table{Title: "Resistors in stock", Heads: []string{"Ω", "First", "Time", "If held", "Says"}, Words: 0}
	for _, o := range stock {
		x := p
		x.Ohms = o
		if g, err := sizing.Fill(x); err == nil {
			says := "does"
			if len(g.Findings) > 0 {
				says = strings.ReplaceAll(g.Findings[0].Code, "-", " ")
			}
			t.Rows = append(t.Rows, []string{fig(o), fig(g.FirstAmps) + " A", figs(g.SecondsLow, g.SecondsHigh) + " s",
				fig(g.HeldWatts) + " W", says})
		}
	}
	if len(t.Rows) > 0 {
		a.Tables = append(a.Tables, t)
	}
	a.Chart = &Chart{Title: "Volts on the capacitors", X: "s", Y: "V", Marks: []Mark{{"bank", p.Volts, "plain"}}}
	for _, e := range []struct {
		name string
		t    float64
	}{{"least capacitance", f.SecondsLow}, {"most", f.SecondsHigh}} {
		if e.name == "most" && f.SecondsLow == f.SecondsHigh {
			continue
		}
		c := Curve{Name: e.name}
		tau := e.t / math.Log(1/(1-p.Share))
		for i := range 61 {
			s := f.SecondsHigh * 1.3 * float64(i) / 60
			c.Points = append(c.Points, [2]float64{s, f.FinalVolts * (1 - math.Exp(-s/max(tau, 1e-9)))})
		}
		a.Chart.Curves = append(a.Chart.Curves, c)
	}
	if len(a.Chart.Curves) == 1 {
		a.Chart.Curves[0].Name = "capacitors"
	}
	return nil
}
