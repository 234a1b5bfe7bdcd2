package byhand_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/byhand"
	"pandrel/core/test/run"
	"pandrel/golden"
)

func TestWhereByHandChanges(t *testing.T) {
	type looked struct {
		Step     run.Step
		Readings []byhand.Reading
		Now      float64
	}
	down := run.Step{Kind: "discharge", Amps: -10, GroupMin: 3.0, Seconds: 20000, Ah: 60, TempMaxC: 45, Groups: 3}
	up := run.Step{Kind: "charge", Amps: 10, GroupMax: 4.15, TaperAmps: 1, Seconds: 20000, Ah: 60, TempMaxC: 45,
		Groups: 3}
	rest := run.Step{Kind: "rest", Seconds: 3600, Groups: 3}
	golden.Judged(t, "look", []golden.Case[looked]{
		{Name: "discharging", In: looked{down, []byhand.Reading{at(0, -10, 3.9, 3.9, 3.88), at(1800, -10, 3.8, 3.8,
			3.75), at(3600, -10, 3.7, 3.7, 3.6)}, 3900}},
		{Name: "charging to its taper", In: looked{up, []byhand.Reading{at(0, 10, 4.0, 4.0, 4.02), at(900, 10, 4.1, 4.1,
			4.13), at(1800, 4, 4.12, 4.12, 4.14)}, 2000}},
		{Name: "totals alone", In: looked{down, []byhand.Reading{{Seconds: 0, Volts: 11.7, Amps: -10}, {Seconds: 600,
			Volts: 11.5,
			Amps:  -10}}, 700}}, {Name: "rest", In: looked{rest, []byhand.Reading{at(0, 0, 3.9, 3.9, 3.9)}, 1000}},
		{Name: "not begun", In: looked{down, nil, 0}}}, func(l looked) (any, error) {
		s, err := byhand.Of(l.Step, chem.NMC, l.Readings, l.Now)
		return []any{s, s.Held()}, err
	})
}
