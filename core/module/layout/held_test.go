package layout_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/layout"
)

// Nothing that a person opens has more than 1500 V from end to end.
func TestNoModuleIsThatHigh(t *testing.T) {
	at := func(v float64) []finding.Finding {
		t.Helper()
		return solve(t, layout.Options{Chemistry: chem.LFP}, rd("P1", "P0", v/2), rd("P2", "P1", v/2),
			rd("P2", "P0", v)).Findings
	}
	findingtest.Holds(t, at(1500.2), "no-such-module", finding.Stop, 1500.2, 1500, "V")
	findingtest.Lacks(t, at(1499.8), "no-such-module")
}

// What keeps a map from being believed, with what was read against what was expected: steps of 3.7 V.
func TestWhatAMapDoesNotExplainIsHeld(t *testing.T) {
	chain := []layout.Reading{rd("P1", "P0", 3.7), rd("P2", "P1", 3.7), rd("P3", "P2", 3.7)}
	nmc := layout.Options{Chemistry: chem.NMC}
	more := func(rs ...layout.Reading) []layout.Reading {
		return append(append([]layout.Reading{}, chain...), rs...)
	}
	for _, c := range []struct {
		code              string
		level             finding.Level
		measured, against float64
		unit              string
		opt               layout.Options
		rs                []layout.Reading
	}{
		{"plate-disagrees", finding.Stop, 3, 4, "groups", layout.Options{Chemistry: chem.NMC, PlateSeries: 4}, chain},
		{"one-node", finding.Stop, 0, findingtest.None, "V", nmc,
			[]layout.Reading{rd("A", "B", 0), rd("C", "B", 0.001)}},
		{"close-pair", finding.Stop, 0.06, 0.008, "V", nmc, more(rd("X", "P3", 0.060))},
		{"loop-open", finding.Stop, 0.5, 0.02, "V", nmc, more(rd("P2", "P0", 6.9))},
		{"steps-not-explained", finding.Stop, 0.7, findingtest.None, "V", layout.Options{Chemistry: chem.LTO},
			[]layout.Reading{rd("A", "B", 0.7)}},
		{"series-open", finding.Stop, 2, 1, "answers", layout.Options{Chemistry: chem.LFP},
			[]layout.Reading{rd("+", "-", 13.2)}},
		{"main-post-not-at-end", finding.Stop, 7.4, 11.1, "V", layout.Options{Chemistry: chem.NMC,
			Roles: []layout.Role{{Point: "P2", Role: layout.RoleMainPositive}}}, chain},
	} {
		findingtest.Holds(t, solve(t, c.opt, c.rs...).Findings, c.code, c.level, c.measured, c.against, c.unit)
		findingtest.Lacks(t, solve(t, nmc, chain...).Findings, c.code)
	}
}
