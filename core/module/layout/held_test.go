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
