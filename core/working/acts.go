package working

import (
	"slices"

	"pandrel/core/bank/acts"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// ActsIn is what is known of a bank and what may end its charge or discharge.
type ActsIn struct {
	BankIn
	ChargeA  known.Value `key:"charge_a" label:"Charge current" unit:"A" range:"0 to 1e5" must:"yes" example:"20"`
	LoadA    known.Value `key:"load_a" label:"Discharge current" unit:"A" range:"0 to 1e5" must:"yes" example:"20"`
	Spread   known.Value `key:"spread" label:"Groups apart" unit:"%" range:"0 to 50" usual:"3" help:"The fullest and the emptiest from the others"`
	ChargerV known.Value `key:"charger_v" label:"Charger's setting" unit:"V" range:"0.1 to 2000" help:"Empty: usual"`
	NoBMS    bool        `key:"no_bms" label:"No BMS" help:"Nothing watches the groups"`
	OverV    known.Value `key:"bms_ov" label:"BMS: a group over" unit:"V" range:"0.1 to 2000" help:"Empty: usual"`
	UnderV   known.Value `key:"bms_uv" label:"BMS: a group under" unit:"V" range:"0.1 to 2000" help:"Empty: usual"`
	Delay    known.Value `key:"delay" label:"BMS: delay" unit:"s" range:"0 to 1e5" usual:"2"`
	Cutoff   known.Value `key:"cutoff" label:"Device cuts off at" unit:"V" range:"0.1 to 2000" help:"Empty: it does not"`
	Max      known.Value `key:"max" label:"Device's absolute maximum" unit:"V" range:"0.1 to 2000"`
	OwnCurve
	More []ask.Row `key:"more" label:"Others" rows:"1 of 20" help:"a line each, such as 'meter: 24.5 bottom'"`
}

var _ = shelve[ActsIn](Working{Key: "acts", Title: "Who acts first", About: Strings, Order: 4,
	Question: "What ends a charge, what a discharge, and what stands behind it?",
	Source:   "rules §17: each threshold at the charge where rest volts ± A × Ω reach it, delays as charge that flows",
	Not:      []string{"how accurate each device is", "temperature trips", "a BMS that hangs"}})

// Answer puts what acts in its order.
//
// In one piece: the thresholds as given or usual, and what is said of them, in the order of the page.
func (in *ActsIn) Answer(a *ask.Answer) error {
	v, k, err := in.bank(&in.OwnCurve)
	if err != nil {
		return err
	}
	b := acts.Bank{Chemistry: v.Chemistry, Curve: v.Curve, Series: v.Series, Ah: v.Ah, MOhm: v.MOhm10s,
		ChargeAmps: in.ChargeA.V(), DischargeAmps: in.LoadA.V(), SpreadShare: in.Spread.V() / 100}
	if b.Ah == 0 {
		b.Ah = 100
		a.Assume("capacity not given: 100 Ah stands for it")
	}
	delay := in.Delay.V()
	if full := float64(v.Series) * k.ChargeLimitVolts; in.Cutoff.V() >= full && full > 0 {
		return ask.Bad(&in.Cutoff, "the bank has %s V when it is full: expected less", figure.Of(full))
	}
	ts := acts.Usual(k, v.Series, in.Cutoff.V(), in.Max.V())
	if in.NoBMS {
		ts = slices.DeleteFunc(ts, func(t acts.Threshold) bool { return t.Disconnects })
	}
	for i := range ts {
		ts[i].Volts = map[string]known.Value{"charger's setting": in.ChargerV, "BMS group over-voltage": in.OverV,
			"BMS group under-voltage": in.UnderV}[ts[i].Name].Or(ts[i].Volts)
		if ts[i].Disconnects {
			ts[i].DelayS = delay
		}
	}
	for _, x := range in.More {
		if len(x.Words) == 0 || x.Words[0] != "top" && x.Words[0] != "bottom" {
			return ask.Bad(&in.More, "%s: expected volts and 'top' or 'bottom'", x.Name)
		}
		ts = append(ts, acts.Threshold{Name: x.Name, Top: x.Words[0] == "top", Volts: x.At(0), DelayS: x.At(1),
			Disconnects: len(x.Words) > 1 && x.Words[1] == "opens"})
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
		t := ask.Table{Title: w.title, Heads: []string{"Acts", "Disconnects", "At", "Charge then"}, Words: 2}
		for _, x := range w.list {
			soc, opens := charge(x.SoC), "no"
			if x.Disconnects {
				opens = "yes"
			}
			unit := figure.Text(" V")
			if x.Group {
				unit = " V a group"
			}
			t.Row(x.Name, opens, figure.Of(x.Volts)+unit, soc)
		}
		a.Tables = append(a.Tables, t)
	}
	a.Say("Charging with %s A the %s acts first, at %s; discharging with %s A the %s, at %s.", figure.Of(b.ChargeAmps),
		res.Top[0].Name, charge(res.Top[0].SoC), figure.Of(b.DischargeAmps), res.Bottom[0].Name,
		charge(res.Bottom[0].SoC))
	for _, f := range a.Findings {
		if f.Level >= finding.Stop {
			a.Also(" %s", f.Text)
			break
		}
	}
	a.Works("a threshold of the whole: rest = volts ∓ A × %s mΩ; of a group: the same of one group, %s %% earlier",
		figure.Of(b.MOhm), figure.Dec(b.SpreadShare*100, 1))
	return nil
}

// FromBank asks for the currents that nobody gave.
func (in *ActsIn) FromBank(p Bank) bool {
	in.BankIn, in.OwnCurve, in.ChargerV = p.bank(), ownCurve(p.Curve), p.setting()
	in.Cutoff, in.Max = p.cutoff(), typed(p.Need.AbsMaxVolts)
	in.ChargeA, in.LoadA = typed(p.Need.ChargeAmps), p.Design.Candidate.Load()
	return true
}

// FromStanding asks what flows.
func (in *ActsIn) FromStanding(s Standing) bool {
	in.BankIn = BankIn{CellsIn: CellsIn{s.Chemistry, counted(s.Series)}, Ah: s.Ah}
	return s.Chemistry != "" && s.Series > 0 && s.Ah.Is()
}

// charge writes a charge for a person; beyond the ends of the curve it is full, or empty.
func charge(soc float64) figure.Text {
	switch {
	case soc > 1:
		return "full"
	case soc < 0:
		return "empty"
	}
	return figure.Dec(soc*100, 0) + " %"
}
