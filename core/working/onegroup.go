package working

import (
	"slices"

	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/bench/onegroup"
)

// OneGroupIn is what is known of a group that is to be charged alone, and of the charger.
type OneGroupIn struct {
	Chemistry chem.ID     `key:"chemistry" label:"Chemistry" must:"yes" example:"nmc"`
	Ah        known.Value `key:"ah" label:"Capacity" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"60"`
	Ends      known.Value `key:"ends_v" label:"Charger ends by itself at" unit:"V" range:"0 to 10" must:"yes" example:"4.2" help:"0: it has no end of its own"`
	Amps      known.Value `key:"charge_a" label:"Charger gives" unit:"A" range:"0.001 to 1e4" must:"yes" example:"5"`
	Volts     known.Value `key:"v" label:"The group reads, at rest" unit:"V" range:"0.001 to 10" help:"Empty: not read"`
	Rest      known.Value `key:"rest_min" label:"Rested" unit:"min" range:"0 to 1e6" help:"Empty: not known"`
	MeterMV   known.Value `key:"accuracy_mv" label:"Meter ±" unit:"mV" range:"0 to 1000"`
	TempC     known.Value `key:"temp_c" label:"The group is at" unit:"°C" range:"-40 to 90"`
}

var _ = shelve[OneGroupIn](Working{Key: "one-group", Title: "Charge of one group, beside a meter", About: Tests,
	Order:    3,
	Question: "How long may this one group be charged alone, and when is it off?",
	Source:   "rules §5: what it lacks, Ah / A; off after 1.2 × the longest that it can take",
	Not: []string{"the tail of the charge, for which the hard stop has room", "what the group's siblings lack " +
		"afterwards", "joints, clamps and their heat"}})

// Answer gives the hours.
func (in *OneGroupIn) Answer(a *ask.Answer) error {
	k, err := chem.Lookup(in.Chemistry)
	if err != nil {
		return err
	}
	c := onegroup.Charge{Chemistry: k, Ah: in.Ah, EndVolts: in.Ends.V(), Amps: in.Amps.V(), Volts: in.Volts.V(),
		AccuracyV: in.MeterMV.V() / 1000, RestMinutes: in.Rest.Or(-1)}
	if in.TempC.Is() {
		v := in.TempC.V()
		c.TemperatureC = &v
	}
	t, err := onegroup.Judge(c)
	if err != nil {
		return err
	}
	a.Result, a.Findings = t, t.Findings
	if finding.Blocks(t.Findings) {
		a.Say("Not charged as it stands: what keeps it from that is below.")
		return nil
	}
	a.Say("At most %s h at %s A, beside it all the time; off after %s h whatever it shows.", figure.Of(t.MostHours),
		figure.Of(c.Amps), figure.Of(t.HardStopHours))
	if t.LeastHours > 0 {
		a.Also(" It may be over after %s h.", figure.Of(t.LeastHours))
	}
	a.Line("At most", figure.Of(t.MostHours), "h")
	a.Line("Hard stop", figure.Of(t.HardStopHours), "h")
	a.Line("Returns at most", figure.Of(t.ReturnsAh.High), "Ah")
	if c.Volts > 0 {
		a.Line("Full now", figure.Of(100*t.FromSoC.Low)+" to "+figure.Of(100*t.FromSoC.High), "%")
	}
	a.Works("%s Ah / %s A = %s h; × 1.2 = %s h", figure.Of(t.ReturnsAh.High), figure.Of(c.Amps), figure.Of(t.MostHours),
		figure.Of(t.HardStopHours))
	return nil
}

// FromModule asks about its lowest group, which is the one to be brought up.
func (in *OneGroupIn) FromModule(m Module) bool {
	in.Chemistry, in.Ah = m.Chemistry, m.Ah
	if len(m.Volts) > 0 {
		in.Volts = measured(slices.Min(m.Volts))
	}
	return m.Ah.Is() && !slices.ContainsFunc(m.Volts, func(v float64) bool { return !mayBeCharged(m.Chemistry, v) })
}
