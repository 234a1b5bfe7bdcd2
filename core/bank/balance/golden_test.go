package balance_test

import (
	"testing"

	"pandrel/core/bank/balance"
	"pandrel/core/base/chem"
	"pandrel/golden"
)

func TestWhereBalanceChanges(t *testing.T) {
	group := func(id chem.ID, v, ah, digit float64) balance.Group {
		return balance.Group{Name: "G", Chemistry: id, Volts: v, Ah: ah, LastDigit: digit}
	}
	golden.Judged(t, "offsets", []golden.Case[[]balance.Group]{
		{Name: "NMC", In: []balance.Group{group(chem.NMC, 3.70, 50, 0.001), group(chem.NMC, 3.74, 52, 0.001),
			group(chem.NMC, 3.71, 48, 0.001)}},
		{Name: "LFP", In: []balance.Group{group(chem.LFP, 3.30, 100, 0.001), group(chem.LFP, 3.31, 100, 0.001)}},
		{Name: "coarse", In: []balance.Group{group(chem.NMC, 3.7, 0, 0.1), group(chem.NMC, 3.8, 0, 0.1)}}},
		func(gs []balance.Group) (any, error) {
			r, err := balance.JudgeGroups(gs)
			if err != nil {
				return nil, err
			}
			return []any{r, r.AsFound(), r.Summary(gs), balance.Noise(gs)}, nil
		})
	golden.Judged(t, "ways", []golden.Case[balance.Work]{
		{Name: "passive", In: balance.Work{MissingAh: []float64{0, 2, 5, 1}, Ah: 100, BMSAmps: 0.1, Duty: 0.3,
			ChargerAmps: 10, TaperHours: 0.5, SupplyAmps: 30}},
		{Name: "active", In: balance.Work{MissingAh: []float64{0, 12, 3}, Ah: 60, BMSAmps: 1, Duty: 1, Active: true,
			Alternating: true, ChargerAmps: 5, SupplyAmps: 10}},
		{Name: "nothing missing", In: balance.Work{MissingAh: []float64{0, 0, 0}, Ah: 60, BMSAmps: 0.05, Duty: 0.3}},
		{Name: "by hand alone", In: balance.Work{MissingAh: []float64{0, 8, 0}, Ah: 40, ChargerAmps: 6,
			TaperHours: 1}}}, func(w balance.Work) (any, error) { return balance.Plan(w) })
}
