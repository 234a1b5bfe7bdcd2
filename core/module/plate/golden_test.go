package plate_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/plate"
	"pandrel/golden"
)

func TestWherePlatesChange(t *testing.T) {
	full := plate.Plate{Chemistry: chem.NMC, Series: 7, Volts: 25.9, RatedAh: 96, TabsSeen: 2, CellAh: 48,
		ModuleKg: 14, CellKg: 0.9}
	golden.Judged(t, "doubts", []golden.Case[plate.Plate]{{Name: "full", In: full}, {Name: "nothing"}, {Name: "LFP",
		In: plate.Plate{Chemistry: chem.LFP, Series: 4, Volts: 12.8, RatedAh: 200}}}, func(p plate.Plate) (any, error) {
		return plate.Doubts(p), nil
	})
	golden.Judged(t, "parallel", []golden.Case[plate.Evidence]{{Name: "all", In: plate.Evidence{GroupAh: 96, CellAh: 48,
		TabsSeen: 2, ModuleKg: 12.7, CellKg: 0.9, Series: 7}}, {Name: "amp hours", In: plate.Evidence{GroupAh: 96,
		CellAh: 32}}, {Name: "tabs", In: plate.Evidence{TabsSeen: 3}}, {Name: "weight",
		In: plate.Evidence{ModuleKg: 12.7, CellKg: 0.9, Series: 7}}, {Name: "nothing"}}, func(e plate.Evidence) (any,
		error) {
		n, how, err := plate.Parallel(e)
		return []any{n, word(how)}, err
	})
}

type word string
