package working

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/energy"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// RuntimeIn is what a bank gives, what draws from it, and what comes in.
type RuntimeIn struct {
	KWh        known.Value `key:"kwh" label:"Usable" unit:"kWh" range:"1e-3 to 1e5" must:"yes" example:"4.5" help:"Within the window"`
	KWhLow     known.Value `key:"kwh_low" label:"or no more than" unit:"kWh" range:"1e-3 to 1e5" help:"Where it is an interval"`
	Efficiency known.Value `key:"efficiency" label:"Inverter's efficiency" unit:"%" range:"20 to 100" usual:"90"`
	Standby    known.Value `key:"standby" label:"Standby, all day" unit:"W" range:"0 to 1e5" example:"12" help:"Inverter, BMS, router"`
	Loads      []ask.Row   `key:"loads" label:"Loads" rows:"2 of 60" example:"lights: 60 6 ac / fridge: 45 24 ac / radio: 8 10 dc" help:"a line each: name, watts, hours a day, ac or dc; or VA with 'va' and a power factor after the hours"`
	Panel      known.Value `key:"panel" label:"Panel" unit:"W" range:"0 to 1e6" example:"900"`
	Sun        []float64   `key:"sun" label:"Sun, full hours a day" range:"0 to 24" rows:"0 of 12" example:"0.8 1.5 2.6 3.8 4.6 4.9 4.7 4.1 3.1 1.9 1 0.6" help:"January to December"`
	Frost      []float64   `key:"frost" label:"Charging blocked by cold" range:"0 to 1" rows:"0 of 12" help:"Share of each month, 0 to 1; empty: never"`
	ChargeW    known.Value `key:"charge_w" label:"The bank takes at most" unit:"W" range:"0 to 1e6" help:"Charge current × volts"`
	Off        known.Value `key:"off" label:"Outage" unit:"h" range:"0 to 1000" help:"Empty: none"`
	On         known.Value `key:"on" label:"Between two outages" unit:"h" range:"0 to 1000"`
	Charger    known.Value `key:"charger" label:"Charger from the wall" unit:"W" range:"0 to 1e6"`
	WhKm       known.Value `key:"wh_km" label:"Vehicle" unit:"Wh/km" range:"0 to 1e4"`
}

var _ = shelve[RuntimeIn](Working{Key: "runtime", Title: "Hours, days, harvest", About: Money, Order: 1,
	Question: "How long does it carry this, and which month fails?", Source: "rules §15 and §17: usable / (load " +
		"/ efficiency + standby); panel × sun hours × 0.90, at most what the bank takes", Not: []string{"several " +
		"dark days in a row", "snow and shade", "ageing"}})

// Answer gives hours, days and months.
//
// In one piece: what is read, and what is said of it, in the order of the page.
func (in *RuntimeIn) Answer(a *ask.Answer) error {
	s := energy.System{UsableKWh: in.KWh.V(), UsableLowKWh: in.KWhLow.V(), Efficiency: in.Efficiency.V() / 100,
		StandbyW: in.Standby.V(), PanelW: in.Panel.V(), SunHours: in.Sun, FrostShare: in.Frost,
		ChargeMaxW: in.ChargeW.V(), OffHours: in.Off.V(), OnHours: in.On.V(), ChargerW: in.Charger.V(),
		WhPerKm: in.WhKm.V()}
	if len(in.Loads) == 0 && !in.Standby.Is() {
		return ask.Bad(&in.Loads, "expected what draws: a line each, such as 'fridge: 45 24 ac'")
	}
	for _, x := range in.Loads {
		l := energy.Load{Name: x.Name, Hours: x.At(1), AC: !slices.Contains(x.Words, "dc")}
		if slices.Contains(x.Words, "va") {
			l.VA, l.PowerFactor = x.At(0), x.At(2)
		} else {
			l.Watts = x.At(0)
		}
		s.Loads = append(s.Loads, l)
	}
	x, err := energy.Solve(s)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	a.Say("All at once: %s. By the day: %s days without anything coming in.", figure.HoursTo(x.HoursLow,
		x.HoursHigh), figure.To(x.DaysLow, x.DaysHigh, 1))
	if x.DayWhHigh == 0 {
		a.Say("Nothing draws.")
	}
	if len(x.Failing) > 0 {
		var names []string
		for _, m := range x.Failing {
			names = append(names, energy.MonthName(m))
		}
		a.Also(" Fails in %s.", strings.Join(names, ", "))
	} else if len(x.Months) > 0 {
		a.Also(" No month fails.")
	}
	if x.OutageOK != nil && *x.OutageOK {
		a.Also(" An outage of %s h is carried.", figure.Of(s.OffHours))
	}
	a.Line("All at once", figure.Span(x.LoadWLow, x.LoadWHigh), "W from the bank")
	a.Line("A day", figure.Span(x.DayWhLow, x.DayWhHigh), "Wh")
	a.Line("Backup, all at once", figure.HoursTo(x.HoursLow, x.HoursHigh), "")
	a.Line("Days of autonomy", figure.To(x.DaysLow, x.DaysHigh, 1), "days")
	if s.OffHours > 0 {
		a.Line("An outage takes", figure.Of(x.OutageWh), "Wh")
		a.Line("Comes back between two", figure.Of(x.BackWh), "Wh")
	}
	if x.Km > 0 {
		a.Line("Distance", figure.Of(x.Km), "km")
	}
	a.Works("%s kWh / %s W; %s kWh / %s Wh a day", figure.Of(s.UsableKWh), figure.Of(x.LoadWHigh),
		figure.Of(s.UsableKWh), figure.Of(x.DayWhHigh))
	if len(x.Months) > 0 {
		t := ask.Table{Title: "Months", Heads: []string{"Month", "Says", "Comes in", "Needed"}, Words: 2}
		a.Chart = chart.OfBars("Watt hours a day that come in", "", "Wh")
		a.Chart.At("needed", x.DayWhHigh, "caution")
		for _, m := range x.Months {
			says := "enough"
			if m.LastsD > 0 {
				says = fmt.Sprintf("a full bank lasts %.0f days", m.LastsD)
			}
			t.Row(energy.MonthName(m.Month), says, figure.Dec(m.GivesWh, 0)+" Wh", figure.Dec(m.NeedWh, 0)+" Wh")
			a.Chart.Bar(energy.MonthName(m.Month)[:1], m.GivesWh)
		}
		a.Tables = append(a.Tables, t)
	}
	return nil
}

// FromBank is the bank's load, day and night.
func (in *RuntimeIn) FromBank(p Bank) bool {
	kWh := p.Design.Usable()
	in.KWh = known.Of(kWh.High(), kWh.From()).Times(1)
	if !kWh.Exact() {
		in.KWhLow = known.Of(kWh.Low(), kWh.From()).Times(1)
	}
	in.Loads = []ask.Row{{Name: "load", Nums: []float64{p.Need.LoadWatts, 24}, Words: []string{"ac"}}}
	if a := p.Need.LoadA; a > 0 { // at the volts that it stands at most of the time
		if k, err := chem.Lookup(p.Design.Candidate.Chemistry); err == nil {
			watts := a * k.NominalVolts * float64(p.Design.Candidate.Series)
			in.Loads = append(in.Loads, ask.Row{Name: "load in amps", Nums: []float64{watts, 24},
				Words: []string{"dc"}})
		}
	}
	return p.Need.LoadWatts > 0
}
