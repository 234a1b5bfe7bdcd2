package condition_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/test/condition"
)

// Cycles that must not go on: less than 97 % of a charge came out again, or the last gave 2 % less than the one before.
func TestCyclesThatMustNotGoOnAreHeld(t *testing.T) {
	of := func(in, out float64) []finding.Finding {
		return condition.GrowthOf("K", []condition.Done{{40, 40.5, true}, {out, in, true}}).Findings
	}
	findingtest.Holds(t, of(41, 39.5), "leaks", finding.Stop, 39.5/41*100, 97, "%")
	findingtest.Lacks(t, of(40.5, 39.5), "leaks")
	findingtest.Holds(t, of(39.5, 39.19), "falling", finding.Stop, -0.81/40*100, -2, "%")
	findingtest.Lacks(t, of(39.5, 39.21), "falling")
}
