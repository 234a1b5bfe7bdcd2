package working

import (
	"fmt"

	"pandrel/core/bank/window"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// CountIn is what is known of a device.
type CountIn struct {
	Class     known.Value `key:"class" label:"System" unit:"V" range:"1 to 1000" whole:"yes" example:"48" help:"12, 24, 36 or 48; or the device's own volts"`
	AbsMax    known.Value `key:"abs_max" label:"Device's absolute maximum" unit:"V" range:"1 to 1500" help:"From its plate; empty: not known"`
	ChargeMax known.Value `key:"charge_max" label:"Highest charge setting" unit:"V" range:"1 to 1500" help:"Empty: usual for the system"`
	Cutoff    known.Value `key:"cutoff" label:"Cut-off" unit:"V" range:"0.5 to 1500" help:"Empty: usual for the system"`
	Start     known.Value `key:"start" label:"Starts again at" unit:"V" range:"0.5 to 1500"`
}

var _ = shelve[CountIn](Working{Key: "count", Title: "How many in series", About: Volts, Order: 3,
	Question: "Which counts fit this device, of each chemistry?",
	Source:   "rules §7: setting ≤ min(groups × ceiling, device's highest); setting + 0.5 V < trip ≤ damage − 2 %",
	Not:      []string{"sag under load", "the charger's own window", "what is in stock"}})

// Answer lists the counts of every chemistry.
func (in *CountIn) Answer(a *ask.Answer) error {
	if !in.Class.Is() && !in.AbsMax.Is() && !in.ChargeMax.Is() && !in.Cutoff.Is() {
		return ask.Bad(&in.Class, "expected the system's volts, or the device's limits")
	}
	n := window.Need{Class: int(in.Class.V()), AbsMaxVolts: in.AbsMax.V(), ChargeMaxVolts: in.ChargeMax.V(),
		CutoffVolts: in.Cutoff.V(), StartVolts: in.Start.V()}
	fits, err := window.Fits(n)
	if err != nil {
		return err
	}
	a.Result = fits
	if n.ChargeMaxVolts == 0 || n.CutoffVolts == 0 {
		f := n.Filled()
		a.Assume("usual for %d V systems: charge to %s V, cut-off at %s V", n.Class, figure.Of(f.ChargeMaxVolts),
			figure.Of(f.CutoffVolts))
	}
	n = n.Filled()
	a.Findings = window.AboveTouch(fits)
	a.Works("setting = min(groups × usual ceiling, %s V); empty = the rest volts at %s V / groups, or the floor",
		figure.Of(n.ChargeMaxVolts), figure.Of(n.CutoffVolts))
	fit := ask.Table{Title: "They fit", Heads: []string{"Chemistry", "Groups", "Charge to", "Unused below",
		"Unused above", "Usable"}, Words: 1}
	no := ask.Table{Title: "Refused, those beside them", Heads: []string{"Chemistry", "Groups", "Because"}, Words: 3}
	between := "The counts that use most of their charge: "
	for _, f := range fits {
		k, _ := chem.Lookup(f.Chemistry)
		most := window.Count{}
		for i, c := range f.Counts {
			switch {
			case c.Fits:
				fit.Row(k.Name, fmt.Sprint(c.Series), figure.Dec(c.SettingVolts, 2)+" V", figure.Dec(c.EmptySoC*100, 0)+
					" %", figure.Dec((1-c.FullSoC)*100, 0)+" %", figure.Dec(c.Usable*100, 0)+" %")
				if c.Usable > most.Usable {
					most = c
				}
			case i > 0 && f.Counts[i-1].Fits || i+1 < len(f.Counts) && f.Counts[i+1].Fits:
				no.Row(k.Name, fmt.Sprint(c.Series), c.Why)
			}
		}
		if most.Series > 0 {
			a.Also(between+"%d of %s (%.0f %%)", most.Series, k.Name, most.Usable*100)
			between = "; "
		}
	}
	for _, t := range []ask.Table{fit, no} {
		if len(t.Rows) > 0 {
			a.Tables = append(a.Tables, t)
		}
	}
	if a.Says == "" {
		a.Say("No count of any chemistry fits this device.")
		a.Level = finding.Refuse
		return nil
	}
	a.Also(".")
	return nil
}
