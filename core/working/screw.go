package working

import (
	"fmt"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// ScrewIn is what was measured of a thread and of what is stacked on it.
type ScrewIn struct {
	Thread known.Value `key:"thread" label:"Thread, M" unit:"mm" range:"1 to 40" must:"yes" example:"6"`
	Hole   known.Value `key:"hole" label:"Usable depth of the hole" unit:"mm" range:"1 to 200" example:"12" help:"Empty: to be measured"`
	Bar    known.Value `key:"bar" label:"Bar" unit:"mm" range:"0 to 100" must:"yes" example:"3" help:"0 for none"`
	Ring   known.Value `key:"ring" label:"Rings: power, sense" unit:"mm" range:"0 to 50" example:"2" help:"Together"`
	Washer known.Value `key:"washer" label:"Washers" unit:"mm" range:"0 to 50" example:"1.6" help:"Together; none in the current's way"`
	Length known.Value `key:"length" label:"Screw in hand" unit:"mm" range:"0.5 to 200" help:"Empty: which would fit"`
	In     string      `key:"in" label:"Thread in" choices:"aluminium=aluminium|brass=brass|steel=steel|nut=through, a nut behind" set:"aluminium"`
}

var _ = shelve[ScrewIn](Working{Key: "screw", Title: "Screws, studs, stacks", About: Tests, Order: 3,
	Question: "Which screw holds this bar without touching the bottom?",
	Source:   "rules §10: engagement 1 diameter in steel, 1.5 in aluminium or brass; 1 mm left under the tip",
	Not:      []string{"torque: by the maker's data, never by feel", "threads that are worn"}})

// Answer gives the lengths that hold and touch nothing.
func (in *ScrewIn) Answer(a *ask.Answer) error {
	s := sizing.Screw{ThreadMM: in.Thread.V(), HoleMM: in.Hole.V(), BarMM: in.Bar.V(), RingMM: in.Ring.V(),
		WasherMM: in.Washer.V(), LengthMM: in.Length.V(), In: in.In}
	a.Without(in.Ring, "rings not given: none in the stack")
	a.Without(in.Washer, "washers not given: none in the stack")
	x, err := sizing.Screwing(s)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	a.Say("%s", x.Says(s))
	open := x.HighMM == 0
	low, high := sizing.RingHole(s.ThreadMM)
	a.Line("Stack under the head", figure.Of(x.StackMM), "mm")
	a.Line("Thread that must hold", figure.Of(x.NeedMM), "mm")
	a.Line("Length, at least", figure.Of(x.LowMM), "mm")
	if !open {
		a.Line("Length, at most", figure.Of(x.HighMM), "mm")
	}
	a.Line("Hole of a ring", fmt.Sprintf("%.1f to %.1f", low, high), "mm")
	a.Line("Torque", "by the maker", "")
	a.Works("%s mm stack + %s mm thread ≤ length%s", figure.Of(x.StackMM), figure.Of(x.NeedMM), map[bool]string{
		false: fmt.Sprintf(" ≤ %s mm stack + %s mm hole − 1 mm", figure.Of(x.StackMM), figure.Of(s.HoleMM))}[open])
	length := s.LengthMM
	if length == 0 && len(x.Standard) > 0 {
		length = x.Standard[0]
	}
	deep := max(0, length-x.StackMM)
	layer := func(name string, mm float64, kind string) {
		if mm > 0 {
			a.Stack = append(a.Stack, chart.Layer{Name: name, MM: mm, Kind: kind})
		}
	}
	layer("screw head", s.ThreadMM*0.6, "screw")
	layer("washer, above the rings", s.WasherMM, "washer")
	layer("sense ring, on top", s.RingMM/3, "ring")
	layer("power ring, on the bar's face", s.RingMM*2/3, "ring")
	layer("bar, on the post's contact face", s.BarMM, "bar")
	if open {
		layer("thread that holds", x.NeedMM, "thread")
		return nil
	}
	a.Stack = append(a.Stack, chart.Layer{Name: "thread that holds", MM: min(deep, s.HoleMM), Kind: "thread"})
	layer("free under the tip", s.HoleMM-deep, "gap")
	return nil
}

// FromBank has the bolt of a lug for the bank's current, on a short cable; what it goes into is to be measured at the
// module.
func (in *ScrewIn) FromBank(p Bank) bool {
	c := p.Design.Candidate
	s, err := sizing.Choose(sizing.Cable{Amps: p.amps().V(), OneWayM: 1.5,
		Volts: c.SettingVolts, AtPosts: true, AmbientC: sizing.TableAmbientC})
	if err != nil {
		return false
	}
	in.Thread = known.Of(sizing.StudFor(s.MM2), known.Assumed)
	return true
}
