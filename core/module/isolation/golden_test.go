package isolation_test

import (
	"testing"

	"pandrel/core/module/isolation"
	"pandrel/golden"
)

func TestWhereIsolationChanges(t *testing.T) {
	golden.Judged(t, "isolation", []golden.Case[isolation.Readings]{
		{Name: "fine", In: isolation.Readings{PackVolts: 50, PositiveVolts: 10, NegativeVolts: 2, MeterOhms: 10e6,
			MeterAccuracyVolts: 0.02, WorkingVolts: 58}},
		{Name: "leaks", In: isolation.Readings{PackVolts: 350, PositiveVolts: 340, NegativeVolts: 3, MeterOhms: 10e6}},
		{Name: "both", In: isolation.Readings{PackVolts: 50, PositiveVolts: 24.9, NegativeVolts: 24.8,
			MeterOhms: 10e6}},
		{Name: "by a known resistor", In: isolation.Readings{PackVolts: 350, PositiveVolts: 200, NegativeVolts: 140,
			MeterOhms: 10e6, KnownOhms: 175000, KnownVolts: 60}},
		{Name: "hardly anything", In: isolation.Readings{PackVolts: 12, PositiveVolts: 0.01, NegativeVolts: 0.01}}},
		func(r isolation.Readings) (any, error) {
			x, fs, err := isolation.JudgeReadings(r)
			ohms, watts := isolation.KnownResistor(r.PackVolts)
			return []any{x, fs, x.Verdict.Passed(), r.FitsVolts(50), ohms, watts}, err
		})
}
