package working

import (
	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// StockIn is what was measured at a conductor in the hand.
type StockIn struct {
	Strands known.Value `key:"strands" label:"Strands" range:"1 to 100000" whole:"yes" help:"Counted"`
	Strand  known.Value `key:"strand" label:"of a diameter of" unit:"mm" range:"0.01 to 50"`
	Width   known.Value `key:"width" label:"or a bar, wide" unit:"mm" range:"0.1 to 1000" example:"20"`
	Thick   known.Value `key:"thick" label:"thick; or a pipe's wall" unit:"mm" range:"0.05 to 100" example:"3"`
	Hole    known.Value `key:"hole" label:"Hole across it" unit:"mm" range:"0 to 500" example:"8.5"`
	Pipe    known.Value `key:"pipe" label:"or a pipe's outer diameter" unit:"mm" range:"0.5 to 500" help:"Flattened to a strap"`
	Metal   string      `key:"metal" label:"Metal" choices:"copper=copper|aluminium=aluminium|steel=mild steel|stainless=stainless steel" set:"copper"`
	Print   known.Value `key:"print" label:"Printed on it" unit:"mm²" range:"0.01 to 1e4"`
	Ambient known.Value `key:"ambient" label:"Around it" unit:"°C" range:"-40 to 59" usual:"30"`
}

var _ = shelve[StockIn](Working{Key: "stock", Title: "A conductor in the hand", About: Currents, Order: 3,
	Question: "This strap, this cable without a print: what does it bear?",
	Source: "rules §10 and §17: bar by Melsom and Booth, 7.73·A^0.5·p^0.39 × (rise/50)^0.6, net of holes; " +
		"cable by the table",
	Not: []string{"alloys, plating, corrosion", notTheCode}})

// Answer says what it bears.
func (in *StockIn) Answer(a *ask.Answer) error {
	if !in.Strands.Is() && !in.Width.Is() && !in.Pipe.Is() {
		return ask.Bad(&in.Width, "expected a width, strands or a pipe")
	}
	s := sizing.Stock{Strands: int(in.Strands.V()), StrandMM: in.Strand.V(), WidthMM: in.Width.V(),
		ThickMM: in.Thick.V(), HoleMM: in.Hole.V(), PipeMM: in.Pipe.V(), Metal: sizing.Metal(in.Metal),
		PrintMM2: in.Print.V(), AmbientC: in.Ambient.V()}
	m, err := sizing.Measure(s)
	if err != nil {
		return err
	}
	a.Result = m
	a.Say("A %s of %s mm² (AWG %s nearest): it bears %.0f A at cell posts.", m.Kind, figure.Of(m.MM2), m.AWG,
		m.BearsAmps)
	if s.Metal != sizing.Copper {
		s.Metal = sizing.Copper
		of, err := sizing.Measure(s)
		if err != nil {
			return err
		}
		a.Also(" One of copper would bear %.0f A.", of.BearsAmps)
		s.Metal = sizing.Metal(in.Metal)
	}
	a.Line("Section, net", figure.Of(m.MM2), "mm²")
	a.Line("AWG, nearest", m.AWG, "")
	a.Line("Bears for ever", figure.Dec(m.BearsAmps, 0), "A")
	a.Line("Rise that is allowed", figure.Dec(sizing.BarRise(s.AmbientC), 0), "K")
	switch m.Kind {
	case "cable":
		a.Works("%d × π/4 × (%s mm)² = %s mm²", s.Strands, figure.Of(s.StrandMM), figure.Of(m.MM2))
	case "bar":
		a.Works("(%s − %s mm) × %s mm = %s mm²", figure.Of(s.WidthMM), figure.Of(s.HoleMM),
			figure.Of(s.ThickMM), figure.Of(m.MM2))
	default:
		a.Works("π × (%s − %s mm) × %s mm, less the hole in both walls = %s mm²", figure.Of(s.PipeMM),
			figure.Of(s.ThickMM), figure.Of(s.ThickMM), figure.Of(m.MM2))
	}
	a.Findings = m.Judge(s)
	return nil
}
