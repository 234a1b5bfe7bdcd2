package shelf

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/bench/load"
	"pandrel/core/bench/times"
	"pandrel/core/module/sample"
)

var loadWorking = Working{Key: "load", Title: "Resistor load", About: abouts[3], Question: "Which of my resistors " +
	"make 10 A?", Fields: []Field{
	num("amps", "Wanted at the start", "A", "10", "Empty: what the heap below draws"),
	num("start", "Volts at the start", "V", "14", ""),
	num("end", "Volts at the end", "V", "10", ""),
	{Key: "stock", Label: "Resistors in stock", Kind: Lines, Start: "1 ohm, 100 W: 1 100 12\n0.5 ohm, 50 W: " +
		"0.5 50 8", Help: "a line each: name, Ω, watts, how many"},
	num("derate", "Of their rating is used", "%", "50", "On a heat sink"),
	num("s", "or the heap: in series", "", "", "Of the first kind"),
	num("p", "by in parallel", "", "", ""),
	num("wire", "Wire bears", "A", "", ""),
	num("clamp", "Clamp bears", "A", "10", "A toothed clip at most 10")},
	Source: "rules §5: Ω = R·s/p; A = V/Ω; watts of each = V²/(Ω·s·p), at most the derated rating",
	Not:    []string{"how hot the plate gets", "the drift of a resistor as it warms"}, solve: solveLoad}

// solveLoad binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveLoad(r *reader, a *Answer) error {
	w := load.Wanted{Amps: r.opt("amps", 0, 1e-3, 1e5), StartVolts: r.num("start", 0.1, 2000), EndVolts: r.opt("end", 0,
		0.01, 2000), Derate: r.opt("derate", 50, 5, 100) / 100, WireAmps: r.opt("wire", 0, 0.01, 1e5),
		ClampAmps: r.opt("clamp", 0, 0.01, 1e5)}
	var stock []load.Resistor
	for _, x := range r.rows("stock", 3, 30) {
		stock = append(stock, load.Resistor{Name: x.name, Ohms: x.at(0), Watts: x.at(1), Count: int(x.at(2))})
	}
	s, p := r.optWhole("s", 0, 1, 400), r.optWhole("p", 0, 1, 400)
	if len(r.bad) > 0 {
		return nil
	}
	if len(stock) == 0 {
		r.bad["stock"] = "expected " + r.fields["stock"].Help
		return nil
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
			a.Says = "No network of this stock stays below its derated watts."
			a.Level = 2
			return nil
		}
		best = list[0]
		k := slices.IndexFunc(stock, func(x load.Resistor) bool { return x.Name == best.Resistor })
		if _, a.Findings, err = load.At(stock[k], best.Series, best.Parallel, w); err != nil {
			return err
		}
		t := Table{Title: "Networks, nearest first", Heads: []string{"Resistor", "Series × parallel", "Start", "End",
			"Each", "May"}, Words: 2}
		for _, n := range list {
			t.Rows = append(t.Rows, []string{n.Resistor, fmt.Sprintf("%d × %d", n.Series, n.Parallel),
				fig(n.StartAmps) + " A", fig(n.EndAmps) + " A", fig(n.EachWatts) + " W", fig(n.MayWatts) + " W"})
		}
		a.Tables = append(a.Tables, t)
	}
	a.Result = best
	a.Says = fmt.Sprintf("%d in series by %d in parallel of %s: %s A at %s V, %s A at the end; %s W in each.",
		best.Series,
		best.Parallel, best.Resistor, fig(best.StartAmps), fig(w.StartVolts), fig(best.EndAmps), fig(best.EachWatts))
	a.line("Resistance", fig(best.Ohms), "Ω")
	a.line("At the start", fig(best.StartAmps), "A")
	a.line("At the end", fig(best.EndAmps), "A")
	a.line("All of it", fig(best.AllWatts), "W")
	a.line("Each", fig(best.EachWatts), "W")
	a.line("Each may", fig(best.MayWatts), "W")
	one := best.Ohms * float64(best.Parallel) / float64(best.Series)
	a.formula("%s Ω × %d / %d = %s Ω; %s V / %s Ω = %s A", fig(one), best.Series, best.Parallel, fig(best.Ohms),
		fig(w.StartVolts), fig(best.Ohms), fig(best.StartAmps))
	a.Grid = &Grid{best.Series, best.Parallel, fig(one) + " Ω"}
	return nil
}

var timesWorking = Working{Key: "times", Title: "Test time and energy", About: abouts[3], Question: "How long does a " +
	"pallet take, and what does it cost from the wall?", Fields: []Field{
	chemField("lfp"),
	num("series", "Groups in a module", "", "4", ""),
	num("ah", "Capacity", "Ah", "202", ""),
	num("modules", "Modules", "", "14", ""),
	num("channels", "Channels at once", "", "2", ""),
	num("charge_a", "Charger", "A", "20", ""),
	num("charge_w", "at most", "W", "", ""),
	num("load_a", "Load", "A", "20", ""),
	num("load_w", "at most", "W", "300", ""),
	num("rest", "Each rest", "h", "1", ""),
	num("arrive", "Charge on arrival", "%", "30", ""),
	num("store", "Store", "kWh", "", "A bank that takes the discharge; empty: none"),
	{Key: "watched", Label: "No group is monitored", Kind: Tick, Help: "Then somebody stays for every charge and " +
		"discharge"}}, Source: "rules §5: constant current, then a taper at 0.4 of it for the last 3 % (LFP) or " +
	"10 %; 0.90 each way", Not: []string{"a module that holds less than its plate", "nights in which " +
	"nobody changes clamps"}, solve: solveTimes}

func solveTimes(r *reader, a *Answer) error {
	k := r.chemistry("chemistry")
	j := times.Job{Chemistry: k.ID, Series: r.whole("series", 1, 400), Ah: r.num("ah", 0.01, 1e5),
		Modules: r.whole("modules", 1, 1e5), Channels: r.whole("channels", 1, 1000), ChargeAmps: r.num("charge_a", 0.01,
			1e4), ChargeWatts: r.opt("charge_w", 0, 0.1, 1e6), LoadAmps: r.num("load_a", 0.01, 1e4),
		LoadWatts: r.opt("load_w", 0, 0.1, 1e6), RestH: r.opt("rest", 1, 0, 100), FromSoC: r.opt("arrive", 30, 0,
			100) / 100, StoreKWh: r.opt("store", 0, 0, 1e4), AttendedAlone: r.yes("watched")}
	if len(r.bad) > 0 {
		return nil
	}
	h, err := times.Work(j)
	if err != nil {
		return err
	}
	a.Result = h
	a.Says = fmt.Sprintf("%s for each module; all %d on %d channels: %s. %s kWh from the wall", spell(h.PerModule),
		j.Modules, j.Channels, spell(h.PerPallet), fig(h.WallKWh))
	if j.StoreKWh > 0 {
		a.Says += fmt.Sprintf(", %s kWh with the store", fig(h.WallStoreKWh))
	}
	a.Says += fmt.Sprintf("; somebody is there for %s h.", fig(h.AttendedH))
	t := Table{Title: "One module", Heads: []string{"Step", "Limited by", "Amps", "Hours", "kWh"}, Words: 2}
	for _, s := range h.Steps {
		by := "amps"
		if s.ByWat {
			by = "watts"
		}
		if s.Amps == 0 {
			by = ""
		}
		t.Rows = append(t.Rows, []string{s.Name, by, fig(s.Amps), dec(s.Hours, 1), dec(s.KWh, 2)})
	}
	a.Tables = append(a.Tables, t)
	a.line("Each module", dec(h.PerModule, 1), "h")
	a.line("All of them", spell(h.PerPallet), "")
	a.line("Round the clock", dec(h.Days, 1), "days")
	a.line("Somebody there", fig(h.AttendedH), "h")
	a.line("From the wall", fig(h.WallKWh), "kWh")
	if j.StoreKWh > 0 {
		a.line("With the store", fig(h.WallStoreKWh), "kWh")
		if h.StoreSmall {
			a.assume("the store does not hold one whole discharge: the rest is burned")
		}
	}
	a.formula("charge %s h + rest + discharge %s Ah / %s A + rest + back to half", dec(h.Steps[0].Hours, 1), fig(j.Ah),
		fig(h.Steps[2].Amps))
	return nil
}

var screwWorking = Working{Key: "screw", Title: "Screws, studs, stacks", About: abouts[3], Question: "Which screw " +
	"holds this bar without touching the bottom?", Fields: []Field{
	num("thread", "Thread, M", "mm", "6", ""),
	num("hole", "Usable depth of the hole", "mm", "12", ""),
	num("bar", "Bar", "mm", "3", ""),
	num("ring", "Rings: power, sense", "mm", "2", "Together"),
	num("washer", "Washers", "mm", "1.6", "Together; none in the current's way"),
	num("length", "Screw in hand", "mm", "", "Empty: which would fit"),
	{Key: "in", Label: "Thread in", Kind: Choice, Choices: [][2]string{{"aluminium", "aluminium"}, {"brass",
		"brass"}, {"steel", "steel"}}, Start: "aluminium"}}, Source: "rules §10: engagement 1 diameter in steel, " +
	"1.5 in aluminium or brass; 1 mm left under the tip", Not: []string{"torque: by the maker's data, " +
	"never by feel", "threads that are worn"}, solve: solveScrew}

func solveScrew(r *reader, a *Answer) error {
	s := sizing.Screw{ThreadMM: r.num("thread", 1, 40), HoleMM: r.num("hole", 1, 200), BarMM: r.opt("bar", 0, 0, 100),
		RingMM: r.opt("ring", 0, 0, 50), WasherMM: r.opt("washer", 0, 0, 50), LengthMM: r.opt("length", 0, 0.5, 200),
		In: r.word("in")}
	if len(r.bad) > 0 {
		return nil
	}
	x, err := sizing.Screwing(s)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	var fits []string
	for _, l := range x.Standard {
		fits = append(fits, fig(l))
	}
	switch {
	case s.LengthMM > 0 && len(x.Findings) == 0:
		a.Says = fmt.Sprintf("M%s × %s holds with %.1f mm of thread and %.1f mm under its tip.", fig(s.ThreadMM),
			fig(s.LengthMM), x.EngagesMM, x.ClearMM)
	case s.LengthMM > 0:
		a.Says = fmt.Sprintf("M%s × %s does not fit: %s to %s mm do.", fig(s.ThreadMM), fig(s.LengthMM), fig(x.LowMM),
			fig(x.HighMM))
	case len(fits) > 0:
		a.Says = fmt.Sprintf("M%s of %s mm.", fig(s.ThreadMM), strings.Join(fits, " or "))
	case x.LowMM <= x.HighMM:
		a.Says = fmt.Sprintf("%s to %s mm under the head: no usual length lies between.", fig(x.LowMM), fig(x.HighMM))
	default:
		a.Says = "No length fits this hole."
	}
	low, high := sizing.RingHole(s.ThreadMM)
	a.line("Stack under the head", fig(x.StackMM), "mm")
	a.line("Thread that must hold", fig(x.NeedMM), "mm")
	a.line("Length, at least", fig(x.LowMM), "mm")
	a.line("Length, at most", fig(x.HighMM), "mm")
	a.line("Hole of a ring", fmt.Sprintf("%.1f to %.1f", low, high), "mm")
	a.line("Torque", "by the maker", "")
	a.formula("%s mm stack + %s mm thread ≤ length ≤ %s mm stack + %s mm hole − 1 mm", fig(x.StackMM), fig(x.NeedMM),
		fig(x.StackMM), fig(s.HoleMM))
	length := s.LengthMM
	if length == 0 && len(x.Standard) > 0 {
		length = x.Standard[0]
	}
	in := math.Max(0, length-x.StackMM)
	a.Stack = []Layer{{"screw head", s.ThreadMM * 0.6, "screw"}}
	for _, l := range []Layer{{"washer, above the rings", s.WasherMM, "washer"}, {"sense ring, on top", s.RingMM / 3,
		"ring"}, {"power ring, on the bar's face", s.RingMM * 2 / 3, "ring"}, {"bar, on the post's contact face",
		s.BarMM, "bar"}} {
		if l.MM > 0 {
			a.Stack = append(a.Stack, l)
		}
	}
	a.Stack = append(a.Stack, Layer{"thread that holds", math.Min(in, s.HoleMM), "thread"})
	if gap := s.HoleMM - in; gap > 0 {
		a.Stack = append(a.Stack, Layer{"free under the tip", gap, "gap"})
	}
	return nil
}

var jointsWorking = Working{Key: "joints", Title: "Joint check", About: abouts[3],
	Question: "Which joints have to be opened again?",
	Fields: []Field{
		num("amps", "Current", "A", "40", "20 or more"),
		{Key: "joints", Label: "Joints", Kind: Lines, Start: "bar 1: 4.1 bar\nbar 2: 4.0 bar\nbar 3: 9.8 bar\nbar " +
			"4: 4.3 bar", Help: "a line each: name, millivolts, rise in K where felt or measured, and a word for " +
			"joints that are alike"}}, Source: "rules §17: µΩ = mV/A; an outlier is above 1.5 × the median of its " +
		"like, or 20 K above", Not: []string{"joints that are good today and work loose"}, solve: solveJoints}

func solveJoints(r *reader, a *Answer) error {
	amps := r.num("amps", 0.1, 1e5)
	var js []sizing.Joint
	for _, x := range r.rows("joints", 1, 400) {
		j := sizing.Joint{Name: x.name, MilliV: x.at(0), Kind: strings.Join(x.words, " ")}
		if len(x.nums) > 1 {
			k := x.at(1)
			j.RiseK = &k
		}
		js = append(js, j)
	}
	if len(r.bad) > 0 {
		return nil
	}
	out, fs, err := sizing.Joints(amps, js)
	if err != nil {
		return err
	}
	a.Result, a.Findings = out, fs
	var again []string
	watts := 0.0
	t := Table{Title: "Joints", Heads: []string{"Joint", "Alike", "Says", "µΩ", "Watts", "Of its like"}, Words: 3}
	a.Chart = &Chart{Title: "Resistance of each joint", X: "", Y: "µΩ", Bars: true, Curves: []Curve{{Name: "µΩ"}}}
	for i, j := range out {
		says := "like its like"
		if j.Retighten {
			says = "open and clean it: " + j.Why
			again = append(again, j.Name)
		}
		watts += j.Watts
		t.Rows = append(t.Rows, []string{j.Name, j.Kind, says, dec(j.MicroOhm, 0), dec(j.Watts, 2), dec(j.OfMedian, 2)})
		a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, [2]float64{float64(i), j.MicroOhm})
		a.Chart.Labels = append(a.Chart.Labels, j.Name)
	}
	a.Tables = append(a.Tables, t)
	a.line("All joints", dec(watts, 1), "W")
	a.formula("µΩ = mV / %s A × 1000; watts = mV × %s A / 1000", fig(amps), fig(amps))
	if len(again) == 0 {
		a.Says = fmt.Sprintf("No joint of %d stands out.", len(out))
	} else {
		a.Says = "Current off, then open, clean and tighten: " + strings.Join(again, ", ") + "."
	}
	return nil
}

var sampleWorking = Working{Key: "sample", Title: "Sampling", About: abouts[3],
	Question: "Five tested of forty: what may the rest hold?",
	Fields: []Field{
		{Key: "tested", Label: "Tested", Unit: "Ah", Kind: List, Start: "171 168 175 163 170",
			Help: "Their capacities"},
		num("total", "Of", "", "40", "All, the tested ones included"),
		num("series", "Positions of the bank", "", "4", "Of untested ones; the weakest decides"),
		num("wanted", "Each shall hold", "Ah", "160", "Empty: no matter"),
		num("risk", "Risk that is borne", "%", "5", "")},
	Source: "rules §17: mean ± t·s·√(1 + 1/n); the weakest of k with the risk shared over k; n/N without any shape",
	Not:    []string{"a choice of the best looking ones", "two kinds in one lot"}, solve: solveSample}

func solveSample(r *reader, a *Answer) error {
	l := sample.Lot{Tested: r.list("tested", 0.001, 1e5, 5000), Total: r.whole("total", 1, 1e6),
		Series: r.optWhole("series", 0,
			0, 1000), Wanted: r.opt("wanted", 0, 0, 1e5), Risk: r.opt("risk", 5, 0.1, 49) / 100}
	if len(r.bad) > 0 {
		return nil
	}
	t, err := sample.Tell(l)
	if err != nil {
		return err
	}
	a.Result, a.Findings = t, t.Findings
	sure := 100 * (1 - l.Risk)
	a.Says = fmt.Sprintf("The next one holds %s Ah, with %.0f %%; the weakest of the rest %s Ah or more.", to(t.NextLow,
		t.NextHigh, 0), sure, dec(t.WeakestLow, 0))
	if l.Series > 0 {
		a.Says += fmt.Sprintf(" A bank of %d untested positions: %s Ah or more.", l.Series, dec(t.BankLow, 0))
		a.line(fmt.Sprintf("Bank of %d untested", l.Series), dec(t.BankLow, 1), "Ah or more")
	}
	a.line("Mean of the tested", dec(t.Mean, 1), "Ah")
	a.line("Mean of all", to(t.MeanLow, t.MeanHigh, 1), "Ah")
	a.line("Spread, one deviation", dec(t.Spread, 2), "Ah")
	a.line("The next one", to(t.NextLow, t.NextHigh, 1), "Ah")
	a.line("Weakest of the rest", dec(t.WeakestLow, 1), "Ah or more")
	a.line("The weakest of all was tested already, with", dec(t.SeenWeakest*100, 0), "%")
	if l.Wanted > 0 {
		a.line(fmt.Sprintf("The next one below %s Ah, with", fig(l.Wanted)), dec(t.BelowChance*100, 1), "%")
		if t.More != nil {
			a.line("Test more, for the risk", fmt.Sprint(*t.More), "modules")
		}
	}
	a.formula("%s Ah ± t × %s Ah × √(1 + 1/%d)", dec(t.Mean, 1), dec(t.Spread, 2), len(l.Tested))
	a.Chart = &Chart{Title: "The tested ones", X: "", Y: "Ah", Bars: true, Curves: []Curve{{Name: "Ah"}},
		Marks: []Mark{{"the next, at least", t.NextLow, "caution"}}}
	for i, v := range l.Tested {
		a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, [2]float64{float64(i), v})
		a.Chart.Labels = append(a.Chart.Labels, fmt.Sprint(i+1))
	}
	return nil
}
