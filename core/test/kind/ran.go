package kind

import (
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/test/noted"
)

// RanIn is a load that ran for some hours, as somebody read it off: a lamp, a heater, an inverter's display.
type RanIn struct {
	Hours     known.Value `key:"hours" label:"It ran for" unit:"h" range:"0.01 to 2000" must:"yes"`
	Amps      known.Value `key:"amps" label:"At" unit:"A" range:"0.001 to 10000" help:"In the mean. Or the watts"`
	Watts     known.Value `key:"watts" label:"Or at" unit:"W" range:"0.01 to 1e6" help:"What the load drew, in the mean"`
	Full      bool        `key:"from_full" label:"It began full"`
	EndVolts  known.Value `key:"end_volts" label:"It ended at" unit:"V" range:"0.1 to 1500" help:"All of it, under load"`
	LowestEnd known.Value `key:"lowest_end_v" label:"Its lowest group then" unit:"V" range:"0.01 to 10"`
	TempC     known.Value `key:"temp_c" label:"Temperature" unit:"°C" range:"-40 to 90"`
	Checked   bool        `key:"checked" label:"What is far from usual was looked at a second time"`
}

var ran = asked[RanIn](Kind{Source: Ran, Word: "run at a load", Where: "a run at a load",
	Title: "It ran for some hours at a load",
	Counts: "From full to the first group at its floor it is a capacity. Otherwise it says how much there is at " +
		"least.",
	Not: []string{"that the load stayed as it was read", "what a converter before the load lost"}})

// came is the amp hours of a known current, and of known watts what they are at least: no group stands above the charge
// limit of its chemistry, so that at least Wh / V flowed.
func (in *RanIn) came(of Subject, f *Figures) error {
	switch {
	case !in.Amps.Is() && !in.Watts.Is():
		return ask.Bad(&in.Amps, "expected the amps or the watts")
	case in.Amps.Is() && in.Watts.Is():
		return ask.Bad(&in.Watts, "expected the amps or the watts, not both")
	}
	f.Amps, f.EndVolts, f.LowestEndVolts = in.Amps.Or(0), in.EndVolts.Or(0), in.LowestEnd.Or(0)
	if in.TempC.Is() {
		t := in.TempC.V()
		f.TempC = &t
	}
	c, err := chem.Lookup(of.Chemistry)
	if err == nil && f.LowestEndVolts > 0 && f.LowestEndVolts < c.NeverRechargeVolts {
		f.Lowest = &f.LowestEndVolts
	}
	if in.Watts.Is() {
		f.EnergyWh, f.Lacks = in.Watts.V()*in.Hours.V(),
			"watts do not tell how many amp hours flowed, only how many at least"
		if err != nil || of.groups() < 1 {
			f.Lacks = "its chemistry or its groups are not known, and watts alone tell no amp hours"
			return nil
		}
		f.CapacityAh = f.EnergyWh / (float64(of.groups()) * c.ChargeLimitVolts)
		return nil
	}
	f.CapacityAh = in.Amps.V() * in.Hours.V()
	f.Lacks = noted.Lacks(noted.Result{FromFull: in.Full, EndVolts: f.EndVolts, LowestEndVolts: f.LowestEndVolts,
		Series: of.groups(), Chemistry: of.Chemistry})
	f.Complete = f.Lacks == ""
	return nil
}
