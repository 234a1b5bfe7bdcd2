package working

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/bank/window"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// PathIn is what is known of a load and of what its current flows through.
type PathIn struct {
	Watts      known.Value `key:"watts" label:"Load" unit:"W" range:"0.1 to 1e6" must:"yes" example:"1500"`
	Efficiency known.Value `key:"efficiency" label:"Device's efficiency" unit:"%" range:"20 to 100" usual:"90"`
	Volts      known.Value `key:"volts" label:"Volts at cut-off" unit:"V" range:"0.5 to 2000" must:"yes" example:"22" help:"Where the current is highest"`
	SurgeW     known.Value `key:"surge_w" label:"Surge, for seconds" unit:"W" range:"0 to 1e7" example:"2000" help:"Empty: twice the load"`
	Ah         known.Value `key:"ah" label:"Capacity of a cell or module" unit:"Ah" range:"0.01 to 1e5" example:"100" help:"For its C-rate; empty: not known"`
	Parallel   known.Value `key:"parallel" label:"Of them in parallel" range:"1 to 1000" whole:"yes" set:"1"`
	Path       []ask.Row   `key:"path" label:"The path" rows:"0 of 60" example:"cable: 110 / breaker: 100 150 / BMS: 100 200 / connector: 50 70 x2" help:"a line each: name, amps for ever, amps for seconds, x2 for two side by side"`
}

var _ = shelve[PathIn](Working{Key: "path", Title: "Load current and weakest link", About: Currents, Order: 1,
	Question: "How many amps is that, and what in the path bears it least?",
	Source:   "rules §10 and §17: A = W / (efficiency × V at cut-off); the least rating of the path is the path's",
	Not:      []string{"heat of parts beside each other", notTheCode}})

// Answer gives the current and what bears it least.
func (in *PathIn) Answer(a *ask.Answer) error {
	w, eff, v := in.Watts.V(), in.Efficiency.V()/100, in.Volts.V()
	surgeW, ah, par := in.SurgeW.Or(2*w), in.Ah.V(), int(in.Parallel.Or(1))
	a.Without(in.SurgeW, "surge not given: twice the load")
	amps, surge := window.LoadAmps(w, eff, v), window.LoadAmps(surgeW, eff, v)
	a.Works("%s W / (%s × %s V) = %s A", figure.Of(w), figure.Dec(eff, 2), figure.Of(v), figure.Of(amps))
	var es []sizing.Element
	if ah > 0 {
		es = append(es, sizing.Element{Name: "cells", EverAmps: chem.TypicalDischargeC * ah,
			PeakAmps: chem.TypicalPeakC * ah, InParallel: par, Assumed: true})
		a.Assume("what the cells bear: typical, %.0f C for ever and %.0f C for seconds", chem.TypicalDischargeC,
			chem.TypicalPeakC)
		a.Line("Of each cell or module", fmt.Sprintf("%s A, %s C", figure.Of(amps/float64(par)),
			figure.Dec(amps/float64(par)/ah, 2)), "")
	}
	for _, x := range in.Path {
		e := sizing.Element{Name: x.Name, EverAmps: x.At(0), PeakAmps: x.At(1), InParallel: 1}
		for _, word := range x.Words {
			n, ok := strings.CutPrefix(word, "x")
			if _, err := fmt.Sscan(n, &e.InParallel); !ok || err != nil {
				return ask.Unlike(&in.Path, x.Name, word)
			}
		}
		if e.EverAmps < 0 || e.PeakAmps < 0 || e.InParallel < 1 || e.InParallel > 100 {
			return ask.Bad(&in.Path, "%s: expected amps above 0", x.Name)
		}
		es = append(es, e)
	}
	res, err := sizing.Path(amps, surge, es)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	a.Say("%.1f A at %.1f V, design for %.0f A.", amps, v, math.Ceil(sizing.DesignFactor*amps))
	if res.Weakest != "" {
		a.Also(" The weakest is %s: the path bears %.0f A for ever.", res.Weakest, res.EverAmps)
	}
	a.Line("Load current", figure.Of(amps), "A")
	a.Line("Design current, × 1.25", figure.Of(sizing.DesignFactor*amps), "A")
	a.Line("Surge", figure.Of(surge), "A")
	if res.Weakest != "" {
		a.Line("The path bears for ever", figure.Of(res.EverAmps), "A")
		a.Line("and for seconds", figure.Of(res.PeakAmps), "A")
	}
	t := ask.Table{Title: "The path", Heads: []string{"Element", "For ever", "For seconds", "Load of it"}, Words: 1}
	for _, e := range es {
		n := float64(e.InParallel)
		share := figure.Text("not known")
		if e.EverAmps > 0 {
			share = figure.Dec(amps/(e.EverAmps*n)*100, 0) + " %"
		}
		t.Row(e.Name, figure.Of(e.EverAmps*n)+" A", figure.Of(max(e.PeakAmps, e.EverAmps)*n)+" A", share)
	}
	a.Tables = append(a.Tables, t)
	return nil
}

// FromBank is the bank's load, through the parts that are on record.
func (in *PathIn) FromBank(p Bank) bool {
	c := p.Design.Candidate
	in.Watts, in.Volts = p.watts(), p.cutoff()
	in.SurgeW = typed(p.Need.PeakAmps).Mul(p.cutoff()).Mul(known.Of(usualEfficiency, known.Assumed))
	in.Ah, in.Parallel = p.ah().Times(1/float64(c.Parallel)), counted(c.Parallel)
	for _, e := range []struct {
		name       string
		ever, peak float64
	}{{"fuse", p.Parts.FuseA, 0}, {"cable", p.Parts.CableA, 0}, {"BMS", p.Device.ContinuousAmps, p.Device.PeakAmps}} {
		if e.ever > 0 {
			in.Path = append(in.Path, ask.Row{Name: e.name, Nums: []float64{e.ever, max(e.ever, e.peak)}})
		}
	}
	return c.LoadAmps > 0
}
