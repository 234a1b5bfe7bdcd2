package working

import (
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// PrechargeIn is what is known of a device that is to be filled, and of the resistor for it.
type PrechargeIn struct {
	Itself    bool        `key:"itself" label:"The device fills itself" help:"Its manual says so"`
	Volts     known.Value `key:"volts" label:"Bank" unit:"V" range:"1 to 2000" must:"yes" example:"52"`
	MicroF    known.Value `key:"uf" label:"Capacitance" unit:"µF" range:"0.1 to 1e7" help:"Empty: bounds from the watts"`
	Watts     known.Value `key:"watts" label:"Inverter" unit:"W" range:"1 to 1e6" example:"3000"`
	Ohms      known.Value `key:"ohms" label:"Resistor" unit:"Ω" range:"0.01 to 1e6" must:"yes" example:"47"`
	Hold      known.Value `key:"hold" label:"It bears for ever" unit:"W" range:"0.01 to 1e5" example:"50"`
	Pulse     known.Value `key:"pulse" label:"and in a pulse" unit:"J" range:"0.01 to 1e6" help:"By its data sheet; empty: five times its watts for five seconds"`
	Always    known.Value `key:"always" label:"Always on behind the switch" unit:"W" range:"0 to 1e5"`
	Share     known.Value `key:"share" label:"Filled counts as" unit:"%" range:"50 to 99.9" set:"95"`
	Switch    known.Value `key:"switch" label:"Switch and wire bear" unit:"A" range:"0.01 to 1e5" example:"10"`
	Resistors []float64   `key:"resistors" label:"Resistors in stock" range:"0.01 to 1e6" rows:"0 of 40" example:"10 22 47 100 220" help:"Ω, to compare"`
}

var _ = shelve[PrechargeIn](Working{Key: "precharge", Title: "Pre-charge", About: Currents, Order: 5,
	Question: "Which resistor fills the inverter, and for how long?",
	Source:   "rules §10: I = V/R; t = R·C·ln(1/(1 − x)); ½CV²; V²/R; left over = V·R/(R + R of the load)",
	Not:      []string{"a device that starts by itself at some voltage", "wet or failed capacitors"}})

// Answer says how long the resistor fills, and what it bears.
func (in *PrechargeIn) Answer(a *ask.Answer) error {
	if in.Itself {
		a.Say("The device fills itself, by its manual: no resistor. Close the switch with the device off, and " +
			"wait for it.")
		a.Level = finding.Note
		return nil
	}
	if !in.MicroF.Is() && !in.Watts.Is() {
		return ask.Bad(&in.Watts, "expected the inverter's watts, or its capacitance")
	}
	p := sizing.Precharge{Volts: in.Volts.V(), Farads: in.MicroF.V() / 1e6, Watts: in.Watts.V(), Ohms: in.Ohms.V(),
		LoadWatts: in.Always.V(), Share: in.Share.Or(95) / 100, SwitchAmps: in.Switch.V(), HoldWatts: in.Hold.V(),
		PulseJ: in.Pulse.V()}
	stock := in.Resistors
	f, err := sizing.Fill(p)
	if err != nil {
		return err
	}
	a.Result, a.Findings = f, f.Findings
	if p.Farads == 0 {
		a.Assume("capacitance not given: %s to %s mF, typical for inverters of %s W", figure.Of(f.FaradsLow*1000),
			figure.Of(f.FaradsHigh*1000), figure.Of(p.Watts))
	}
	if f.NeverFills {
		a.Say("It never fills: what is always on holds it at %.1f V of %.1f V.", f.FinalVolts, p.Volts)
	} else {
		a.Say("Hold for %s s: then %.1f V are left for the main switch.", figure.Span(f.SecondsLow,
			f.SecondsHigh), f.LastStepV)
	}
	if !in.Hold.Is() {
		a.Also(" What the resistor bears was not given and is not checked.")
	}
	a.Line("First current", figure.Of(f.FirstAmps), "A")
	a.Line("Time", figure.Span(f.SecondsLow, f.SecondsHigh), "s")
	a.Line("Into the resistor", figure.Span(f.JoulesLow, f.JoulesHigh), "J")
	a.Line("If held for ever", figure.Of(f.HeldWatts), "W")
	a.Line("Last step", figure.Of(f.LastStepV), "V")
	a.Line("about", figure.Of(f.LastStepA), "A for a moment")
	a.Works("%s V / %s Ω = %s A; t = %s Ω × C × ln(1/(1 − %s)); ½ × C × V²", figure.Of(p.Volts), figure.Of(p.Ohms),
		figure.Of(f.FirstAmps), figure.Of(p.Ohms), figure.Dec(p.Share, 2))
	t := ask.Table{Title: "Resistors in stock", Heads: []string{"Ω", "First", "Time", "If held", "Says"}, Words: 0}
	for _, o := range stock {
		x := p
		x.Ohms = o
		if g, err := sizing.Fill(x); err == nil {
			says := "does"
			if len(g.Findings) > 0 {
				says = strings.ReplaceAll(g.Findings[0].Code, "-", " ")
			}
			t.Row(figure.Of(o), figure.Of(g.FirstAmps)+" A", figure.Span(g.SecondsLow, g.SecondsHigh)+" s",
				figure.Of(g.HeldWatts)+" W", says)
		}
	}
	if len(t.Rows) > 0 {
		a.Tables = append(a.Tables, t)
	}
	a.Chart = sizing.Drawn(p, f)
	return nil
}

// FromBank asks which inverter and which resistor there are.
func (in *PrechargeIn) FromBank(p Bank) bool {
	in.Volts = p.setting()
	return true
}

// FromStanding asks which inverter and which resistor there are; what nobody read is taken to be full, the worst.
func (in *PrechargeIn) FromStanding(s Standing) bool {
	if in.Volts = s.Volts; !in.Volts.Is() {
		in.Volts = s.FullVolts
	}
	return in.Volts.Is()
}
