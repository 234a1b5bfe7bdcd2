package working

import (
	"fmt"
	"slices"

	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/bench/load"
)

// LoadIn is what is wanted of a resistor load, and what there is for it.
type LoadIn struct {
	Amps     known.Value `key:"amps" label:"Wanted at the start" unit:"A" range:"1e-3 to 1e5" example:"10" help:"Empty: what the heap below draws"`
	Start    known.Value `key:"start" label:"Volts at the start" unit:"V" range:"0.1 to 2000" must:"yes" example:"14"`
	End      known.Value `key:"end" label:"Volts at the end" unit:"V" range:"0.01 to 2000" example:"10"`
	Whole    known.Value `key:"whole" label:"All of it stands at" unit:"V" range:"0.1 to 2000" help:"Where the start is one group's: what the same network would take across the whole"`
	Stock    []ask.Row   `key:"stock" label:"Resistors in stock" rows:"3 of 30" example:"1 ohm, 100 W: 1 100 12 / 0.5 ohm, 50 W: 0.5 50 8" help:"a line each: name, Ω, watts, how many"`
	Derate   known.Value `key:"derate" label:"Of their rating is used" unit:"%" range:"5 to 100" set:"50" help:"On a heat sink"`
	Series   known.Value `key:"s" label:"or the heap: in series" range:"1 to 400" whole:"yes" help:"Of the first kind"`
	Parallel known.Value `key:"p" label:"by in parallel" range:"1 to 400" whole:"yes"`
	Wire     known.Value `key:"wire" label:"Wire bears" unit:"A" range:"0.01 to 1e5"`
	Clamp    known.Value `key:"clamp" label:"Clamp bears" unit:"A" range:"0.01 to 1e5" example:"10" help:"A toothed clip at most 10"`
}

var _ = shelve[LoadIn](Working{Key: "load", Title: "Resistor load", About: Tests, Order: 1, Question: "Which of my " +
	"resistors make 10 A?", Source: "rules §5: Ω = R·s/p; A = V/Ω; watts of each = V²/(Ω·s·p), at most the " +
	"derated rating", Not: []string{"how hot the plate gets", "the drift of a resistor as it warms"}})

// Answer finds networks of the stock, or judges the one that is asked.
func (in *LoadIn) Answer(a *ask.Answer) error {
	w := load.Wanted{Amps: in.Amps.V(), StartVolts: in.Start.V(), EndVolts: in.End.V(),
		Derate: in.Derate.Or(50) / 100, WireAmps: in.Wire.V(), ClampAmps: in.Clamp.V()}
	var stock []load.Resistor
	for _, x := range in.Stock {
		stock = append(stock, load.Resistor{Name: x.Name, Ohms: x.At(0), Watts: x.At(1), Count: int(x.At(2))})
	}
	s, p := int(in.Series.V()), int(in.Parallel.V())
	if len(stock) == 0 {
		return ask.Bad(&in.Stock, "expected a line each: name, Ω, watts, how many")
	}
	var best load.Network
	if s > 0 && p > 0 {
		n, fs, err := load.At(stock[0], s, p, w)
		if err != nil {
			return err
		}
		best, a.Findings = n, fs
	} else {
		list, err := load.Find(stock, w, 6)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			a.Say("No network of this stock stays below its derated watts.")
			a.Level = 2
			return nil
		}
		best = list[0]
		k := slices.IndexFunc(stock, func(x load.Resistor) bool { return x.Name == best.Resistor })
		if _, a.Findings, err = load.At(stock[k], best.Series, best.Parallel, w); err != nil {
			return err
		}
		a.Tables = append(a.Tables, networks(list))
	}
	a.Result = best
	ends := ""
	if in.End.Is() {
		ends = fmt.Sprintf(", %s A at the end", figure.Of(best.EndAmps))
	}
	a.Say("%d in series by %d in parallel of %s: %s A at %s V%s; %s W in each.", best.Series, best.Parallel,
		best.Resistor, figure.Of(best.StartAmps), figure.Of(w.StartVolts), ends, figure.Of(best.EachWatts))
	if err := in.across(a, stock, best, w); err != nil {
		return err
	}
	a.Line("Resistance", figure.Of(best.Ohms), "Ω")
	a.Line("At the start", figure.Of(best.StartAmps), "A")
	if in.End.Is() {
		a.Line("At the end", figure.Of(best.EndAmps), "A")
	}
	a.Line("All of it", figure.Of(best.AllWatts), "W")
	a.Line("Each", figure.Of(best.EachWatts), "W")
	a.Line("Each may", figure.Of(best.MayWatts), "W")
	one := best.Ohms * float64(best.Parallel) / float64(best.Series)
	a.Works("%s Ω × %d / %d = %s Ω; %s V / %s Ω = %s A", figure.Of(one), best.Series, best.Parallel,
		figure.Of(best.Ohms), figure.Of(w.StartVolts), figure.Of(best.Ohms), figure.Of(best.StartAmps))
	a.Grid = &chart.Grid{Series: best.Series, Parallel: best.Parallel, Each: string(figure.Of(one)) + " Ω"}
	return nil
}

func networks(list []load.Network) ask.Table {
	t := ask.Table{Title: "Networks, nearest first", Heads: []string{"Resistor", "Series × parallel", "Start", "End",
		"Each", "May"}, Words: 2}
	for _, n := range list {
		t.Row(n.Resistor, fmt.Sprintf("%d × %d", n.Series, n.Parallel), figure.Of(n.StartAmps)+" A",
			figure.Of(n.EndAmps)+" A", figure.Of(n.EachWatts)+" W", figure.Of(n.MayWatts)+" W")
	}
	return t
}

// across says what the same network would take across the whole of what one group of stands here, and that a discharge
// has no end while nobody knows its floor.
func (in *LoadIn) across(a *ask.Answer, stock []load.Resistor, n load.Network, w load.Wanted) error {
	if whole := in.Whole.V(); whole > w.StartVolts {
		k := slices.IndexFunc(stock, func(x load.Resistor) bool { return x.Name == n.Resistor })
		w.StartVolts, w.EndVolts = whole, 0
		all, fs, err := load.At(stock[k], n.Series, n.Parallel, w)
		if err != nil {
			return err
		}
		says := map[bool]string{true: ": refused, more than they bear"}[len(fs) > 0]
		a.Also(" Across all of it, at %s V, the same takes %s A and %s W in each%s.", figure.Of(whole),
			figure.Of(all.StartAmps), figure.Of(all.EachWatts), says)
	}
	if !in.End.Is() {
		a.Findings = append(a.Findings, load.FloorOpen())
	}
	return nil
}

// FromModule stands a load across its highest group, and says what it would take across all of it.
func (in *LoadIn) FromModule(m Module) bool {
	if len(m.Volts) == 0 {
		return false
	}
	in.Start = measured(slices.Max(m.Volts))
	if len(m.Volts) > 1 {
		in.Whole = measured(sum(m.Volts))
	}
	if c, err := chem.Lookup(m.Chemistry); err == nil {
		in.End = known.Of(c.FloorVolts, known.Limit)
	}
	return true
}
