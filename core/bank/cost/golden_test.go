package cost_test

import (
	"testing"

	"pandrel/core/bank/cost"
	"pandrel/golden"
)

func TestWhatABankCosts(t *testing.T) {
	type asked struct {
		Bank   cost.Bank
		Others []cost.Other
	}
	full := cost.Bank{Modules: 8, ModulePrice: 60, Freight: 0, PalletPrice: 150, ModulesPerPallet: 12, BMS: 90,
		Parts: []cost.Part{{Name: "fuse", Price: 35}, {Name: "bars", Price: 20, Owned: true}}, Hours: 14, HourRate: 25,
		RatedKWh: 12, TestedKWh: 9.6, UsableKWh: 8.1, Cycles: 1500, Efficiency: 0.93, Banks: 3}
	bare := bank()
	bare.Freight, bare.PalletPrice = 80, 0
	golden.Judged(t, "cost", []golden.Case[asked]{{Longest: 60, Name: "by the pallet", In: asked{full, []cost.Other{
		{Name: "new", PerKWh: 320, UsedShare: 0.9, Cycles: 4000, Efficiency: 0.95},
		{Name: "lead", PerKWh: 140, UsedShare: 0.5, Cycles: 500, Efficiency: 0.8}}}}, {Name: "freight in all",
		In: asked{bare, nil}}}, func(a asked) (any, error) { return cost.Work(a.Bank, a.Others) })
}
