package working

import (
	"fmt"

	"pandrel/core/bank/volts"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// WindowIn is what is known where a window is to be set.
type WindowIn struct {
	BankIn
	Low   known.Value `key:"low" label:"From" unit:"%" range:"0 to 100" set:"20" help:"Or volts below"`
	High  known.Value `key:"high" label:"To" unit:"%" range:"0 to 100" set:"95"`
	LowV  known.Value `key:"low_v" label:"or from" unit:"V" range:"0.1 to 2000" help:"At rest, the whole"`
	HighV known.Value `key:"high_v" label:"to" unit:"V" range:"0.1 to 2000" help:"At rest, the whole"`
	Amps  known.Value `key:"amps" label:"Load at the lower end" unit:"A" range:"0 to 1e5" help:"Its sag is taken off the cut-off"`
	OwnCurve
}

var _ = shelve[WindowIn](Working{Key: "window", Title: "A window in volts", About: Volts, Order: 2,
	Question: "Where do I set charger and cut-off for 20 to 95 %?",
	Source:   "rules §1 and §7: rest curve; energy = Ah × the curve's integral; usual settings of §14",
	Not:      []string{"temperature", "unequal groups", "how the charger holds its setting"}})

// Answer turns a window of charge into volts, or one of volts into charge.
func (in *WindowIn) Answer(a *ask.Answer) error {
	b, k, err := in.bank(&in.OwnCurve)
	if err != nil {
		return err
	}
	b.Amps = in.Amps.V()
	var w volts.WindowResult
	switch {
	case in.LowV.Is() != in.HighV.Is():
		return ask.Bad(map[bool]any{true: &in.HighV, false: &in.LowV}[in.LowV.Is()], "expected a number: the other end")
	case in.LowV.Is():
		if field, text := volts.Outside(b, in.LowV.V(), in.HighV.V()); field != "" {
			return ask.Bad(map[string]any{"low": &in.LowV, "high": &in.HighV}[field], "%s", text)
		}
		w, err = volts.WindowOfVolts(b, in.LowV.V(), in.HighV.V())
	case !in.Low.Is():
		return ask.Bad(&in.Low, "expected a number")
	case !in.High.Is():
		return ask.Bad(&in.High, "expected a number")
	default:
		w, err = volts.Window(b, in.Low.V()/100, in.High.V()/100)
	}
	if err != nil {
		return err
	}
	assumeOhms(a, b)
	a.Result = w
	a.Say("%.0f to %.0f %% is %.2f to %.2f V at rest, %.3f to %.3f V a group.", w.Low.SoC*100,
		w.High.SoC*100, w.Low.RestVolts, w.High.RestVolts, w.Low.GroupVolts, w.High.GroupVolts)
	a.Works("rest curve at %.0f %%: %s V × %s = %s V; at %.0f %%: %s V × %d = %s V", w.Low.SoC*100,
		figure.Dec(w.Low.GroupVolts, 3), numeral.Count(b.Series, "group"), figure.Dec(w.Low.RestVolts, 2),
		w.High.SoC*100,
		figure.Dec(w.High.GroupVolts, 3), b.Series, figure.Dec(w.High.RestVolts, 2))
	if b.Ah > 0 {
		a.Also(" It gives %.1f Ah, %.2f kWh of %.2f kWh.", w.UsableAh, w.UsableKWh, w.WholeKWh)
		a.Line("Usable", figure.Dec(w.UsableKWh, 2), "kWh")
		a.Line("Usable", figure.Dec(w.UsableAh, 1), "Ah")
		a.Works("%s Ah × the area under the curve from %.0f to %.0f %% × %s = %s kWh", figure.Of(b.Ah),
			w.Low.SoC*100, w.High.SoC*100, numeral.Count(b.Series, "group"), figure.Dec(w.UsableKWh, 2))
	}
	a.Line("Cut-off at rest", figure.Dec(w.Low.RestVolts, 2), "V")
	if b.Amps > 0 {
		a.Line(a.Text("Cut-off under %s A", figure.Of(b.Amps)), figure.To(w.Low.LoadVoltsLow,
			w.Low.LoadVoltsTop, 2), "V")
		a.Works("cut-off under load = %s V − %s A × Ω", figure.Dec(w.Low.RestVolts, 2), figure.Of(b.Amps))
	}
	a.Line("Full, at rest", figure.Dec(w.High.RestVolts, 2), "V")
	a.Line("Usual charger setting", fmt.Sprintf("%s (%.0f %%)", figure.Dec(w.ChargerV, 2), w.ChargerSo*100), "V")
	a.Line("Usual group under-voltage × groups", fmt.Sprintf("%s (%.0f %%)", figure.Dec(w.CutoffV, 2),
		w.CutoffSoC*100), "V")
	a.Line("Charge limit of the cells", figure.Dec(w.LimitV, 2), "V")
	a.Findings = volts.JudgeWindow(k, w)
	a.Use("cutoff_v", figure.Dec(w.Low.LoadVoltsLow, 2))
	a.Use("charge_max_v", figure.Dec(w.High.RestVolts, 2))
	a.Chart = volts.Drawn(k, b.Series, w.High.RestVolts, w.Low.RestVolts, 0)
	a.Chart.Marks[0].Name = "upper end"
	a.Chart.Marks[1].Name = "lower end"
	return nil
}

// FromBank opens the window that the bank was designed with, without its capacity: what it gives stands with the
// design, once, its losses taken off.
func (in *WindowIn) FromBank(p Bank) bool {
	c := p.Design.Candidate
	in.BankIn, in.OwnCurve = p.bank(), ownCurve(p.Curve)
	in.Ah, in.Amps = known.Value{}, c.Load()
	in.Low, in.High = worked(c.EmptySoC*100), worked(c.FullSoC*100)
	return true
}
