package join_test

import (
	"testing"

	"pandrel/core/bank/join"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// A bank that takes charge above its limit is told so by how high its groups come: two equal banks on one straight
// curve end half-way between where they began.
func TestCellsAreHeldWithinTheirWindow(t *testing.T) {
	at := func(a, b float64) []finding.Finding {
		t.Helper()
		line := straight(t, 3.0, 3.9)
		r, err := join.Solve(join.Input{LinkMOhm: 2, Banks: []join.Bank{
			{ID: "A", Chemistry: chem.LFP, Curve: line, Series: 4, Ah: 100, SoC: soc((a - 3) / 0.9), MOhm10s: 4},
			{ID: "B", Chemistry: chem.LFP, Curve: line, Series: 4, Ah: 100, SoC: soc((b - 3) / 0.9), MOhm10s: 4}}})
		if err != nil {
			t.Fatal(err)
		}
		return r.Findings
	}
	findingtest.Holds(t, at(3.9, 3.5), "ceiling", finding.Stop, 3.7, 3.65, "V")
	findingtest.Holds(t, at(3.82, 3.5), "ceiling", finding.Stop, 3.66, 3.65, "V")
	findingtest.Lacks(t, at(3.78, 3.5), "ceiling")
}
