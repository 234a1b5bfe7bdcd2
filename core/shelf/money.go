package shelf

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/cost"
	"pandrel/core/bank/energy"
	"pandrel/core/base/finding"
)

var runtimeWorking = Working{Key: "runtime", Title: "Hours, days, harvest", About: abouts[4], Question: "How long " +
	"does it carry this, and which month fails?", Fields: []Field{
	num("kwh", "Usable", "kWh", "4.5", "Within the window"),
	num("kwh_low", "or no more than", "kWh", "", "Where it is an interval"),
	num("efficiency", "Inverter's efficiency", "%", "90", ""),
	num("standby", "Standby, all day", "W", "12", "Inverter, BMS, router"),
	{Key: "loads", Label: "Loads", Kind: Lines, Start: "lights: 60 6 ac\nfridge: 45 24 ac\nradio: 8 10 dc",
		Help: "a line each: name, watts, hours a day, ac or dc; or VA with 'va' and a power factor after the hours"},
	num("panel", "Panel", "W", "900", ""),
	{Key: "sun", Label: "Sun, full hours a day", Kind: List, Start: "0.8 1.5 2.6 3.8 4.6 4.9 4.7 4.1 3.1 1.9 1 0.6",
		Help: "January to December"},
	{Key: "frost", Label: "Charging blocked by cold", Kind: List, Help: "Share of each month, 0 to 1; empty: never"},
	num("charge_w", "The bank takes at most", "W", "", "Charge current × volts"),
	num("off", "Outage", "h", "", "Empty: none"),
	num("on", "Between two outages", "h", "", ""),
	num("charger", "Charger from the wall", "W", "", ""),
	num("wh_km", "Vehicle", "Wh/km", "", "")}, Source: "rules §15 and §17: usable / (load / efficiency + " +
	"standby); panel × sun hours × 0.90, at most what the bank takes", Not: []string{"several dark days " +
	"in a row", "snow and shade", "ageing"}, solve: solveRuntime}

// solveRuntime binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveRuntime(r *reader, a *Answer) error {
	s := energy.System{UsableKWh: r.num("kwh", 1e-3, 1e5), UsableLowKWh: r.opt("kwh_low", 0, 1e-3, 1e5),
		Efficiency: r.opt("efficiency", 90, 20, 100) / 100, StandbyW: r.opt("standby", 0, 0, 1e5),
		PanelW: r.opt("panel", 0, 0, 1e6), SunHours: r.list("sun", 0, 24, 12), FrostShare: r.list("frost", 0, 1, 12),
		ChargeMaxW: r.opt("charge_w", 0, 0, 1e6), OffHours: r.opt("off", 0, 0, 1000), OnHours: r.opt("on", 0, 0, 1000),
		ChargerW: r.opt("charger", 0, 0, 1e6), WhPerKm: r.opt("wh_km", 0, 0, 1e4)}
	for _, x := range r.rows("loads", 2, 60) {
		l := energy.Load{Name: x.name, Hours: x.at(1), AC: !slices.Contains(x.words, "dc")}
		if slices.Contains(x.words, "va") {
			l.VA, l.PowerFactor = x.at(0), x.at(2)
		} else {
			l.Watts = x.at(0)
		}
		s.Loads = append(s.Loads, l)
	}
	if len(r.bad) > 0 {
		return nil
	}
	x, err := energy.Solve(s)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	a.Says = fmt.Sprintf("All at once: %s. By the day: %s days without anything coming in.", spans(x.HoursLow,
		x.HoursHigh), to(x.DaysLow, x.DaysHigh, 1))
	if x.DayWhHigh == 0 {
		a.Says = "Nothing draws."
	}
	if len(x.Failing) > 0 {
		var names []string
		for _, m := range x.Failing {
			names = append(names, energy.MonthName(m))
		}
		a.Says += " Fails in " + strings.Join(names, ", ") + "."
	} else if len(x.Months) > 0 {
		a.Says += " No month fails."
	}
	if x.OutageOK != nil && *x.OutageOK {
		a.Says += fmt.Sprintf(" An outage of %s h is carried.", fig(s.OffHours))
	}
	a.line("All at once", figs(x.LoadWLow, x.LoadWHigh), "W from the bank")
	a.line("A day", figs(x.DayWhLow, x.DayWhHigh), "Wh")
	a.line("Backup, all at once", spans(x.HoursLow, x.HoursHigh), "")
	a.line("Days of autonomy", to(x.DaysLow, x.DaysHigh, 1), "days")
	if s.OffHours > 0 {
		a.line("An outage takes", fig(x.OutageWh), "Wh")
		a.line("Comes back between two", fig(x.BackWh), "Wh")
	}
	if x.Km > 0 {
		a.line("Distance", fig(x.Km), "km")
	}
	a.formula("%s kWh / %s W; %s kWh / %s Wh a day", fig(s.UsableKWh), fig(x.LoadWHigh), fig(s.UsableKWh),
		fig(x.DayWhHigh))
	if len(x.Months) > 0 {
		t := Table{Title: "Months", Heads: []string{"Month", "Says", "Comes in", "Needed"}, Words: 2}
		a.Chart = &Chart{Title: "Watt hours a day that come in", X: "", Y: "Wh", Bars: true,
			Curves: []Curve{{Name: "Wh"}}, Marks: []Mark{{"needed", x.DayWhHigh, "caution"}}}
		for _, m := range x.Months {
			says := "enough"
			if m.LastsD > 0 {
				says = fmt.Sprintf("a full bank lasts %.0f days", m.LastsD)
			}
			t.Rows = append(t.Rows, []string{energy.MonthName(m.Month), says, dec(m.GivesWh, 0) + " Wh",
				dec(m.NeedWh, 0) + " Wh"})
			a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, [2]float64{float64(m.Month - 1), m.GivesWh})
			a.Chart.Labels = append(a.Chart.Labels, energy.MonthName(m.Month)[:1])
		}
		a.Tables = append(a.Tables, t)
	}
	return nil
}

func spans(low, high float64) string {
	if spell(low) == spell(high) {
		return spell(low)
	}
	return spell(low) + " to " + spell(high)
}

var moneyWorking = Working{Key: "money", Title: "Money", About: abouts[4], Question: "What does a delivered kilowatt " +
	"hour cost, beside a new one?", Fields: []Field{
	num("modules", "Modules in the bank", "", "8", ""),
	num("price", "Each", "", "60", "In one currency for all"),
	num("freight", "Freight, flat", "", "", ""),
	num("pallet", "or by the pallet", "", "180", ""),
	num("holds", "A pallet holds", "", "14", "Modules"),
	num("bms", "BMS", "", "120", ""),
	{Key: "parts", Label: "Parts", Kind: Lines, Start: "fuse and holder: 45\ncables: 70\nbox: 90 owned",
		Help: "a line each: name, price, 'owned' where it was paid for already"},
	num("hours", "Hours", "h", "10", ""),
	num("rate", "An hour", "", "20", ""),
	num("rated", "Rated", "kWh", "20.7", ""),
	num("tested", "Tested", "kWh", "18", "Empty: not tested"),
	num("usable", "Usable", "kWh", "15", "In each cycle"),
	num("cycles", "Cycles still to come", "", "1500", ""),
	num("banks", "Banks alike", "", "1", ""),
	num("new_price", "New, for each kWh", "", "250", ""),
	num("new_cycles", "New, cycles", "", "5000", ""),
	num("lead_price", "Lead-acid, for each kWh", "", "130", ""),
	num("lead_cycles", "Lead-acid, cycles", "", "500", "")},
	Source: "rules §15 and §17: (modules + freight's share + BMS + parts + hours × rate) / kWh; delivered = usable × " +
		"cycles × 0.90",
	Not: []string{"interest, failures before their time, what the old one still brings"}, solve: solveMoney}

// solveMoney binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveMoney(r *reader, a *Answer) error {
	b := cost.Bank{Modules: r.whole("modules", 1, 1e5), ModulePrice: r.opt("price", 0, 0, 1e7),
		Freight: r.opt("freight", 0, 0, 1e8), PalletPrice: r.opt("pallet", 0, 0, 1e7),
		ModulesPerPallet: r.optWhole("holds", 0, 1, 1e5), BMS: r.opt("bms", 0, 0, 1e7), Hours: r.opt("hours", 0,
			0, 1e5), HourRate: r.opt("rate", 0, 0, 1e5), RatedKWh: r.opt("rated", 0, 0, 1e6),
		TestedKWh: r.opt("tested", 0, 0, 1e6), UsableKWh: r.opt("usable", 0, 0, 1e6), Cycles: r.opt("cycles", 0,
			0, 1e6), Banks: r.optWhole("banks", 1, 1, 1e4)}
	for _, x := range r.rows("parts", 1, 100) {
		b.Parts = append(b.Parts, cost.Part{Name: x.name, Price: x.at(0), Owned: slices.Contains(x.words, "owned")})
	}
	others := []cost.Other{
		{Name: "new lithium", PerKWh: r.opt("new_price", 0, 0, 1e6), UsedShare: 0.9, Cycles: r.opt("new_cycles", 0, 0,
			1e6), Efficiency: 0.92},
		{Name: "lead-acid", PerKWh: r.opt("lead_price", 0, 0, 1e6), UsedShare: 0.5, Cycles: r.opt("lead_cycles", 0, 0,
			1e6), Efficiency: 0.75}}
	if len(r.bad) > 0 {
		return nil
	}
	c, err := cost.Work(b, others)
	if err != nil {
		return err
	}
	a.Result = c
	a.assume("of a new one 90 %% is used at 92 %% efficiency, of lead-acid 50 %% at 75 %%: typical")
	a.Says = fmt.Sprintf("%s in all", fig(c.Total))
	if c.PerUsable > 0 {
		a.Says += fmt.Sprintf(", %s for each usable kWh", fig(c.PerUsable))
	}
	if c.PerDelivered > 0 {
		a.Says += fmt.Sprintf(", %.3f for each that it delivers", c.PerDelivered)
	}
	a.Says += "."
	for _, x := range c.Against {
		if x.Dearer > 0 {
			a.Says += fmt.Sprintf(" %s: %.1f × that.", strings.ToUpper(x.Name[:1])+x.Name[1:], x.Dearer)
		}
	}
	per := func(label string, v float64) {
		if v > 0 {
			a.line(label, dec(v, max(2, digits(v))), "for each kWh")
		}
	}
	a.line("The bank", dec(c.Total, 2), "")
	if c.Owned > 0 {
		a.line("with the parts that were owned", dec(c.WithOwned, 2), "")
	}
	per("Rated", c.PerRated)
	per("Tested", c.PerTested)
	per("Usable", c.PerUsable)
	per("Delivered over its cycles", c.PerDelivered)
	t := Table{Title: "What it is made of", Heads: []string{"Of", "Price"}, Words: 1}
	for _, x := range []struct {
		name string
		v    float64
	}{{"modules", c.Modules}, {"its share of freight", c.Freight}, {"BMS", c.BMS}, {"parts bought", c.Parts},
		{"work", c.Work}} {
		t.Rows = append(t.Rows, []string{x.name, dec(x.v, 2)})
	}
	n := Table{Title: "As many banks at once", Heads: []string{"Banks", "Each", "Pallets"}}
	for _, x := range c.ForBanks {
		n.Rows = append(n.Rows, []string{fmt.Sprint(x.N), dec(x.Each, 2), fmt.Sprint(x.Pallets)})
	}
	o := Table{Title: "The same usable energy otherwise", Heads: []string{"Kind", "Price", "Each delivered kWh",
		"× this bank"}, Words: 1}
	for _, x := range c.Against {
		o.Rows = append(o.Rows, []string{x.Name, dec(x.Price, 0), dec(x.PerDelivered, 3), dec(x.Dearer, 2)})
	}
	a.Tables = append(a.Tables, t, n, o)
	a.formula("(%s + %s + %s + %s + %s) / kWh", dec(c.Modules, 0), dec(c.Freight, 0), dec(c.BMS, 0), dec(c.Parts, 0),
		dec(c.Work, 0))
	if c.PerDelivered == 0 {
		a.Findings = append(a.Findings, finding.New(finding.Note, "cycles-open").About("bank").By("rules §15").
			Says("Without usable energy and cycles nothing can be said of a delivered kilowatt hour.").
			Then("Take the window's usable kWh, and the maker's cycles less those behind it."))
	}
	return nil
}

// workings stand in the order of the shelf.
var workings = []Working{voltsWorking, windowWorking, countWorking, pathWorking, cableWorking, stockWorking,
	fuseWorking, prechargeWorking, joinWorking, shareWorking, balanceWorking, actsWorking, loadWorking, timesWorking,
	screwWorking, jointsWorking, sampleWorking, runtimeWorking, idleWorking, moneyWorking}
