package condition_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/condition"
	"pandrel/golden"
)

func TestWhereConditioningChanges(t *testing.T) {
	golden.Judged(t, "make", []golden.Case[condition.Input]{{Name: "stored long", In: condition.Input{Name: "K",
		Chemistry: chem.NMC, Series: 7, Ah: 46, TestAmps: 12, StoredMonths: months(30), Cycles: 3, LowV: 3.5,
		HighV: 3.6}}, {Name: "not known", In: condition.Input{Name: "K", Chemistry: chem.LFP, Series: 4, Ah: 200,
		TestAmps: 40}}, {Name: "fresh", In: condition.Input{Name: "K", Chemistry: chem.LTO, Series: 10, Ah: 20,
		TestAmps: 20, StoredMonths: months(2), Cycles: 2, LowV: 2.2, HighV: 2.3}}}, func(in condition.Input) (any,
		error) {
		return condition.Make(in)
	})
	golden.Judged(t, "growth", []golden.Case[[]condition.Done]{{Longest: 12, Name: "grows", In: []condition.Done{{40,
		41, true}, {42, 42.4, true}, {42.3, 42.6, true}}}, {Name: "shrinks", In: []condition.Done{{40, 41, true}, {38,
		39, true}}}, {Name: "one not whole", In: []condition.Done{{40, 41, true}, {30, 41, false}}}, {Name: "one",
		In: []condition.Done{{40, 0, true}}}, {Name: "none"}}, func(d []condition.Done) (any, error) {
		return condition.GrowthOf("K", d), nil
	})
}
