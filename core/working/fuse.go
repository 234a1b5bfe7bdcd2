package working

import (
	"cmp"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// FuseIn is what is known of what a fuse protects and of what feeds a fault.
type FuseIn struct {
	Amps      known.Value `key:"amps" label:"The larger of load and charge" unit:"A" range:"1e-3 to 1e5" must:"yes" example:"75"`
	Conductor known.Value `key:"conductor" label:"The conductor behind it bears" unit:"A" range:"0.1 to 1e5" example:"130" help:"Empty: not known"`
	FullV     known.Value `key:"full_v" label:"Bank at full charge" unit:"V" range:"0.5 to 2000" must:"yes" example:"29.2" help:"Groups × charge limit"`
	MOhm      known.Value `key:"mohm" label:"Resistance of the bank, 10 s" unit:"mΩ" range:"0.001 to 1e5" example:"12" help:"Half of it is taken as ohmic"`
	Ohmic     known.Value `key:"ohmic" label:"or its ohmic resistance" unit:"mΩ" range:"0.001 to 1e5" help:"1 kHz, or a step within 10 ms"`
	Place     known.Value `key:"place" label:"From the cells" unit:"m" range:"0 to 100" example:"0.15"`
	Others    known.Value `key:"others" label:"Other strings that feed a fault" range:"0 to 100" whole:"yes" help:"For a string's fuse; empty: a main fuse"`
}

var _ = shelve[FuseIn](Working{Key: "fuse", Title: "Fuse", About: Currents, Order: 4, Question: "Which rating, which " +
	"kind, and what must it break?", Source: "rules §10: 1.25 × A ≤ rating ≤ conductor; prospective = 1.25 × full " +
	"volts / ohmic Ω", Not: []string{"the fuse's own curve and age", notTheCode}})

// Answer chooses a rating and says what it must break.
func (in *FuseIn) Answer(a *ask.Answer) error {
	n := sizing.FuseNeed{Amps: in.Amps.V(), ConductorAmps: in.Conductor.V(), FullVolts: in.FullV.V(),
		DCMOhm: in.MOhm.V(), MOhm: in.Ohmic.V(), PlaceM: in.Place.V(), Others: int(in.Others.V())}
	s, err := sizing.Fuse(n)
	if err != nil {
		return err
	}
	a.Result, a.Findings = s, s.Findings
	if s.RatingAmps > 0 {
		a.Say("A fuse of %s A.", figure.Of(s.RatingAmps))
		a.Use("fuse_a", figure.Of(s.RatingAmps))
	} else {
		a.Say("No standard fuse fits this load and this conductor.")
	}
	kinds := cmp.Or(strings.Join(s.Kinds, " or "), "no usual kind does")
	if s.ProspectiveA > 0 {
		a.Also(" It must break %s kA at %s V: %s.", figure.Of(s.ProspectiveA/1000), figure.Of(n.FullVolts), kinds)
		a.Line("Prospective current", figure.Of(s.ProspectiveA), "A")
		a.Works("1.25 × %s V / %s mΩ = %s A", figure.Of(n.FullVolts), figure.Of(s.OhmicMOhm), figure.Of(s.ProspectiveA))
	}
	if !in.Place.Is() {
		a.Also(" How far it stands from the cells was not given and is not checked.")
	}
	if n.ConductorAmps > 0 {
		a.Works("1.25 × %s A = %s A, at most the %s A of the conductor", figure.Of(n.Amps), figure.Of(s.LowAmps),
			figure.Of(s.HighAmps))
	} else {
		a.Works("1.25 × %s A = %s A; what the conductor bears is not known", figure.Of(n.Amps), figure.Of(s.LowAmps))
	}
	a.Line("Rating", figure.Of(s.RatingAmps), "A")
	a.Line("At least", figure.Of(s.LowAmps), "A")
	if n.ConductorAmps > 0 {
		a.Line("At most", figure.Of(s.HighAmps), "A")
	}
	a.Line("DC volts at least", figure.Of(n.FullVolts), "V")
	t := ask.Table{Title: "Kinds, typical", Heads: []string{"Kind", "Says", "Breaks", "DC volts"}, Words: 2}
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
		t.Row(k.Kind, says, figure.Of(k.Amps/1000)+" kA", figure.Of(k.DCVolts)+" V")
	}
	a.Tables = append(a.Tables, t)
	return nil
}

// FromBank is the bank's fuse, behind the parts that are on record.
func (in *FuseIn) FromBank(p Bank) bool {
	in.Amps, in.FullV, in.MOhm = p.amps(), worked(p.Design.Candidate.FullVolts), p.Design.MOhm()
	in.Conductor, in.Place = typed(p.Parts.CableA), typed(p.Parts.FuseMM/1000)
	return in.Amps.Is()
}
