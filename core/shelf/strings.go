package shelf

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/balance"
	"pandrel/core/bank/energy"
	"pandrel/core/bank/join"
	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

var joinWorking = Working{Key: "join", Title: "Joining two banks or strings", About: abouts[2],
	Question: "May I close this link, and what flows if I do?", Fields: []Field{
		chemField("lfp"),
		num("series", "Groups in series", "", "8", ""),
		num("a_v", "First, at rest", "V", "26.6", "Both read in the same minute"),
		num("b_v", "Second, at rest", "V", "26.2", ""),
		num("a_ah", "First holds", "Ah", "100", ""),
		num("b_ah", "Second holds", "Ah", "100", ""),
		num("a_mohm", "First, resistance 10 s", "mΩ", "", "Empty: typical"),
		num("b_mohm", "Second, resistance 10 s", "mΩ", "", "Empty: typical"),
		num("count", "Of the first in parallel already", "", "1", ""),
		num("link", "Link, both ways", "mΩ", "2", "Cables, bars, joints, fuse"),
		num("charge_a", "Cells bear on charge", "A", "", "Empty: 0.3 C"),
		num("discharge_a", "Cells bear on discharge", "A", "", "Empty: typical, 1 C"),
		num("bms_a", "BMS bears", "A", "", ""),
		num("fuse_a", "Fuse", "A", "", ""),
		num("cable_a", "Cable bears", "A", "", "")}, Source: "rules §11: rest curve + R0 + one RC pair (R0 = " +
		"R10/1.13, R1 = 0.6·R0, τ = 40 s), integrated implicitly", Not: []string{"groups that are unequal " +
		"inside a bank", "sparks and inductance of the moment", notTheCode}, solve: solveJoin}

func (r *reader) joined(count float64) join.Input {
	k := r.chemistry("chemistry")
	s := r.whole("series", 1, 400)
	in := join.Input{LinkMOhm: r.opt("link", 0, 0, 1e5), Limits: join.Limits{ChargeAmps: r.opt("charge_a", 0, 0, 1e5),
		DischargeAmps: r.opt("discharge_a", 0, 0, 1e5), BMSAmps: r.opt("bms_a", 0, 0, 1e5), FuseAmps: r.opt("fuse_a", 0,
			0, 1e5), CableAmps: r.opt("cable_a", 0, 0, 1e5)}}
	in.ReadWithin = r.digit("a_v") + r.digit("b_v")
	in.Banks = []join.Bank{
		{ID: "first", Chemistry: k.ID, Series: s, Ah: count * r.num("a_ah", 0.01, 1e5), RestVolts: r.num("a_v", 0.1,
			2000), MOhm10s: r.opt("a_mohm", 0, 0.001, 1e5) / count},
		{ID: "second", Chemistry: k.ID, Series: s, Ah: r.num("b_ah", 0.01, 1e5), RestVolts: r.num("b_v", 0.1, 2000),
			MOhm10s: r.opt("b_mohm", 0, 0.001, 1e5)}}
	return in
}

// solveJoin answers for the counts that are asked, and for one, two and four side by side.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveJoin(r *reader, a *Answer) error {
	n := r.optWhole("count", 1, 1, 64)
	in := r.joined(float64(n))
	if len(r.bad) > 0 {
		return nil
	}
	res, err := join.Solve(in)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	verdict, measured := "No limit that is known is passed.", r.given("a_mohm") && r.given("b_mohm")
	switch {
	case finding.Blocks(res.Findings):
		verdict = "Do not close it."
	case !measured:
		verdict = "No limit is passed by resistances that are typical and that nobody measured."
	}
	a.Says = fmt.Sprintf("%s A flow at first, %s A after a minute; %s Ah move. %s", figs(res.FirstLow, res.FirstHigh),
		fig(res.At(60)), figs(res.AhLow, res.AhHigh), verdict)
	if p := res.Pass; p != nil {
		a.Says += fmt.Sprintf(" It would pass at %.0f mV.", p.DiffVolts*1000)
		a.line("Would pass at a difference of", dec(p.DiffVolts*1000, 0), "mV")
		a.line("or charge the lower one first to", dec(p.ChargeToVolts, 2), "V at rest")
		long := spell(p.Seconds / 3600)
		if !p.InTime {
			long = "longer than 48 h"
		}
		a.line("or through a resistor of", fmt.Sprintf("%s Ω, %s W at first, for %s", fig(p.ResistorMOhm/1000),
			fig(p.ResistorWatts), long), "")
	}
	a.line("Difference at rest", dec(res.DiffVolts*1000, 0), "mV")
	a.line("First current", figs(res.FirstLow, res.FirstHigh), "A")
	for _, s := range []float64{1, 10, 60, 600, 3600} {
		a.line("after "+spell(s/3600), fig(res.At(s)), "A")
	}
	a.line("Moves", figs(res.AhLow, res.AhHigh), "Ah")
	a.line("Ends at", dec(res.EndVolts, 2), "V")
	if res.SecondsTo1A != nil {
		a.line("1 A is left after", spell(*res.SecondsTo1A/3600), "")
	} else {
		a.line("After 48 h more than", "1", "A still flow")
	}
	a.line("Heat in the link", fig(res.HeatJ), "J")
	for _, p := range res.Parts {
		if p.SoCHigh-p.SoCLow > chem.CannotTellWidth {
			a.assume("%s: its voltage leaves %.0f to %.0f %% open, and with it how many amp hours move", p.ID,
				p.SoCLow*100, p.SoCHigh*100)
		}
	}
	a.formula("%s V / (R0 of both + %s mΩ) = %s A at first", dec(res.DiffVolts, 3), fig(in.LinkMOhm),
		fig(res.FirstAmps))
	a.Chart = &Chart{Title: "Current in the link", X: "s", Y: "A", LogX: true, Curves: []Curve{{Name: "A"}}}
	for _, p := range res.Current {
		if p[0] >= 0.1 {
			a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, p)
		}
	}
	t := Table{Title: "As many of the first in parallel", Heads: []string{"Of the first", "First", "After a minute",
		"Moves", "Says"}, Words: 0}
	for _, k := range []int{1, 2, 4} {
		x, err := join.Solve(r.joined(float64(k)))
		if err != nil {
			continue
		}
		says := "no known limit is passed"
		switch {
		case finding.Blocks(x.Findings):
			says = "refused"
		case !measured:
			says = "not refused, by typical resistances"
		}
		t.Rows = append(t.Rows, []string{fmt.Sprint(k), fig(x.FirstHigh) + " A", fig(x.At(60)) + " A", fig(x.AhMoved) +
			" Ah", says})
	}
	a.Tables = append(a.Tables, t)
	return nil
}

var shareWorking = Working{Key: "share", Title: "Sharing and cascade", About: abouts[2], Question: "Which string " +
	"carries what, and what trips next?", Fields: []Field{
	chemField("lfp"),
	num("series", "Groups in series", "", "16", ""),
	{Key: "strings", Label: "The strings", Kind: Lines, Start: "S1: 100 12 100\nS2: 100 12 100\nS3: 90 15 100",
		Help: "a line each: name, Ah, mΩ with its leads, amps at which it trips; along the bars in order"},
	num("soc", "Charge of all", "%", "80", ""),
	{Key: "bus", Label: "The load is taken", Kind: Choice, Choices: [][2]string{{"diagonal", "from opposite ends"},
		{"end", "from one end"}, {"middle", "from the middle"}, {"centre", "from a centre, equal cables"}},
		Start: "diagonal"},
	num("step", "Bar from one to the next", "mΩ", "0.1", "Each of the two"),
	num("load", "Load", "W", "3000", "From the bank"),
	num("cutoff", "Device cuts off at", "V", "44", "Empty: at the cells' floor"),
	num("charger", "Charger", "A", "", "")}, Source: "rules §12: the resistances' network, solved with the rest " +
	"curves' feedback; single trips at the cut-off's current", Not: []string{"warming of a string, which " +
	"takes current off it", "the time a breaker takes", notTheCode}, solve: solveShare}

// solveShare binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveShare(r *reader, a *Answer) error {
	k := r.chemistry("chemistry")
	in := share.Input{Bus: share.Bus(r.word("bus")), StepMOhm: r.opt("step", 0, 0, 1e5), LoadWatts: r.opt("load", 0, 0,
		1e7), CutoffVolts: r.opt("cutoff", 0, 0, 2000), ChargerAmps: r.opt("charger", 0, 0, 1e5)}
	s, soc := r.whole("series", 1, 400), r.num("soc", 0, 100)/100
	for _, x := range r.plain("strings", r.rows("strings", 1, 32)) {
		in.Strings = append(in.Strings, share.Line{ID: x.name, Series: s, Chemistry: k.ID, Ah: x.at(0), SoC: &soc,
			MOhm: x.at(1), TripAmps: x.at(2)})
		if x.at(1) == 0 {
			a.assume("%s: resistance not given, typical for its capacity", x.name)
		}
	}
	if len(r.bad) > 0 {
		return nil
	}
	if full := float64(s) * k.ChargeLimitVolts; in.CutoffVolts >= full {
		r.bad["cutoff"] = fmt.Sprintf("%s V: the bank has %s V when it is full, and would run nothing",
			fig(in.CutoffVolts), fig(full))
		return nil
	}
	if in.CutoffVolts == 0 { // the device goes on drawing until something else ends it
		in.CutoffVolts = float64(s) * k.FloorVolts
		a.assume("no cut-off given: trips are judged at the cells' floor, %s V, where the current is highest",
			fig(in.CutoffVolts))
	}
	res, err := share.Solve(in)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	first := res.Amps[in.Strings[0].ID]
	most, least := first, first
	t := Table{Title: "Strings", Heads: []string{"String", "Of the load", "After its trip", "At the start"}, Words: 3}
	chart := &Chart{Title: "Amps of each string", X: "", Y: "A", Bars: true, Curves: []Curve{{Name: "A"}}}
	total := 0.0
	for _, v := range res.Amps {
		total += v
	}
	for i, x := range in.Strings {
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
		pct := ""
		if total > 0 {
			pct = dec(v/total*100, 0) + " %"
		}
		t.Rows = append(t.Rows, []string{x.ID, pct, after, fig(v) + " A"})
		chart.Curves[0].Points = append(chart.Curves[0].Points, [2]float64{float64(i), v})
		chart.Labels = append(chart.Labels, x.ID)
	}
	a.Says = fmt.Sprintf("%s to %s A a string at %.2f V.", fig(least), fig(most), res.Volts)
	if res.SurvivesW != nil {
		a.Says += fmt.Sprintf(" The bank bears one trip up to %.0f W.", *res.SurvivesW)
		a.line("Bears one trip up to", dec(*res.SurvivesW, 0), "W")
	}
	a.line("At the load", dec(res.Volts, 2), "V")
	a.line("Largest over an equal share", dec(res.Unequal, 2), "×")
	a.line("Goes round once the load stops, at most", fig(res.CirculatingA), "A")
	a.line("in all", fig(res.CirculatingAh), "Ah")
	a.line("Until "+res.EndedBy, spell(res.Hours), "")
	a.formula("(R + B)·I = E − V, ΣI·V = %s W; trips at %s W / %s V", fig(in.LoadWatts), fig(in.LoadWatts),
		fig(in.CutoffVolts))
	a.Tables, a.Chart = append(a.Tables, t), chart
	return nil
}

var balanceWorking = Working{Key: "balance", Title: "Balancing", About: abouts[2], Question: "How long until the " +
	"groups are equal, and test now or wait?", Fields: []Field{
	{Key: "offsets", Label: "Each group lacks", Unit: "Ah", Kind: List, Start: "0 0.4 1.2 0.2 3.5 0 0.8 0.3",
		Help: "To the fullest one, from group 1 up; or offsets against the median"},
	{Key: "sign", Label: "These are", Kind: Choice, Choices: [][2]string{{"lacks", "what each lacks"}, {"offsets",
		"offsets: positive is fuller"}}, Start: "lacks"},
	num("ah", "Capacity of a group", "Ah", "100", ""),
	num("bms_a", "BMS balances with", "A", "0.1", "Empty: none"),
	num("duty", "of the day", "%", "8", "Above balance start; 8 is typical"),
	{Key: "active", Label: "It moves charge (active)", Kind: Tick},
	{Key: "alternating", Label: "Odd and even groups take turns", Kind: Tick, Help: "Then half the current"},
	num("charger_a", "By hand: charger for one group", "A", "10", ""),
	num("supply_a", "All in parallel: supply", "A", "", "")}, Source: "rules §13: days = Ah / (24 × A × duty); " +
	"active ½·Σ|offset − mean|; by hand Ah / A + taper; hard stop × 1.2", Not: []string{"drift meanwhile",
	"what the BMS takes for full"}, solve: solveBalance}

func solveBalance(r *reader, a *Answer) error {
	w := balance.Work{MissingAh: r.list("offsets", -1e5, 1e5, 400), Ah: r.num("ah", 0.01, 1e5), BMSAmps: r.opt("bms_a",
		0, 0, 1000), Duty: r.opt("duty", 8, 0.1, 100) / 100, Active: r.yes("active"), Alternating: r.yes("alternating"),
		ChargerAmps: r.opt("charger_a", 0, 0, 1000), SupplyAmps: r.opt("supply_a", 0, 0, 1e4)}
	if len(r.bad) > 0 {
		return nil
	}
	if r.word("sign") == "offsets" {
		for i := range w.MissingAh {
			w.MissingAh[i] = -w.MissingAh[i]
		}
	}
	p, err := balance.Plan(w)
	if err != nil {
		return err
	}
	a.Result, a.Findings = p, p.Findings
	a.Says = p.Advice
	a.line("Worst group lacks", dec(p.WorstAh, 2), "Ah")
	a.line("All together", dec(p.TotalAh, 2), "Ah")
	a.line("Gives now, charged to the first full group", dec(p.NowAh, 1), "Ah")
	a.line("Gives balanced", dec(p.DoneAh, 1), "Ah")
	if p.BMSDays > 0 {
		a.line("By the BMS", dec(p.BMSDays, 1), "days")
		a.line("Each day gains", dec(p.GainDayAh, 2), "Ah")
		kind := fmt.Sprintf("%s Ah", dec(p.WorstAh, 2))
		if w.Active {
			kind = "½·Σ|offset − mean|"
		}
		a.formula("%s / (24 h × %s A × %s) = %s days", kind, fig(w.BMSAmps), dec(w.Duty, 2), dec(p.BMSDays, 1))
	}
	if p.HandHours > 0 {
		a.line(fmt.Sprintf("By hand, %d groups", p.HandGroups), dec(p.HandHours, 1), "h, attended")
		a.line("Hard stop of the longest", dec(slices.Max(p.HardStopHand), 1), "h")
	}
	if p.ParallelH > 0 {
		a.line("All in parallel", dec(p.ParallelH, 1), "h, attended")
		a.line("Hard stop", dec(p.HardStopPar, 1), "h")
	}
	a.Chart = &Chart{Title: "What each group lacks", X: "group", Y: "Ah", Bars: true, Curves: []Curve{{Name: "Ah"}}}
	least := slices.Min(w.MissingAh)
	for i, m := range w.MissingAh {
		a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, [2]float64{float64(i), m - least})
		a.Chart.Labels = append(a.Chart.Labels, fmt.Sprint(i+1))
	}
	return nil
}

var idleWorking = Working{Key: "idle", Title: "Idle life", About: abouts[4], Question: "How long may it stand before " +
	"it must be recharged?", Fields: []Field{
	num("ah", "Capacity", "Ah", "100", ""),
	num("volts", "Nominal", "V", "25.6", ""),
	num("from", "Charge now", "%", "60", ""),
	num("floor", "Down to", "%", "10", ""),
	num("self", "Self-discharge", "% a month", "2", "Of the capacity; typical"),
	{Key: "draws", Label: "Always on", Kind: Lines, Start: "BMS asleep: 0.5\nmeter: 8", Help: "a line each: name, " +
		"milliamps; or watts with a w, such as 'router: 6 w'"}}, Source: "rules §17: Ah a day = draws × 24 h + " +
	"self-discharge; days = what lies above the floor / Ah a day", Not: []string{"temperature", "draws that " +
	"come and go", "unequal groups: the lowest is at its floor first"}, solve: solveIdle}

func solveIdle(r *reader, a *Answer) error {
	i := energy.Idle{Ah: r.num("ah", 0.01, 1e5), Volts: r.num("volts", 0.5, 2000), From: r.num("from", 0, 100) / 100,
		Floor: r.num("floor", 0, 100) / 100, SelfPctMonth: r.opt("self", 2, 0, 100)}
	for _, x := range r.rows("draws", 1, 60) {
		for _, w := range x.words {
			if w != "w" {
				r.stray("draws", x.name, w)
			}
		}
		d := energy.Draw{Name: x.name, MilliAmps: x.at(0)}
		if slices.Contains(x.words, "w") {
			d.MilliAmps, d.Watts = 0, x.at(0)
		}
		i.Draws = append(i.Draws, d)
	}
	if len(r.bad) > 0 {
		return nil
	}
	if !r.given("self") {
		a.assume("self-discharge not given: 2 %% a month, typical")
	}
	x, err := energy.Stand(i)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	switch {
	case x.Forever:
		a.Says = "Nothing draws and nothing leaks by these numbers: the floor is not reached."
	case x.Days == 0:
		a.Says = "It stands at its floor already: recharge it now."
	default:
		a.Says = fmt.Sprintf("%.0f days to the floor; %s takes most. Recharge before.", math.Floor(x.Days), x.Largest)
		a.Uses["days"] = dec(math.Floor(x.Days), 0)
	}
	a.line("Goes a day", dec(x.AhPerDay, 3), "Ah")
	a.line("Above the floor", dec((i.From-i.Floor)*i.Ah, 1), "Ah")
	if x.Days > 0 {
		a.line("Lasts", dec(math.Floor(x.Days), 0), "days")
	}
	a.formula("(%s − %s) × %s Ah / %s Ah a day", dec(i.From, 2), dec(i.Floor, 2), fig(i.Ah), dec(x.AhPerDay, 3))
	return nil
}
