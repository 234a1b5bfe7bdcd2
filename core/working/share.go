package working

import (
	"pandrel/core/bank/share"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// ShareIn is what is known of strings side by side.
type ShareIn struct {
	Chemistry chem.ID     `key:"chemistry" label:"Chemistry" must:"yes" example:"lfp"`
	Series    known.Value `key:"series" label:"Groups in series" range:"1 to 400" whole:"yes" must:"yes" example:"16"`
	Strings   []ask.Row   `key:"strings" label:"The strings" rows:"1 of 32" example:"S1: 100 12 100 / S2: 100 12 100 / S3: 90 15 100" help:"a line each: name, Ah, mΩ with its leads, amps at which it trips; along the bars in order"`
	SoC       known.Value `key:"soc" label:"Charge of all" unit:"%" range:"0 to 100" usual:"80"`
	Bus       string      `key:"bus" label:"The load is taken" choices:"diagonal=from opposite ends|end=from one end|middle=from the middle|centre=from a centre, equal cables" set:"diagonal"`
	Step      known.Value `key:"step" label:"Bar from one to the next" unit:"mΩ" range:"0 to 1e5" usual:"0.1" help:"Each of the two"`
	Load      known.Value `key:"load" label:"Load" unit:"W" range:"0 to 1e7" example:"3000" help:"From the bank"`
	Cutoff    known.Value `key:"cutoff" label:"Device cuts off at" unit:"V" range:"0 to 2000" example:"44" help:"Empty: at the cells' floor"`
	Charger   known.Value `key:"charger" label:"Charger" unit:"A" range:"0 to 1e5"`
}

var _ = shelve[ShareIn](Working{Key: "share", Title: "Sharing and cascade", About: Strings, Order: 2,
	Question: "Which string carries what, and what trips next?",
	Source: "rules §12: the resistances' network, solved with the rest curves' feedback; single trips at the " +
		"cut-off's " +
		"current",
	Not: []string{"warming of a string, which takes current off it", "the time a breaker takes", notTheCode}})

// Answer shares the load, and trips each string once.
//
// In one piece: what is read, and what is said of it, in the order of the page.
func (in *ShareIn) Answer(a *ask.Answer) error {
	k, err := chem.Lookup(in.Chemistry)
	if err != nil {
		return err
	}
	if err := ask.Stray(&in.Strings); err != nil {
		return err
	}
	if len(in.Strings) == 0 {
		return ask.Bad(&in.Strings, "expected a line for each string: name, Ah, mΩ with its leads")
	}
	if !in.Load.Is() && !in.Charger.Is() {
		return ask.Bad(&in.Load, "expected the load, or the charger's amps")
	}
	n := share.Input{Bus: share.Bus(in.Bus), StepMOhm: in.Step.V(), LoadWatts: in.Load.V(),
		CutoffVolts: in.Cutoff.V(), ChargerAmps: in.Charger.V()}
	s, soc := int(in.Series.V()), in.SoC.V()/100
	for _, x := range in.Strings {
		n.Strings = append(n.Strings, share.Line{ID: x.Name, Series: s, Chemistry: k.ID, Ah: x.At(0), SoC: &soc,
			MOhm: x.At(1), TripAmps: x.At(2)})
		if x.At(1) == 0 {
			a.Assume("%s: resistance not given, typical for its capacity", x.Name)
		}
	}
	if full := float64(s) * k.ChargeLimitVolts; n.CutoffVolts >= full {
		return ask.Bad(&in.Cutoff, "%s V: the bank has %s V when it is full, and would run nothing",
			figure.Of(n.CutoffVolts), figure.Of(full))
	}
	if n.CutoffVolts == 0 { // the device goes on drawing until something else ends it
		n.CutoffVolts = float64(s) * k.FloorVolts
		a.Assume("no cut-off given: trips are judged at the cells' floor, %s V, where the current is highest",
			figure.Of(n.CutoffVolts))
	}
	res, err := share.Solve(n)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	first := res.Amps[n.Strings[0].ID]
	most, least := first,
		first
	t := ask.Table{Title: "Strings", Heads: []string{"String", "Of the load", "After its trip",
		"At the start"}, Words: 3}
	a.Chart = chart.OfBars("Amps of each string", "", "A")
	total := 0.0
	for _, v := range res.Amps {
		total += v
	}
	for i, x := range n.Strings {
		v := res.Amps[x.ID]
		most, least = max(most, v), min(least, v)
		after := ""
		if i < len(res.AfterTrip) {
			tr := res.AfterTrip[i]
			switch {
			case !tr.Carries:
				after = "all the others trip"
			case len(tr.Then) > 0:
				after = finding.Names(tr.Then, "strings") + " too; the rest carries"
			default:
				after = "the rest carries"
			}
		}
		pct := figure.Text("")
		if total > 0 {
			pct = figure.Dec(v/total*100, 0) + " %"
		}
		t.Row(x.ID, pct, after, figure.Of(v)+" A")
		a.Chart.Bar(x.ID, v)
	}
	a.Say("%s to %s A a string at %.2f V.", figure.Of(least), figure.Of(most), res.Volts)
	if res.SurvivesW != nil {
		a.Also(" The bank bears one trip up to %.0f W.", *res.SurvivesW)
		a.Line("Bears one trip up to", figure.Dec(*res.SurvivesW, 0), "W")
	}
	a.Line("At the load", figure.Dec(res.Volts, 2), "V")
	a.Line("Largest over an equal share", figure.Dec(res.Unequal, 2), "×")
	a.Line("Goes round once the load stops, at most", figure.Of(res.CirculatingA), "A")
	a.Line("in all", figure.Of(res.CirculatingAh), "Ah")
	a.Line("Until "+res.EndedBy, figure.Hours(res.Hours), "")
	a.Works("(R + B)·I = E − V, ΣI·V = %s W; trips at %s W / %s V", figure.Of(n.LoadWatts), figure.Of(n.LoadWatts),
		figure.Of(n.CutoffVolts))
	a.Tables = append(a.Tables, t)
	return nil
}

// FromBank are the bank's strings, with what is known of each.
func (in *ShareIn) FromBank(p Bank) bool {
	c, lines := p.Design.Candidate, p.Design.Lines()
	in.Chemistry, in.Series = c.Chemistry, counted(c.Series)
	in.Load, in.Cutoff, in.Charger = p.watts().Div(known.Of(usualEfficiency, known.Assumed)), p.cutoff(),
		typed(p.Need.ChargeAmps)
	for _, l := range lines {
		in.Strings = append(in.Strings, ask.Row{Name: l.Name, Nums: []float64{l.Ah, l.MOhm, p.Device.ContinuousAmps}})
	}
	return len(lines) > 1 && in.Load.Is()
}
