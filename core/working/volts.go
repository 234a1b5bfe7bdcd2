package working

import (
	"pandrel/core/bank/volts"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// CellsIn is what workings ask of cells in series.
type CellsIn struct {
	Chemistry chem.ID     `key:"chemistry" label:"Chemistry" must:"yes" example:"lfp"`
	Series    known.Value `key:"series" label:"Groups in series" range:"1 to 400" whole:"yes" must:"yes" example:"8"`
}

// BankIn is what workings ask of a bank.
type BankIn struct {
	CellsIn
	Ah   known.Value `key:"ah" label:"Capacity" unit:"Ah" range:"0.01 to 1e5" help:"Empty: not known"`
	MOhm known.Value `key:"mohm" label:"Resistance of the whole, 10 s" unit:"mΩ" range:"0.001 to 1e5" help:"Empty: typical, from the capacity"`
}

// OwnCurve is a rest curve of one's own, for workings that read charge from volts.
type OwnCurve struct {
	Curve []ask.Row `key:"curve" label:"Own rest curve of a group" rows:"2 of 200" help:"per cent and volts, a line each, five or more; empty: typical"`
}

// read is the curve, nil for none.
func (c *OwnCurve) read(id chem.ID) (*chem.Curve, error) {
	if len(c.Curve) == 0 {
		return nil, nil
	}
	var soc, v []float64
	for _, x := range c.Curve {
		soc, v = append(soc, x.At(0)), append(v, x.At(1))
	}
	own, err := chem.OwnCurve(id, soc, v)
	if err != nil {
		return nil, ask.Bad(&c.Curve, "%v", err)
	}
	return &own, nil
}

// bank is the bank with its curve.
func (in BankIn) bank(c *OwnCurve) (b volts.Bank, k chem.Chemistry, err error) {
	b = volts.Bank{Chemistry: in.Chemistry, Series: int(in.Series.V()), Ah: in.Ah.V(), MOhm10s: in.MOhm.V(),
		RestMin: chem.FullRestMinutes}
	if b.Curve, err = c.read(in.Chemistry); err != nil {
		return b, k, err
	}
	k, err = chem.Lookup(b.Chemistry)
	return b, k.WithCurve(b.Curve), err
}

// assumeOhms says what stands for a resistance that was not given.
func assumeOhms(a *ask.Answer, b volts.Bank) {
	if b.MOhm10s > 0 || b.Amps == 0 {
		return
	}
	r, known := b.Ohms()
	if !known {
		a.Assume("neither resistance nor capacity given: what the current takes off the voltage is not counted")
		return
	}
	a.Assume("resistance not given: typical for this chemistry and capacity, %s mΩ of the whole, %s mΩ a group",
		figure.Span(r.Low*1000, r.High*1000), figure.Span(r.Low*1000/float64(b.Series), r.High*1000/float64(b.Series)))
}

// VoltsIn is what is known where a voltage is to be read as charge.
type VoltsIn struct {
	BankIn
	Volts  known.Value `key:"volts" label:"Volts of the whole" unit:"V" range:"0.1 to 2000" read:"yes" example:"26.00" help:"One of these three"`
	Group  known.Value `key:"group" label:"or volts of a group" unit:"V" range:"0.1 to 10" read:"yes"`
	SoC    known.Value `key:"soc" label:"or charge" unit:"%" range:"0 to 100"`
	Amps   known.Value `key:"amps" label:"Current while it was read" unit:"A" range:"-1e5 to 1e5" help:"Empty or 0: at rest. Discharge is positive"`
	Rest   known.Value `key:"rest" label:"Rested" unit:"min" range:"0 to 1e6" example:"60" help:"Empty: not known"`
	Cutoff known.Value `key:"cutoff" label:"Device cuts off at" unit:"V" range:"0 to 2000"`
	Max    known.Value `key:"max" label:"Device's highest charge" unit:"V" range:"0 to 2000"`
	OwnCurve
}

var _ = shelve[VoltsIn](Working{Key: "volts", Title: "Volts and charge", About: Volts, Order: 1,
	Question: "Is 26 V full? Which voltage is half charged?",
	Source:   "rules §1: typical rest curves at 25 °C, interpolated monotonically; rest volts = read + A × Ω",
	Not:      []string{"temperature", "groups that are unequal", "a curve of its own, where none is given"}})

// Answer reads charge from volts, or volts from charge.
func (in *VoltsIn) Answer(a *ask.Answer) error {
	b, k, err := in.bank(&in.OwnCurve)
	if err != nil {
		return err
	}
	b.Amps, b.RestMin = in.Amps.V(), in.Rest.Or(-1)
	given := 0
	for _, x := range []known.Value{in.Volts, in.Group, in.SoC} {
		if x.Is() {
			given++
		}
	}
	var st volts.State
	s := float64(b.Series)
	if given != 1 {
		return ask.Bad(&in.Volts, "expected one of volts, volts of a group, and charge")
	}
	if in.SoC.Is() {
		if st, err = volts.FromSoC(b, in.SoC.V()/100); err != nil {
			return err
		}
		a.Works("rest curve of %s at %s %%: %s V × %s = %s V", k.Name, figure.Dec(st.SoC*100, 0),
			figure.Dec(st.GroupVolts, 3), numeral.Count(b.Series, "group"), figure.Dec(st.RestVolts, 2))
	} else {
		read := in.Volts
		if !read.Is() {
			read = in.Group.Times(s)
		}
		b.Accuracy = limits.MeterShare*read.V() + max(limits.MeterDigitVolts, read.High()-read.V())
		if st, err = volts.FromVolts(b, read.V()); err != nil {
			return err
		}
		a.Works("%s V / %s = %s V a group; the rest curve of %s there: %s %%", figure.Dec(st.RestVolts, 2),
			numeral.Count(b.Series, "group"), figure.Dec(st.GroupVolts, 3), k.Name, figure.To(st.SoCLow*100,
				st.SoCHigh*100, 0))
	}
	assumeOhms(a, b)
	a.Result, a.Findings = st, volts.JudgeState(b, st)
	toldFull(a, b, k, st)
	a.Line("Charge", figure.To(st.SoCLow*100, st.SoCHigh*100, 0), "%")
	a.Line("At rest, the whole", figure.Dec(st.RestVolts, 2), "V")
	a.Line("At rest, a group", figure.Dec(st.GroupVolts, 3), "V")
	if b.Amps != 0 {
		a.Line(a.Text("Under %s A", figure.Of(b.Amps)), figure.To(st.LoadVoltsLow, st.LoadVoltsTop, 2), "V")
	}
	if b.Ah > 0 {
		a.Line("Holds now", figure.To(st.SoCLow*b.Ah, st.SoCHigh*b.Ah, 0), "Ah")
	}
	a.Chart = volts.Drawn(k, b.Series, st.GroupVolts*s, in.Cutoff.V(), in.Max.V())
	return nil
}

// toldFull says how full a state is.
func toldFull(a *ask.Answer, b volts.Bank, k chem.Chemistry, st volts.State) {
	a.Say("%.2f V on %s of %s is %.3f V a group", st.RestVolts, numeral.Count(b.Series, "group"), k.Name, st.GroupVolts)
	switch {
	case st.Beyond == "above":
		a.Also(": at rest that is full.")
	case st.Beyond == "below":
		a.Also(": at rest that is empty, or below.")
	case st.SoCHigh-st.SoCLow > 0.005:
		a.Also(": %s %% full.", figure.To(st.SoCLow*100, st.SoCHigh*100, 0))
	default:
		a.Also(" at %.0f %%.", st.SoC*100)
	}
	if st.CannotTell {
		a.Also(" Voltage cannot tell closer there.")
	}
}

// FromBank reads the bank at the newest volts of its levels.
func (in *VoltsIn) FromBank(p Bank) bool {
	now := p.Design.LevelVolts(p.Curve)
	in.BankIn, in.OwnCurve, in.Volts = p.bank(), ownCurve(p.Curve), summed(now, p.Design.Candidate.Series)
	in.Cutoff, in.Max = p.cutoff(), p.most()
	return true
}

// FromModule reads a module that was surveyed.
func (in *VoltsIn) FromModule(m Module) bool {
	in.BankIn, in.OwnCurve = BankIn{CellsIn{m.Chemistry, counted(m.Series)}, m.Ah, m.MOhm}, ownCurve(m.Curve)
	in.Volts = summed(sum(m.Volts), len(m.Volts))
	return len(m.Volts) == m.Series
}

// FromStanding reads a bank that stands.
func (in *VoltsIn) FromStanding(s Standing) bool {
	in.BankIn, in.Volts = BankIn{CellsIn: CellsIn{s.Chemistry, counted(s.Series)}, Ah: s.Ah}, s.Volts
	return in.Chemistry != "" && s.Series > 0 && s.Volts.Is()
}
