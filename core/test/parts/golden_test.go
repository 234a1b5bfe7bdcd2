package parts_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/parts"
	"pandrel/golden"
)

func TestWherePartsChange(t *testing.T) {
	type joined struct {
		Series int
		Tests  []parts.Tested
	}
	part := whole(5, 8, 38)
	part.Complete, part.EndedBy = false, 6
	golden.Judged(t, "joined", []golden.Case[joined]{{Name: "two halves", In: joined{8, []parts.Tested{whole(1, 4, 40),
		whole(5, 8, 38)}}}, {Name: "one counted none", In: joined{8, []parts.Tested{whole(1, 4, 40), part}}},
		{Name: "one missing", In: joined{8, []parts.Tested{whole(1, 4, 40)}}}, {Name: "far apart", In: joined{8,
			[]parts.Tested{whole(1, 4, 40), whole(5, 8, 30)}}}}, func(j joined) (any, error) {
		if j.Series > 300 {
			return nil, nil
		}
		return parts.Join(j.Series, j.Tests)
	})
	type back struct {
		States []parts.State
		Ah     float64
	}
	golden.Judged(t, "return", []golden.Case[back]{{Name: "three", In: back{[]parts.State{{RestVolts: 3.72, Ah: 40},
		{AtFloor: true, Ah: 40}, {RestVolts: 3.65, Ah: 38}}, 40}}, {Name: "alike",
		In: back{[]parts.State{{RestVolts: 3.7}, {RestVolts: 3.7}}, 46}}, {Name: "flat",
		In: back{[]parts.State{{RestVolts: 3.3}, {RestVolts: 3.31}}, 46}}}, func(b back) (any, error) {
		id := chem.NMC
		if b.States[0].RestVolts < 3.4 {
			id = chem.LFP
		}
		moves, matched, err := parts.Return(b.States, id, b.Ah)
		return []any{moves, matched, parts.Words(moves)}, err
	})
	golden.Judged(t, "set", []golden.Case[[]parts.Cell]{{Longest: 450, Name: "four", In: []parts.Cell{{"A", 50, true,
		3.4}, {"B", 48, true, 3.1}, {"C", 51, true, 3.45}, {"D", 44, true, 3.02}}}, {Name: "one not whole",
		In: []parts.Cell{{"A", 50, true, 3.4}, {"B", 20, false, 3.6}}}}, func(c []parts.Cell) (any, error) {
		return parts.Compare(c)
	})
}
