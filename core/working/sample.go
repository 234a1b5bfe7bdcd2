package working

import (
	"fmt"
	"math"

	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/module/sample"
)

// SampleIn is what was tested of a lot, and what is asked of the rest.
type SampleIn struct {
	Tested []float64   `key:"tested" label:"Tested" unit:"Ah" range:"0.001 to 1e5" rows:"0 of 5000" example:"171 168 175 163 170" help:"Their capacities"`
	Total  known.Value `key:"total" label:"Of" range:"1 to 1e6" whole:"yes" must:"yes" example:"40" help:"All, the tested ones included"`
	Series known.Value `key:"series" label:"Positions of the bank" range:"0 to 1000" whole:"yes" example:"4" help:"Of untested ones; the weakest decides"`
	Wanted known.Value `key:"wanted" label:"Each shall hold" unit:"Ah" range:"0 to 1e5" example:"160" help:"Empty: no matter"`
	Risk   known.Value `key:"risk" label:"Risk that is borne" unit:"%" range:"0.1 to 49" set:"5"`
}

var _ = shelve[SampleIn](Working{Key: "sample", Title: "Sampling", About: Tests, Order: 5,
	Question: "Five tested of forty: what may the rest hold?",
	Source:   "rules §17: mean ± t·s·√(1 + 1/n); the weakest of k with the risk shared over k; n/N without any shape",
	Not:      []string{"a choice of the best looking ones", "two kinds in one lot"}})

// Answer says what the rest may hold.
func (in *SampleIn) Answer(a *ask.Answer) error {
	if len(in.Tested) < 3 {
		return ask.Bad(&in.Tested, "%d tested: expected 3 or more, from which a spread can be told", len(in.Tested))
	}
	l := sample.Lot{Tested: in.Tested, Total: int(in.Total.V()), Series: int(in.Series.V()), Wanted: in.Wanted.V(),
		Risk: in.Risk.Or(5) / 100}
	t, err := sample.Tell(l)
	if err != nil {
		return err
	}
	a.Result, a.Findings = t, t.Findings
	sure := 100 * (1 - l.Risk)
	a.Say("The next one holds %s Ah, with %.0f %%; the weakest of the rest %s Ah or more.", figure.To(t.NextLow,
		t.NextHigh, 0), sure, figure.Dec(t.WeakestLow, 0))
	if l.Series > 0 {
		a.Also(" A bank of %d untested positions: %s Ah or more.", l.Series, figure.Dec(t.BankLow, 0))
		a.Line(a.Text("Bank of %d untested", l.Series), figure.Dec(t.BankLow, 1), "Ah or more")
	}
	a.Line("Mean of the tested", figure.Dec(t.Mean, 1), "Ah")
	a.Line("Mean of all", figure.To(t.MeanLow, t.MeanHigh, 1), "Ah")
	a.Line("Spread, one deviation", figure.Dec(t.Spread, 2), "Ah")
	a.Line("The next one", figure.To(t.NextLow, t.NextHigh, 1), "Ah")
	a.Line("Weakest of the rest", figure.Dec(t.WeakestLow, 1), "Ah or more")
	a.Line("The weakest of all was tested already, with", figure.Dec(t.SeenWeakest*100, 0), "%")
	if l.Wanted > 0 {
		a.Line(a.Text("The next one below %s Ah, with", figure.Of(l.Wanted)), figure.Dec(t.BelowChance*100, 1), "%")
		if t.More != nil {
			a.Line("Test more, for the risk", fmt.Sprint(*t.More), "modules")
		}
	}
	a.Works("%s Ah ± t × %s Ah × √(1 + 1/%d)", figure.Dec(t.Mean, 1), figure.Dec(t.Spread, 2), len(l.Tested))
	a.Chart = chart.OfBars("The tested ones", "", "Ah")
	a.Chart.At("the next, at least", t.NextLow, "caution")
	for i, v := range l.Tested {
		a.Chart.Bar(fmt.Sprint(i+1), v)
	}
	return nil
}

// FromLot is what was tested of it, for a module that holds eight tenths of its plate.
func (in *SampleIn) FromLot(l Lot) bool {
	for _, v := range l.Tested {
		in.Tested = append(in.Tested, math.Round(v*10)/10)
	}
	in.Total, in.Wanted = counted(max(l.Modules, len(l.Tested))), typed(0.8*l.Ah)
	return len(l.Tested) >= 3
}
