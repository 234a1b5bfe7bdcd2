package volts_test

import (
	"testing"

	"pandrel/core/bank/volts"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// A bank of seven NMC groups outside of what it may show: never recharged below 2.00 V a group, charged to 4.20 V of
// which 20 mV are put down to the meter.
func TestVoltsOutOfTheWindowAreHeld(t *testing.T) {
	of := func(each float64) []finding.Finding {
		t.Helper()
		b := volts.Bank{Chemistry: chem.NMC, Series: 7, RestMin: 60, Accuracy: 0.001}
		st, err := volts.FromVolts(b, 7*each)
		if err != nil {
			t.Fatal(err)
		}
		return volts.JudgeState(b, st)
	}
	findingtest.Holds(t, of(1.99), "never-recharge", finding.Refuse, 1.99, 2, "V")
	findingtest.Lacks(t, of(2.001), "never-recharge")
	findingtest.Holds(t, of(4.222), "over", finding.Stop, 4.222, 4.2, "V")
	findingtest.Lacks(t, of(4.219), "over")
}
