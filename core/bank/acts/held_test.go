package acts_test

import (
	"math"
	"testing"

	"pandrel/core/bank/acts"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Each wrong order of what acts is a stop at the charge at which it is reached: seven groups of 14 mΩ in all, charged
// and discharged at 10 A. A threshold is put where a charge is, so that what is measured is known.
func TestWrongOrdersAreHeld(t *testing.T) {
	k, err := chem.Lookup(chem.NMC)
	if err != nil {
		t.Fatal(err)
	}
	top := func(name string, soc float64, group, opens, damages bool) acts.Threshold {
		v := 7*k.Curve.Volts(soc) + 10*0.014
		if group {
			v /= 7
		}
		return acts.Threshold{Name: name, Top: true, Group: group, Volts: v, Disconnects: opens, Damages: damages}
	}
	bottom := func(name string, soc float64, opens bool) acts.Threshold {
		return acts.Threshold{Name: name, Group: true, Volts: k.Curve.Volts(soc) - 10*0.002, Disconnects: opens}
	}
	of := func(ts ...acts.Threshold) []finding.Finding {
		t.Helper()
		r, err := acts.Order(bank(), ts)
		if err != nil {
			t.Fatal(err)
		}
		return r.Findings
	}
	none := math.NaN()
	setting, bms := top("charger's setting", 0.8, false, false, false), top("BMS", 0.9, true, true, false)
	limit := top("group charge limit", 0.95, true, false, false)
	good := of(setting, bms, limit, bottom("device's cut-off", 0.2, false), bottom("BMS", 0.1, true),
		bottom("group floor", 0.05, false))
	for _, code := range []string{"damage-first", "damage-before-bms", "limit-first-top", "limit-first-bottom",
		"nothing-behind-top", "nothing-behind-bottom"} {
		findingtest.Lacks(t, good, code)
	}
	findingtest.Holds(t, of(setting, bms, top("device", 0.7, false, false, true)), "damage-first", finding.Stop, 70,
		none, "%")
	findingtest.Holds(t, of(setting, bms, top("device", 0.85, false, false, true)), "damage-before-bms", finding.Stop,
		85, none, "%")
	findingtest.Lacks(t, of(setting, bms, top("device", 0.93, false, false, true)), "damage-before-bms")
	findingtest.Holds(t, of(setting, bms, top("group charge limit", 0.75, true, false, false)), "limit-first-"+"top",
		finding.Stop, 75, none, "%")
	findingtest.Holds(t, of(bottom("BMS", 0.1, true), bottom("group floor", 0.15, false)), "limit-first-"+"bottom",
		finding.Stop, 15, none, "%")
	findingtest.Holds(t, of(setting), "nothing-behind-"+"top", finding.Stop, 80, none, "%")
	findingtest.Holds(t, of(bottom("device's cut-off", 0.2, false)), "nothing-behind-"+"bottom", finding.Stop, 20, none,
		"%")
}
