package shelf

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/acts"
	"pandrel/core/bank/volts"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
)

var bankFields = []Field{
	chemField("lfp"),
	num("series", "Groups in series", "", "8", ""),
	num("ah", "Capacity", "Ah", "", "Empty: not known"),
	num("mohm", "Resistance of the whole, 10 s", "mΩ", "", "Empty: typical, from the capacity"),
}

// curveField is a rest curve of one's own, for workings that read charge from volts.
var curveField = Field{Key: "curve", Label: "Own rest curve of a group", Kind: Lines,
	Help: "per cent and volts, a line each, five or more; empty: typical"}

func fields(a []Field, more ...Field) []Field { return append(append([]Field{}, a...), more...) }

func (r *reader) bank() volts.Bank {
	k := r.chemistry("chemistry")
	return volts.Bank{Curve: r.curve(k.ID), Chemistry: k.ID, Series: r.whole("series", 1, 400), Ah: r.opt("ah", 0, 0.01,
		1e5), MOhm10s: r.opt("mohm", 0, 0.001, 1e5), RestMin: chem.FullRestMinutes}
}

// curve reads a rest curve of one's own, nil for none.
func (r *reader) curve(id chem.ID) *chem.Curve {
	if !r.given("curve") {
		return nil
	}
	var soc, v []float64
	for _, x := range r.rows("curve", 2, 200) {
		soc, v = append(soc, x.at(0)), append(v, x.at(1))
	}
	if r.bad["curve"] != "" {
		return nil
	}
	c, err := chem.OwnCurve(id, soc, v)
	if err != nil {
		r.bad["curve"] = err.Error()
		return nil
	}
	return &c
}

// assumeOhms says what stands for a resistance that was not given.
func (a *Answer) assumeOhms(b volts.Bank) {
	if b.MOhm10s > 0 || b.Amps == 0 {
		return
	}
	r, known := b.Ohms()
	if !known {
		a.assume("neither resistance nor capacity given: what the current takes off the voltage is not counted")
		return
	}
	a.assume("resistance not given: typical for this chemistry and capacity, %s mΩ of the whole, %s mΩ a group",
		figs(r.Low*1000, r.High*1000), figs(r.Low*1000/float64(b.Series), r.High*1000/float64(b.Series)))
}

var voltsWorking = Working{Key: "volts", Title: "Volts and charge", About: abouts[0], Question: "Is 26 V full? Which " +
	"voltage is half charged?", Fields: fields(bankFields, num("volts", "Volts of the whole", "V", "26",
	"One of these three"), num("group", "or volts of a group", "V", "", ""), num("soc", "or charge", "%", "", ""),
	num("amps", "Current while it was read", "A", "", "Empty or 0: at rest. Discharge is positive"), num("rest",
		"Rested", "min", "60", "Empty: not known"), num("cutoff", "Device cuts off at", "V", "", ""), num("max",
		"Device's highest charge", "V", "", ""), curveField), Source: "rules §1: typical rest curves at 25 °C, " +
	"interpolated monotonically; rest volts = read + A × Ω", Not: []string{"temperature", "groups that are unequal",
	"a curve of its own, where none is given"}, solve: solveVolts}

// solveVolts binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveVolts(r *reader, a *Answer) error {
	b := r.bank()
	b.Amps = r.opt("amps", 0, -1e5, 1e5)
	b.RestMin = r.opt("rest", -1, 0, 1e6)
	k, err := chem.Lookup(b.Chemistry)
	if err != nil || len(r.bad) > 0 {
		return err
	}
	k = k.WithCurve(b.Curve)
	given := 0
	for _, x := range []string{"volts", "group", "soc"} {
		if r.given(x) {
			given++
		}
	}
	var st volts.State
	s := float64(b.Series)
	switch {
	case given != 1:
		r.bad["volts"] = "expected one of volts, volts of a group, and charge"
		return nil
	case r.given("soc"):
		st, err = volts.FromSoC(b, r.num("soc", 0, 100)/100)
		a.formula("rest curve of %s at %s %%: %s V × %d groups = %s V", k.Name, dec(st.SoC*100, 0), dec(st.GroupVolts,
			3), b.Series, dec(st.RestVolts, 2))
	default:
		v := r.opt("volts", 0, 0.1, 2000)
		if r.given("group") {
			v = s * r.num("group", 0.1, 10)
		}
		if len(r.bad) > 0 {
			return nil
		}
		st, err = volts.FromVolts(b, v)
		a.formula("%s V / %d groups = %s V a group; the rest curve of %s there: %s %%", dec(st.RestVolts, 2), b.Series,
			dec(st.GroupVolts, 3), k.Name, to(st.SoCLow*100, st.SoCHigh*100, 0))
	}
	if err != nil || len(r.bad) > 0 {
		return err
	}
	a.assumeOhms(b)
	a.Result, a.Findings = st, volts.Judge(b, st)
	full := fmt.Sprintf("%.2f V on %d groups of %s is %.3f V a group", st.RestVolts, b.Series, k.Name, st.GroupVolts)
	switch {
	case st.Beyond == "above":
		a.Says = full + ": at rest that is full."
	case st.Beyond == "below":
		a.Says = full + ": at rest that is empty, or below."
	case st.SoCHigh-st.SoCLow > 0.005:
		a.Says = full + fmt.Sprintf(": %s %% full.", to(st.SoCLow*100, st.SoCHigh*100, 0))
	default:
		a.Says = full + fmt.Sprintf(" at %.0f %%.", st.SoC*100)
	}
	if st.CannotTell {
		a.Says += " Voltage cannot tell closer there."
	}
	a.line("Charge", to(st.SoCLow*100, st.SoCHigh*100, 0), "%")
	a.line("At rest, the whole", dec(st.RestVolts, 2), "V")
	a.line("At rest, a group", dec(st.GroupVolts, 3), "V")
	if b.Amps != 0 {
		a.line(fmt.Sprintf("Under %s A", fig(b.Amps)), to(st.LoadVoltsLow, st.LoadVoltsTop, 2), "V")
	}
	if b.Ah > 0 {
		a.line("Holds now", to(st.SoCLow*b.Ah, st.SoCHigh*b.Ah, 0), "Ah")
	}
	a.Chart = curveChart(k, b.Series, st.GroupVolts*s, r.opt("cutoff", 0, 0, 2000), r.opt("max", 0, 0, 2000))
	return nil
}

// curveChart is the rest curve of the whole with what is marked on it; the flat stretch is a band.
func curveChart(k chem.Chemistry, series int, at, cutoff, most float64) *Chart {
	s := float64(series)
	c := &Chart{Title: "Rest volts against charge", X: "charge, %", Y: "V of the whole",
		Curves: []Curve{{Name: k.Name}}, Marks: []Mark{}}
	flat := [2]float64{-1, -1}
	for i := range 101 {
		soc := float64(i) / 100
		v := k.Curve.Volts(soc)
		c.Curves[0].Points = append(c.Curves[0].Points, [2]float64{float64(i), v * s})
		if k.Curve.Flat(v) {
			if flat[0] < 0 {
				flat[0] = float64(i)
			}
			flat[1] = float64(i)
		}
	}
	if flat[0] >= 0 {
		c.Band = flat
	}
	if at > 0 {
		c.Marks = append(c.Marks, Mark{"asked", at, "plain"})
	}
	if cutoff > 0 {
		c.Marks = append(c.Marks, Mark{"cut-off", cutoff, "caution"})
	}
	if most > 0 {
		c.Marks = append(c.Marks, Mark{"device's highest", most, "stop"})
	}
	return c
}

var windowWorking = Working{Key: "window", Title: "A window in volts", About: abouts[0], Question: "Where do I set " +
	"charger and cut-off for 20 to 95 %?", Fields: fields(bankFields, num("low", "From", "%", "20", "Or volts below"),
	num("high", "To", "%", "95", ""), num("low_v", "or from", "V", "", "At rest, the whole"), num("high_v", "to", "V",
		"", "At rest, the whole"), num("amps", "Load at the lower end", "A", "", "Its sag is taken off the cut-off"),
	curveField), Source: "rules §1 and §7: rest curve; energy = Ah × the curve's integral; usual settings of §14",
	Not: []string{"temperature", "unequal groups", "how the charger holds its setting"}, solve: solveWindow}

// solveWindow binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveWindow(r *reader, a *Answer) error {
	b := r.bank()
	b.Amps = r.opt("amps", 0, 0, 1e5)
	var w volts.WindowResult
	var err error
	inVolts := r.given("low_v") || r.given("high_v")
	if inVolts {
		lo, hi := r.num("low_v", 0.1, 2000), r.num("high_v", 0.1, 2000)
		if len(r.bad) > 0 {
			return nil
		}
		if field, text := volts.Outside(b, lo, hi); field != "" {
			r.bad[field+"_v"] = text
			return nil
		}
		w, err = volts.WindowOfVolts(b, lo, hi)
	} else {
		lo, hi := r.num("low", 0, 100), r.num("high", 0, 100)
		if len(r.bad) > 0 {
			return nil
		}
		w, err = volts.Window(b, lo/100, hi/100)
	}
	if err != nil {
		return err
	}
	a.assumeOhms(b)
	a.Result = w
	k, _ := chem.Lookup(b.Chemistry)
	k = k.WithCurve(b.Curve)
	a.Says = fmt.Sprintf("%.0f to %.0f %% is %.2f to %.2f V at rest, %.3f to %.3f V a group.", w.Low.SoC*100,
		w.High.SoC*100, w.Low.RestVolts, w.High.RestVolts, w.Low.GroupVolts, w.High.GroupVolts)
	a.formula("rest curve at %.0f %%: %s V × %d groups = %s V; at %.0f %%: %s V × %d = %s V", w.Low.SoC*100,
		dec(w.Low.GroupVolts, 3), b.Series, dec(w.Low.RestVolts, 2), w.High.SoC*100, dec(w.High.GroupVolts, 3),
		b.Series, dec(w.High.RestVolts, 2))
	if b.Ah > 0 {
		a.Says += fmt.Sprintf(" It gives %.1f Ah, %.2f kWh of %.2f kWh.", w.UsableAh, w.UsableKWh, w.WholeKWh)
		a.line("Usable", dec(w.UsableKWh, 2), "kWh")
		a.line("Usable", dec(w.UsableAh, 1), "Ah")
		a.formula("%s Ah × the area under the curve from %.0f to %.0f %% × %d groups = %s kWh", fig(b.Ah),
			w.Low.SoC*100, w.High.SoC*100, b.Series, dec(w.UsableKWh, 2))
	}
	a.line("Cut-off at rest", dec(w.Low.RestVolts, 2), "V")
	if b.Amps > 0 {
		a.line(fmt.Sprintf("Cut-off under %s A", fig(b.Amps)), to(w.Low.LoadVoltsLow, w.Low.LoadVoltsTop, 2), "V")
		a.formula("cut-off under load = %s V − %s A × Ω", dec(w.Low.RestVolts, 2), fig(b.Amps))
	}
	a.line("Full, at rest", dec(w.High.RestVolts, 2), "V")
	a.line("Usual charger setting", fmt.Sprintf("%s (%.0f %%)", dec(w.ChargerV, 2), w.ChargerSo*100), "V")
	a.line("Usual group under-voltage × groups", fmt.Sprintf("%s (%.0f %%)", dec(w.CutoffV, 2), w.CutoffSoC*100), "V")
	a.line("Charge limit of the cells", dec(w.LimitV, 2), "V")
	if k.Curve.Flat(w.High.GroupVolts) || k.Curve.Flat(w.Low.GroupVolts) {
		a.Findings = append(a.Findings, finding.New(finding.Note,
			"flat-setting").About("window").Reads(float64(int(w.High.GroupVolts*1000))/1000, "V").By("rules §1").
			Says("An end of this window lies where the curve is flat: a voltage setting holds it only roughly.").
			Then("Let a counter of amp hours end it, and charge to the top now and then so that it starts right."))
	}
	if t := k.TopBalanceVolts; t > 0 && w.High.GroupVolts < t {
		a.Findings = append(a.Findings, finding.New(finding.Note,
			"no-top-balance").About("window").Reads(float64(int(w.High.GroupVolts*1000))/1000,
			"V").Against(t).By("rules §7").
			Says("Below the steep top of the curve groups cannot be balanced.").
			Then("Charge to the usual setting once a month."))
	}
	a.Uses["cutoff_v"], a.Uses["charge_max_v"] = dec(w.Low.LoadVoltsLow, 2), dec(w.High.RestVolts, 2)
	a.Chart = curveChart(k, b.Series, w.High.RestVolts, w.Low.RestVolts, 0)
	a.Chart.Marks[0].Name = "upper end"
	a.Chart.Marks[1].Name = "lower end"
	return nil
}

var countWorking = Working{Key: "count", Title: "How many in series", About: abouts[0], Question: "Which counts fit " +
	"this device, of each chemistry?", Fields: []Field{
	num("class", "System", "V", "48", "12, 24, 36 or 48; or the device's own volts"),
	num("abs_max", "Device's absolute maximum", "V", "", "From its plate; empty: not known"),
	num("charge_max", "Highest charge setting", "V", "", "Empty: usual for the system"),
	num("cutoff", "Cut-off", "V", "", "Empty: usual for the system"),
	num("start", "Starts again at", "V", "", "")}, Source: "rules §7: setting ≤ min(groups × ceiling, device's " +
	"highest); setting + 0.5 V < trip ≤ damage − 2 %", Not: []string{"sag under load", "the charger's " +
	"own window", "what is in stock"}, solve: solveCount}

// solveCount lists the counts of every chemistry.
func solveCount(r *reader, a *Answer) error {
	n := window.Need{Class: r.optWhole("class", 0, 1, 1000), AbsMaxVolts: r.opt("abs_max", 0, 1, 1500),
		ChargeMaxVolts: r.opt("charge_max", 0, 1, 1500), CutoffVolts: r.opt("cutoff", 0, 0.5, 1500),
		StartVolts: r.opt("start", 0, 0.5, 1500)}
	if len(r.bad) > 0 {
		return nil
	}
	fits, err := window.Fits(n)
	if err != nil {
		return err
	}
	a.Result = fits
	if n.ChargeMaxVolts == 0 || n.CutoffVolts == 0 {
		f := n.Filled()
		a.assume("usual for %d V systems: charge to %s V, cut-off at %s V", n.Class, fig(f.ChargeMaxVolts),
			fig(f.CutoffVolts))
	}
	n = n.Filled()
	a.touch(fits)
	a.formula("setting = min(groups × usual ceiling, %s V); empty = the rest volts at %s V / groups, or the floor",
		fig(n.ChargeMaxVolts), fig(n.CutoffVolts))
	fit := Table{Title: "They fit", Heads: []string{"Chemistry", "Groups", "Charge to", "Unused below", "Unused above",
		"Usable"}, Words: 1}
	no := Table{Title: "Refused, those beside them", Heads: []string{"Chemistry", "Groups", "Because"}, Words: 3}
	best := ""
	for _, f := range fits {
		k, _ := chem.Lookup(f.Chemistry)
		most := window.Count{}
		for i, c := range f.Counts {
			switch {
			case c.Fits:
				fit.Rows = append(fit.Rows, []string{k.Name, fmt.Sprint(c.Series), dec(c.SettingVolts, 2) + " V",
					dec(c.EmptySoC*100, 0) + " %", dec((1-c.FullSoC)*100, 0) + " %", dec(c.Usable*100, 0) + " %"})
				if c.Usable > most.Usable {
					most = c
				}
			case i > 0 && f.Counts[i-1].Fits || i+1 < len(f.Counts) && f.Counts[i+1].Fits:
				no.Rows = append(no.Rows, []string{k.Name, fmt.Sprint(c.Series), c.Why})
			}
		}
		if most.Series > 0 {
			best += fmt.Sprintf("; %d of %s (%.0f %%)", most.Series, k.Name, most.Usable*100)
		}
	}
	for _, t := range []Table{fit, no} {
		if len(t.Rows) > 0 {
			a.Tables = append(a.Tables, t)
		}
	}
	if best == "" {
		a.Says = "No count of any chemistry fits this device."
		a.Level = finding.Refuse
		return nil
	}
	a.Says = "The counts that use most of their charge: " + best[2:] + "."
	return nil
}

// touch says which counts that fit stand above the touch limit when they are full.
func (a *Answer) touch(fits []window.Fit) {
	least, name, volts := 0, "", 0.0
	for _, f := range fits {
		k, err := chem.Lookup(f.Chemistry)
		for _, c := range f.Counts {
			if v := float64(c.Series) * k.ChargeLimitVolts; err == nil && c.Fits && v > limits.TouchDryVolts &&
				(least == 0 || v < volts) {
				least, name, volts = c.Series, k.Name, v
			}
		}
	}
	if least > 0 {
		a.Findings = append(a.Findings, finding.New(finding.Caution,
			limits.HighVoltage).About("count").Reads(math.Round(volts*10)/10,
			"V").Against(limits.TouchDryVolts).By("rules §7").
			Says("From %d groups of %s on, %.1f V when full: above the touch limit of %.0f V where it is dry, 30 V "+
				"where it is wet.", least, name, volts, limits.TouchDryVolts).
			Then("Work by the hazards of high voltage: a licensed person, one hand, gloves, covers."))
	}
}

var actsWorking = Working{Key: "acts", Title: "Who acts first", About: abouts[2],
	Question: "What ends a charge, what a discharge, and what stands behind it?",
	Fields: fields(bankFields,
		num("charge_a", "Charge current", "A", "20", ""),
		num("load_a", "Discharge current", "A", "20", ""),
		num("spread", "Groups apart", "%", "3", "The fullest and the emptiest from the others"),
		num("charger_v", "Charger's setting", "V", "", "Empty: usual"),
		Field{Key: "no_bms", Label: "No BMS", Kind: Tick, Help: "Nothing watches the groups"},
		num("bms_ov", "BMS: a group over", "V", "", "Empty: usual"),
		num("bms_uv", "BMS: a group under", "V", "", "Empty: usual"),
		num("delay", "BMS: delay", "s", "2", ""),
		num("cutoff", "Device cuts off at", "V", "", "Empty: it does not"),
		num("max", "Device's absolute maximum", "V", "", ""),
		curveField, Field{Key: "more", Label: "Others", Kind: Lines,
			Help: "a line each, such as 'meter: 24.5 bottom'"}),
	Source: "rules §17: each threshold at the charge where rest volts ± A × Ω reach it, delays as charge that flows",
	Not:    []string{"how accurate each device is", "temperature trips", "a BMS that hangs"},
	solve:  solveActs}

// solveActs binds the working to its core.
//
// In one piece: what is asked, read and answered, in the order of the page.
func solveActs(r *reader, a *Answer) error {
	v := r.bank()
	k := r.chemistry("chemistry")
	b := acts.Bank{Chemistry: v.Chemistry, Curve: v.Curve, Series: v.Series, Ah: v.Ah, MOhm: v.MOhm10s,
		ChargeAmps: r.opt("charge_a", 0, 0, 1e5), DischargeAmps: r.opt("load_a", 0, 0, 1e5),
		SpreadShare: r.opt("spread", 0, 0, 50) / 100}
	if b.Ah == 0 {
		b.Ah = 100
		a.assume("capacity not given: 100 Ah stands for it")
	}
	delay := r.opt("delay", 2, 0, 1e5)
	if full := float64(v.Series) * k.ChargeLimitVolts; r.opt("cutoff", 0, 0.1, 2000) >= full && r.bad["cutoff"] == "" &&
		r.bad["series"] == "" && full > 0 {
		r.bad["cutoff"] = fmt.Sprintf("the bank has %s V when it is full: expected less", fig(full))
	}
	ts := acts.Usual(k, v.Series, r.opt("cutoff", 0, 0.1, 2000), r.opt("max", 0, 0.1, 2000))
	if r.yes("no_bms") {
		ts = slices.DeleteFunc(ts, func(t acts.Threshold) bool { return t.Disconnects })
	}
	for i := range ts {
		set := map[string]string{"charger's setting": "charger_v", "BMS group over-voltage": "bms_ov",
			"BMS group under-voltage": "bms_uv"}[ts[i].Name]
		if set != "" {
			ts[i].Volts = r.opt(set, ts[i].Volts, 0.1, 2000)
		}
		if ts[i].Disconnects {
			ts[i].DelayS = delay
		}
	}
	for _, x := range r.rows("more", 1, 20) {
		top := len(x.words) > 0 && x.words[0] == "top"
		if len(x.words) == 0 || x.words[0] != "top" && x.words[0] != "bottom" {
			r.bad["more"] = x.name + ": expected volts and 'top' or 'bottom'"
		}
		ts = append(ts, acts.Threshold{Name: x.name, Top: top, Volts: x.at(0), DelayS: x.at(1),
			Disconnects: len(x.words) > 1 && x.words[1] == "opens"})
	}
	if len(r.bad) > 0 {
		return nil
	}
	res, err := acts.Order(b, ts)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	for _, w := range []struct {
		title string
		list  []acts.Act
	}{{"At the top, first to last", res.Top}, {"At the bottom, first to last", res.Bottom}} {
		t := Table{Title: w.title, Heads: []string{"Acts", "Disconnects", "At", "Charge then"}, Words: 2}
		for _, x := range w.list {
			soc, opens := charge(x.SoC), "no"
			if x.Disconnects {
				opens = "yes"
			}
			unit := " V"
			if x.Group {
				unit = " V a group"
			}
			t.Rows = append(t.Rows, []string{x.Name, opens, fig(x.Volts) + unit, soc})
		}
		a.Tables = append(a.Tables, t)
	}
	a.Says = fmt.Sprintf("Charging with %s A the %s acts first, at %s; discharging with %s A the %s, at %s.",
		fig(b.ChargeAmps), res.Top[0].Name, charge(res.Top[0].SoC), fig(b.DischargeAmps), res.Bottom[0].Name,
		charge(res.Bottom[0].SoC))
	for _, f := range a.Findings {
		if f.Level >= finding.Stop {
			a.Says += " " + f.Text
			break
		}
	}
	a.formula("a threshold of the whole: rest = volts ∓ A × %s mΩ; of a group: the same of one group, %s %% earlier",
		fig(b.MOhm), dec(b.SpreadShare*100, 1))
	return nil
}

// charge writes a charge for a person; beyond the ends of the curve it is full, or empty.
func charge(soc float64) string {
	switch {
	case soc > 1:
		return "full"
	case soc < 0:
		return "empty"
	}
	return dec(soc*100, 0) + " %"
}
