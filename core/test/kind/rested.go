package kind

import (
	"fmt"
	"math"

	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
)

// RestedIn is a part of a discharge between two rests: what flowed, and the volts of what was on the clamps before it
// began and after it had rested again.
type RestedIn struct {
	Ah        known.Value `key:"ah" label:"It gave" unit:"Ah" range:"0.001 to 100000" must:"yes"`
	Before    known.Value `key:"before_v" label:"At rest before" unit:"V" range:"0.1 to 1500" must:"yes"`
	BeforeMin known.Value `key:"before_min" label:"Rested before" unit:"min" range:"0 to 100000" help:"Empty: not known"`
	After     known.Value `key:"after_v" label:"At rest after" unit:"V" range:"0.1 to 1500" must:"yes" help:"Same meter"`
	AfterMin  known.Value `key:"after_min" label:"Rested after" unit:"min" range:"0 to 100000" help:"Empty: not known"`
	EndVolts  known.Value `key:"end_volts" label:"It ended at" unit:"V" range:"0.1 to 1500" help:"Under load"`
	LowestEnd known.Value `key:"lowest_end_v" label:"Its lowest group then" unit:"V" range:"0.01 to 10"`
	Amps      known.Value `key:"amps" label:"At" unit:"A" range:"0.001 to 10000"`
	TempC     known.Value `key:"temp_c" label:"Temperature" unit:"°C" range:"-40 to 90"`
	Checked   bool        `key:"checked" label:"What is far from usual was looked at a second time"`
}

var rested = asked[RestedIn](Kind{Source: Rested, Word: "part of a discharge between two rests",
	Where: "a part of a discharge", Title: "A part of it came out, from rest to rest",
	Counts: "What flowed over how far it fell in charge, by its rest volts before and after, is what it holds: an " +
		"interval, since a meter and a typical rest curve stand behind it. One group alone holds its module to no " +
		"more than that. It is no test from full to the floor, and none for a class.",
	Not: []string{"the maker's own rest curve", "that the two readings were taken at the same temperature"}})

// leastFall of charge below which volts before and after say nothing of what something holds.
const leastFall = 0.05

// came is what it holds: what flowed, over the charge that it lost by its rest curve. One meter read both, so that its
// gain is off alike; its last digit and what the curve lags are not.
func (in *RestedIn) came(of Subject, f *Figures) error {
	f.CapacityAh, f.Amps, f.EndVolts, f.LowestEndVolts = in.Ah.V(), in.Amps.Or(0), in.EndVolts.Or(0), in.LowestEnd.Or(0)
	if in.TempC.Is() {
		t := in.TempC.V()
		f.TempC = &t
	}
	if in.After.V() >= in.Before.V() {
		return ask.Bad(&in.After, "expected less than the %.2f V before: something was taken out of it", in.Before.V())
	}
	c, err := chem.Lookup(of.Chemistry)
	groups := float64(of.groups())
	if err != nil || groups < 1 {
		f.Lacks = "its chemistry or its groups are not known, and volts tell no charge without"
		return nil
	}
	if f.EndVolts > 0 && groups == 1 && f.LowestEndVolts == 0 { // of one group the clamps are the group
		f.LowestEndVolts = f.EndVolts
	}
	if f.LowestEndVolts > 0 && f.LowestEndVolts < c.NeverRechargeVolts {
		f.Lowest = &f.LowestEndVolts
	}
	f.Lacks = "it is part of a discharge, from rest to rest"
	v, w := in.Before.V()/groups, in.After.V()/groups
	if top := c.Curve.Volts(1); v > top {
		f.Tells = fmt.Sprintf("%.2f V a group before is no rest voltage of %s, which stands at %.2f V when full: how "+
			"much it holds does not follow.", v, c.Name, top)
		return nil
	}
	lag := [2]float64{c.RestUncertaintyVolts(limits.MeterDigitVolts/groups, in.BeforeMin.Or(-1)),
		c.RestUncertaintyVolts(limits.MeterDigitVolts/groups, in.AfterMin.Or(-1))}
	least, most := math.Inf(1), 0.0
	for _, gain := range []float64{1 - limits.MeterShare, 1 + limits.MeterShare} {
		a, b := c.Curve.SoCInterval(v*gain, lag[0]), c.Curve.SoCInterval(w*gain, lag[1])
		least, most = min(least, a.Low-b.High), max(most, a.High-b.Low)
	}
	a := c.Curve.SoCInterval(v, lag[0]+limits.MeterShare*v)
	b := c.Curve.SoCInterval(w, lag[1]+limits.MeterShare*w)
	f.Tells = fmt.Sprintf("It fell from %s full to %s, by a typical rest curve.", span(a), span(b))
	if least < leastFall {
		f.Tells += " Between these volts voltage cannot tell the charge, so that how much it holds does not follow."
		return nil
	}
	fell := min(max(c.Curve.SoC(v)-c.Curve.SoC(w), least), most)
	f.RestVolts = w
	f.Holds = known.Within(f.CapacityAh/fell, f.CapacityAh/most, f.CapacityAh/least, known.Measured).Times(1)
	f.Tells += fmt.Sprintf(" So it holds about %.0f Ah (%s).", f.Holds.V(), f.Holds.Text(0, "Ah"))
	return nil
}

// span writes a charge as whole per cent, outwards.
func span(i chem.Interval) string {
	return fmt.Sprintf("%.0f to %.0f %%", math.Floor(i.Low*100), math.Ceil(i.High*100))
}
