package acts_test

import (
	"testing"

	"pandrel/core/bank/acts"
	"pandrel/core/base/chem"
	"pandrel/golden"
)

func TestWhereWhoActsFirstChanges(t *testing.T) {
	type asked struct {
		Bank        acts.Bank
		Cutoff, Max float64
		More        []acts.Threshold
	}
	lfp := acts.Bank{Chemistry: chem.LFP, Series: 16, Ah: 100, MOhm: 20, ChargeAmps: 50, DischargeAmps: 100,
		SpreadShare: 0.02}
	golden.Judged(t, "order", []golden.Case[asked]{
		{Name: "usual thresholds", In: asked{bank(), 21.5, 31, nil}},
		{Name: "a charger, a BMS and a device", In: asked{lfp, 44, 60, []acts.Threshold{
			{Name: "charger", Top: true, Volts: 56.2}, {Name: "BMS", Top: true, Group: true, Volts: 3.62, DelayS: 2,
				Disconnects: true}, {Name: "BMS low", Group: true, Volts: 2.75, DelayS: 5, Disconnects: true},
			{Name: "device breaks", Top: true, Volts: 59, Damages: true}}}}}, func(a asked) (any, error) {
		k, _ := chem.Lookup(a.Bank.Chemistry)
		ts := append(acts.Usual(k, a.Bank.Series, a.Cutoff, a.Max), a.More...)
		r, err := acts.Order(a.Bank, ts)
		return []any{ts, r}, err
	})
}
