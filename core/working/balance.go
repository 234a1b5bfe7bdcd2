package working

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/balance"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// BalanceIn is what each group lacks, and what may balance them.
type BalanceIn struct {
	Offsets     []float64   `key:"offsets" label:"Each group lacks" unit:"Ah" range:"-1e5 to 1e5" rows:"0 of 400" example:"0 0.4 1.2 0.2 3.5 0 0.8 0.3" help:"To the fullest one, from group 1 up; or offsets against the median"`
	Sign        string      `key:"sign" label:"These are" choices:"lacks=what each lacks|offsets=offsets: positive is fuller" set:"lacks"`
	Ah          known.Value `key:"ah" label:"Capacity of a group" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"100"`
	BMSA        known.Value `key:"bms_a" label:"BMS balances with" unit:"A" range:"0 to 1000" example:"0.1" help:"Empty: none"`
	Duty        known.Value `key:"duty" label:"Balances for, of the day" unit:"%" range:"0.1 to 100" usual:"8" help:"Above balance start; 8 is typical"`
	Active      bool        `key:"active" label:"It moves charge (active)"`
	Alternating bool        `key:"alternating" label:"Odd and even groups take turns" help:"Then half the current"`
	ChargerA    known.Value `key:"charger_a" label:"By hand: charger for one group" unit:"A" range:"0 to 1000" example:"10"`
	SupplyA     known.Value `key:"supply_a" label:"All in parallel: supply" unit:"A" range:"0 to 1e4"`
}

var _ = shelve[BalanceIn](Working{Key: "balance", Title: "Balancing", About: Strings, Order: 3, Question: "How long " +
	"until the groups are equal, and test now or wait?", Source: "rules §13: days = Ah / (24 × A × duty); active " +
	"½·Σ|offset − mean|; by hand Ah / A + taper; hard stop × 1.2", Not: []string{"drift meanwhile", "what the BMS " +
	"takes for full"}})

// Answer plans the balancing.
func (in *BalanceIn) Answer(a *ask.Answer) error {
	if len(in.Offsets) < 2 {
		return ask.Bad(&in.Offsets, "expected two groups or more")
	}
	w := balance.Work{MissingAh: slices.Clone(in.Offsets), Ah: in.Ah.V(), BMSAmps: in.BMSA.V(), Duty: in.Duty.V() / 100,
		Active: in.Active, Alternating: in.Alternating, ChargerAmps: in.ChargerA.V(), SupplyAmps: in.SupplyA.V()}
	if in.Sign == "offsets" {
		for i := range w.MissingAh {
			w.MissingAh[i] = -w.MissingAh[i]
		}
	}
	p, err := balance.Plan(w)
	if err != nil {
		return err
	}
	a.Result, a.Findings = p, p.Findings
	a.Say("%s", p.Advice)
	a.Line("Worst group lacks", figure.Dec(p.WorstAh, 2), "Ah")
	a.Line("All together", figure.Dec(p.TotalAh, 2), "Ah")
	a.Line("Gives now, charged to the first full group", figure.Dec(p.NowAh, 1), "Ah")
	a.Line("Gives balanced", figure.Dec(p.DoneAh, 1), "Ah")
	if p.BMSDays > 0 {
		a.Line("By the BMS", figure.Dec(p.BMSDays, 1), "days")
		a.Line("Each day gains", figure.Dec(p.GainDayAh, 2), "Ah")
		kind := fmt.Sprintf("%s Ah", figure.Dec(p.WorstAh, 2))
		if w.Active {
			kind = "½·Σ|offset − mean|"
		}
		a.Works("%s / (24 h × %s A × %s) = %s days", kind, figure.Of(w.BMSAmps), figure.Dec(w.Duty, 2),
			figure.Dec(p.BMSDays, 1))
	}
	if p.HandHours > 0 {
		a.Line(a.Text("By hand, %s", numeral.Count(p.HandGroups, "group")), figure.Dec(p.HandHours, 1), "h, attended")
		a.Line("Hard stop of the longest", figure.Dec(slices.Max(p.HardStopHand), 1), "h")
	}
	if p.ParallelH > 0 {
		a.Line("All in parallel", figure.Dec(p.ParallelH, 1), "h, attended")
		a.Line("Hard stop", figure.Dec(p.HardStopPar, 1), "h")
	}
	a.Chart = chart.OfBars("What each group lacks", "group", "Ah")
	least := slices.Min(w.MissingAh)
	for i, m := range w.MissingAh {
		a.Chart.Bar(fmt.Sprint(i+1), m-least)
	}
	return nil
}

// FromBank is what each level lacks by its rest voltage, where voltage can tell.
func (in *BalanceIn) FromBank(p Bank) bool {
	in.BMSA = typed(p.Device.BalanceAmps)
	return in.lacking(p.Design.Levels(p.Design.Candidate.Chemistry, p.Curve))
}

// FromModule is the same of a module's groups.
func (in *BalanceIn) FromModule(m Module) bool {
	return len(m.Volts) == m.Series && m.Ah.Is() && in.lacking(groups(m.Chemistry, m.Curve, m.Volts, m.Ah))
}

// FromStanding is the same of a bank that stands.
func (in *BalanceIn) FromStanding(s Standing) bool {
	return s.Chemistry != "" && s.Series > 0 && s.Ah.Is() && in.lacking(groups(s.Chemistry, nil, s.Groups, s.Ah))
}

// lacking fills in what each level lacks to the fullest one; false where voltage cannot tell.
func (in *BalanceIn) lacking(levels []balance.Group) bool {
	if len(levels) < 2 || slices.ContainsFunc(levels, func(g balance.Group) bool {
		return !mayBeCharged(g.Chemistry, g.Volts)
	}) {
		return false
	}
	r, err := balance.JudgeGroups(levels)
	if err != nil || len(r.OffsetsAh) == 0 {
		return false
	}
	most, least := slices.Max(r.OffsetsAh), math.Inf(1)
	for i, o := range r.OffsetsAh {
		in.Offsets = append(in.Offsets, math.Round((most-o)*100)/100)
		least = min(least, levels[i].Ah)
	}
	in.Ah = worked(least)
	return true
}

// mayBeCharged reports whether a group at rest volts may be charged at all: balancing is no way on for what is dead,
// reversed, below never-recharge or above its limit.
func mayBeCharged(id chem.ID, volts float64) bool {
	k, err := chem.Lookup(id)
	return err != nil || volts >= k.NeverRechargeVolts && volts <= k.ChargeLimitVolts+chem.OverToleranceVolts
}

func groups(id chem.ID, curve *chem.Curve, volts []float64, ah known.Value) (out []balance.Group) {
	for _, v := range volts {
		out = append(out, balance.Group{Chemistry: id, Curve: curve, Volts: v, Ah: ah.V()})
	}
	return out
}
