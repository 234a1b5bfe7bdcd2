package working

import (
	"fmt"
	"math"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// CableIn is what is known of a cable that is to be chosen, or is in hand.
type CableIn struct {
	Amps    known.Value `key:"amps" label:"The larger of load and charge" unit:"A" range:"1e-3 to 1e5" must:"yes" example:"75"`
	Length  known.Value `key:"length" label:"Length, one way" unit:"m" range:"0 to 1e4" must:"yes" example:"1.5" help:"The current goes there and back"`
	Volts   known.Value `key:"volts" label:"System" unit:"V" range:"0.1 to 2000" must:"yes" example:"24"`
	Drop    known.Value `key:"drop" label:"Drop that is allowed" unit:"%" range:"0.01 to 50" set:"3" help:"1 in the bank, 3 to the load"`
	Metal   string      `key:"metal" label:"Metal" choices:"copper=copper|aluminium=aluminium|steel=mild steel|stainless=stainless steel" set:"copper"`
	Place   string      `key:"place" label:"It lies" choices:"free-air=in free air|conduit=in conduit or a bundle" set:"free-air"`
	Posts   bool        `key:"posts" label:"Ends on cell posts" set:"yes" help:"The 60 °C column: a hot lug heats the cell"`
	Ambient known.Value `key:"ambient" label:"Around it" unit:"°C" range:"-40 to 59" usual:"30"`
	MM2     known.Value `key:"mm2" label:"or a section in hand" unit:"mm²" range:"0.1 to 1e4" help:"Or AWG 10. Empty: the thinnest that does"`
	Other   known.Value `key:"other" label:"Cable of the string beside it, one way" unit:"m" range:"0 to 1e4" help:"Where two strings share"`
	String  known.Value `key:"string" label:"Resistance of each string" unit:"mΩ" range:"0.01 to 1e5" example:"10" help:"For what unequal cables do; empty: 10"`
}

var _ = shelve[CableIn](Working{Key: "cable", Title: "Cable", About: Currents, Order: 2,
	Question: "How thick must it be, and what does it lose?",
	Source: "rules §10: NEC 310.16 and 310.17 at 75 °C, 60 °C at cell posts, √((Tc − Ta)/(Tc − 30)); " +
		"0.017241 Ω·mm²/m",
	Not: []string{"bends, bundles, the insulation's class", notTheCode}})

// Answer chooses a section, or judges the one in hand.
func (in *CableIn) Answer(a *ask.Answer) error {
	c := sizing.Cable{Amps: in.Amps.V(), OneWayM: in.Length.V(), Volts: in.Volts.V(), DropShare: in.Drop.Or(3) / 100,
		Metal: sizing.Metal(in.Metal), Place: sizing.Place(in.Place), AtPosts: in.Posts, AmbientC: in.Ambient.V()}
	mm2 := in.MM2.V()
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
	a.Say("%s mm² (AWG %s nearest): it bears %.0f A; at %s A it loses %.2f V, %.2f %%; %s", figure.Of(s.MM2),
		s.AWG, s.BearsAmps, figure.Of(c.Amps), s.DropVolts, s.DropShare*100, by)
	if mm2 > 0 {
		a.Say("%s mm² bears %.0f A; at %s A it loses %.2f V, %.2f %%.", figure.Of(s.MM2), s.BearsAmps,
			figure.Of(c.Amps), s.DropVolts, s.DropShare*100)
		a.Findings = sizing.JudgeSection(c, s)
	}
	low, high := sizing.RingHole(sizing.StudFor(s.MM2))
	if mm2 == 0 {
		a.Also("; lug for an M%s stud.", string(figure.Of(sizing.StudFor(s.MM2))))
	}
	a.Line("Section", figure.Of(s.MM2), "mm²")
	a.Line("AWG, nearest", s.AWG, "")
	a.Line("Bears", figure.Dec(s.BearsAmps, 0), "A")
	a.Line("Design current", figure.Of(s.DesignAmps), "A")
	a.Line("Loses, both ways", figure.Dec(s.DropVolts, 3), "V")
	a.Line("that is", figure.Dec(s.DropShare*100, 2), "%")
	a.Line("Warmer than around", figure.Dec(s.RiseK, 0), "K")
	a.Line("Heat in it", figure.Of(s.LostWatts), "W")
	a.Line("Resistance, both ways", figure.Dec(s.MOhm, 2), "mΩ")
	a.Line("Lug", fmt.Sprintf("%s mm², M%.0f, hole %.1f to %.1f", figure.Of(s.MM2), sizing.StudFor(s.MM2), low, high),
		"mm")
	a.Works("1.25 × %s A = %s A; Ω = ρ × 2 × %s m / %s mm²; drop = %s A × %s mΩ", figure.Of(c.Amps),
		figure.Of(s.DesignAmps), figure.Of(c.OneWayM), figure.Of(s.MM2), figure.Of(c.Amps), figure.Dec(s.MOhm, 2))
	a.Use("cable_a", figure.Dec(math.Floor(s.BearsAmps), 0))
	if in.Other.V() > 0 && in.Other.V() != c.OneWayM {
		in.unequal(a, c, s)
	}
	t := ask.Table{Title: "Sections beside it", Heads: []string{"mm²", "AWG", "Bears", "Loses", "Heat", "Warmer"}}
	for _, m := range sizing.Sections() {
		if m < s.MM2/4 || m > s.MM2*4 {
			continue
		}
		if x, err := sizing.Of(c, m); err == nil {
			t.Row(figure.Of(m), x.AWG, figure.Dec(x.BearsAmps, 0)+" A", figure.Dec(x.DropShare*100, 2)+" %",
				figure.Of(x.LostWatts)+" W", figure.Dec(x.RiseK, 0)+" K")
		}
	}
	a.Tables = append(a.Tables, t)
	return nil
}

// unequal says what another length does to the share of two strings alike.
func (in *CableIn) unequal(a *ask.Answer, c sizing.Cable, s sizing.Sized) {
	mOhm, otherM := in.String.Or(10), in.Other.V()
	a.Without(in.String, "resistance of the strings not given: 10 mΩ each")
	x := c
	x.OneWayM = otherM
	o, err := sizing.Of(x, s.MM2)
	if err != nil {
		return
	}
	share := sizing.Inequality(mOhm, s.MOhm, o.MOhm)
	a.Line("Shares beside the other cable", fmt.Sprintf("%s to %s", figure.Dec(share*100, 1),
		figure.Dec((1-share)*100, 1)), "%")
	a.Findings = append(a.Findings, sizing.Unequal(share, c.OneWayM, otherM)...)
}

// FromBank asks how long the cable is.
func (in *CableIn) FromBank(p Bank) bool {
	in.Amps, in.Volts = p.amps(), p.setting()
	return in.Amps.Is()
}
