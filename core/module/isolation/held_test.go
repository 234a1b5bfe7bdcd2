package isolation_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/isolation"
)

// One leak of so many ohms per volt from plus to the case, nothing from minus, read with a meter of 10 MΩ: 100 Ω/V stop
// everywhere, 500 Ω/V above the touch limit of 60 V, and are a caution below it.
func TestIsolationIsHeldAtItsEdges(t *testing.T) {
	of := func(pack, perVolt float64) []finding.Finding {
		t.Helper()
		const rm, minus = 10e6, 1e9
		plus := perVolt * pack
		par := func(a, b float64) float64 { return a * b / (a + b) }
		v1 := pack * par(plus, rm) / (par(plus, rm) + minus)
		v2 := pack * par(minus, rm) / (par(minus, rm) + plus)
		_, fs, err := isolation.JudgeReadings(isolation.Readings{PackVolts: pack, PositiveVolts: v1, NegativeVolts: v2,
			MeterOhms: rm, MeterAccuracyVolts: 1e-6})
		if err != nil {
			t.Fatal(err)
		}
		return fs
	}
	for _, c := range []struct {
		pack, perVolt float64
		code          string
		level         finding.Level
		against       float64
	}{
		{48, 99, "isolation", finding.Stop, 100}, {48, 101, "isolation-low", finding.Caution, 500},
		{48, 499, "isolation-low", finding.Caution, 500}, {48, 501, "isolation-ok", finding.Note, 500},
		{350, 99, "isolation", finding.Stop, 100}, {350, 101, "isolation", finding.Stop, 500},
		{350, 499, "isolation", finding.Stop, 500}, {350, 501, "isolation-ok", finding.Note, 500},
		{60, 499, "isolation-low", finding.Caution, 500}, {60.1, 499, "isolation", finding.Stop, 500},
	} {
		findingtest.Holds(t, of(c.pack, c.perVolt), c.code, c.level, c.perVolt, c.against, "Ω/V")
	}
}
