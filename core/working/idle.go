package working

import (
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/energy"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// IdleIn is what is known of a bank that stands and of what draws meanwhile.
type IdleIn struct {
	Ah    known.Value `key:"ah" label:"Capacity" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"100"`
	Volts known.Value `key:"volts" label:"Nominal" unit:"V" range:"0.5 to 2000" must:"yes" example:"25.6"`
	From  known.Value `key:"from" label:"Charge now" unit:"%" range:"0 to 100" must:"yes" example:"60"`
	Floor known.Value `key:"floor" label:"Down to" unit:"%" range:"0 to 100" set:"10"`
	Self  known.Value `key:"self" label:"Self-discharge" unit:"% a month" range:"0 to 100" usual:"2" help:"Of the capacity; typical"`
	Draws []ask.Row   `key:"draws" label:"Always on" rows:"1 of 60" example:"BMS asleep: 0.5 / meter: 8" help:"a line each: name, milliamps; or watts with a w, such as 'router: 6 w'"`
}

var _ = shelve[IdleIn](Working{Key: "idle", Title: "Idle life", About: Money, Order: 2,
	Question: "How long may it stand before it must be recharged?",
	Source:   "rules §17: Ah a day = draws × 24 h + self-discharge; days = what lies above the floor / Ah a day",
	Not:      []string{"temperature", "draws that come and go", "unequal groups: the lowest is at its floor first"}})

// Answer says for how many days.
func (in *IdleIn) Answer(a *ask.Answer) error {
	i := energy.Idle{Ah: in.Ah.V(), Volts: in.Volts.V(), From: in.From.V() / 100, Floor: in.Floor.Or(10) / 100,
		SelfPctMonth: in.Self.V()}
	if err := ask.Stray(&in.Draws, "w"); err != nil {
		return err
	}
	for _, x := range in.Draws {
		d := energy.Draw{Name: x.Name, MilliAmps: x.At(0)}
		if slices.Contains(x.Words, "w") {
			d.MilliAmps, d.Watts = 0, x.At(0)
		}
		i.Draws = append(i.Draws, d)
	}
	if len(in.Draws) == 0 && i.SelfPctMonth == 0 {
		return ask.Bad(&in.Draws, "expected what is always on: a line each, such as 'BMS asleep: 0.5'")
	}
	most := ""
	if len(in.Draws) == 0 { // each thing that draws makes it shorter
		most = "At most "
		a.Assume("what is always on not given: nothing counted")
	}
	x, err := energy.Stand(i)
	if err != nil {
		return err
	}
	a.Result, a.Findings = x, x.Findings
	switch {
	case x.Forever:
		a.Say("Nothing draws and nothing leaks by these numbers: the floor is not reached.")
	case x.Days == 0:
		a.Say("It stands at its floor already: recharge it now.")
	default:
		a.Say(most+"%.0f days to the floor; %s takes most. Recharge before.", math.Floor(x.Days), x.Largest)
		a.Use("days", figure.Dec(math.Floor(x.Days), 0))
	}
	a.Line("Goes a day", figure.Dec(x.AhPerDay, 3), "Ah")
	a.Line("Above the floor", figure.Dec((i.From-i.Floor)*i.Ah, 1), "Ah")
	if x.Days > 0 {
		a.Line("Lasts", figure.Text(strings.ToLower(most))+figure.Dec(math.Floor(x.Days), 0), "days")
	}
	a.Works("(%s − %s) × %s Ah / %s Ah a day", figure.Dec(i.From, 2), figure.Dec(i.Floor, 2), figure.Of(i.Ah),
		figure.Dec(x.AhPerDay, 3))
	return nil
}

// FromBank asks how full it is.
func (in *IdleIn) FromBank(p Bank) bool {
	c := p.Design.Candidate
	in.Ah, in.Volts = p.ah(), worked(math.Round(c.TotalKWh*1e5/max(c.CapacityAh, 1e-9))/100)
	if p.Device.IdleMilliamps > 0 {
		in.Draws = []ask.Row{{Name: "BMS", Nums: []float64{p.Device.IdleMilliamps}}}
	}
	return true
}

// FromStanding asks how full it is.
func (in *IdleIn) FromStanding(s Standing) bool {
	k, err := chem.Lookup(s.Chemistry)
	in.Ah, in.Volts = s.Ah, worked(float64(s.Series)*k.NominalVolts)
	return err == nil && s.Series > 0 && s.Ah.Is()
}
