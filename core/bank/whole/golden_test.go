package whole_test

import (
	"testing"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
	"pandrel/golden"
)

func TestWhereAStandingBankChanges(t *testing.T) {
	type read struct {
		Bank           whole.Bank
		Volts          []float64
		Rest, Accuracy float64
	}
	nmc := whole.Bank{Name: "kiosk", Series: 7, Chemistry: chem.NMC, Ah: 100}
	before := nmc
	before.Before = []float64{3.80, 3.80, 3.79, 3.80, 3.80, 3.80, 3.81}
	golden.Judged(t, "standing", []golden.Case[read]{
		{Name: "one below", In: read{nmc, []float64{3.80, 3.71, 3.80, 3.801, 3.80, 3.799, 3.80}, 120, 0.004}},
		{Name: "read before", In: read{before, []float64{3.78, 3.78, 3.70, 3.78, 3.78, 3.78, 3.79}, 120, 0.004}},
		{Name: "LFP in its flat part", In: read{whole.Bank{Name: "b", Series: 4, Chemistry: chem.LFP, Ah: 200},
			[]float64{3.31, 3.31, 3.29, 3.31}, 30, 0.002}},
		{Name: "capacity not known", In: read{whole.Bank{Name: "b", Series: 4, Chemistry: chem.LTO}, []float64{2.3,
			2.31, 2.3, 2.2}, 600, 0.002}}}, func(r read) (any, error) {
		s, err := whole.JudgeSurvey(r.Bank, r.Volts, r.Rest, r.Accuracy, survey.DefaultPolicy)
		s.Survey = survey.Result{}
		return []any{s, s.AsFound()}, err
	})
}

func TestWhereAWholeTestChanges(t *testing.T) {
	type tested struct {
		Test     whole.Test
		Expected whole.Expected
	}
	full := whole.Test{CapacityAh: 91, EnergyWh: 2330, Amps: 20, TempC: finding.Of(22), FromFull: true, EndedBy: 3,
		EndVolts: 3.02, AtStart: []float64{4.15, 4.16, 4.15, 4.15, 4.16, 4.15, 4.15},
		AtRest: []float64{3.45, 3.44, 3.31, 3.46, 3.45, 3.44, 3.46}, Complete: true}
	e := whole.Expected{Bank: whole.Bank{Name: "kiosk", Series: 7, Chemistry: chem.NMC, Ah: 96}, LowAh: 92, HighAh: 100,
		RatedAh: 120, Parallel: 2}
	last := full
	last.CapacityAh = 95
	again := e
	again.Last = &last
	found := full
	found.AsFound, found.FromFull, found.TempC = true, false, nil
	part := full
	part.Complete, part.AtRest = false, nil
	golden.Judged(t, "test", []golden.Case[tested]{{Longest: 20, Name: "from full", In: tested{full, e}},
		{Name: "again", In: tested{full, again}}, {Name: "as found", In: tested{found, e}}, {Name: "a part",
			In: tested{part, e}}}, func(x tested) (any, error) {
		r, fs, err := whole.JudgeTest(x.Test, x.Expected)
		low, high := r.GainAh()
		return []any{r, fs, low, high}, err
	})
}
