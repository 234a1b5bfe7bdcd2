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

// What is never joined, with what was compared: counts, chemistries, and groups out of their window (LFP: looked at
// closer below 2.80 V, never recharged below 2.00 V, charged to 3.65 V with 20 mV put down to the meter).
func TestWhatIsNeverJoinedIsHeld(t *testing.T) {
	of := func(f func(in *join.Input)) []finding.Finding {
		t.Helper()
		in := join.Input{LinkMOhm: 2, Banks: []join.Bank{
			{ID: "A", Chemistry: chem.LFP, Series: 4, Ah: 100, RestVolts: 13.2, MOhm10s: 4},
			{ID: "B", Chemistry: chem.LFP, Series: 4, Ah: 100, RestVolts: 13.2, MOhm10s: 4}}}
		f(&in)
		r, err := join.Solve(in)
		if err != nil {
			t.Fatal(err)
		}
		return r.Findings
	}
	volts := func(each float64) []finding.Finding {
		return of(func(in *join.Input) { in.Banks[1].RestVolts = 4 * each })
	}
	findingtest.Holds(t, of(func(in *join.Input) { in.Banks[1].Series, in.Banks[1].RestVolts = 5, 16.5 }),
		"series-unlike", finding.Refuse, 5, 4, "groups")
	findingtest.Holds(t, of(func(in *join.Input) { in.Banks[1].Chemistry, in.Banks[1].RestVolts = chem.NMC, 14.8 }),
		"chemistry-unlike", finding.Refuse, 4.2, 3.65, "V")
	findingtest.Holds(t, volts(1.99), "never-recharge", finding.Refuse, 1.99, 2, "V")
	findingtest.Holds(t, volts(2.01), "look-closer", finding.Stop, 2.01, 2.8, "V")
	findingtest.Lacks(t, volts(2.01), "never-recharge")
	findingtest.Lacks(t, volts(2.81), "look-closer")
	findingtest.Holds(t, volts(3.671), "over", finding.Stop, 3.671, 3.65, "V")
	findingtest.Lacks(t, volts(3.669), "over")
	findingtest.Lacks(t, of(func(*join.Input) {}), "series-unlike")
}
