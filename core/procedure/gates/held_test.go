package gates_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/procedure/gates"
)

// What does not pass a gate is a stop or a refusal, with what was read against what the step asks.
func TestWhatDoesNotPassIsHeld(t *testing.T) {
	none := findingtest.None
	one := func(f *finding.Finding) []finding.Finding {
		if f == nil {
			return nil
		}
		return []finding.Finding{*f}
	}
	reading := func(s gates.Step, v float64) []finding.Finding {
		_, f := gates.JudgeReading(s, v)
		return []finding.Finding{f}
	}
	s := gates.Step{Key: "v", Title: "Volts", Unit: "V", Low: 48, High: 52, Signed: true, ExpectVolts: 50,
		Rule: "rules §18"}
	findingtest.Holds(t, reading(s, 52.1), "out-of-range", finding.Stop, 52.1, 52, "V")
	findingtest.Holds(t, reading(s, 47.9), "out-of-range", finding.Stop, 47.9, 48, "V")
	findingtest.Lacks(t, reading(s, 52), "out-of-range")
	findingtest.Holds(t, reading(s, -50), "polarity", finding.Stop, -50, 52, "V")
	findingtest.Holds(t, one(gates.Expected(s, 47.4)), "not-as-predicted", finding.Stop, 47.4, 50, "V")
	findingtest.Lacks(t, one(gates.Expected(s, 47.5)), "not-as-predicted")
	must := s
	must.Must = true
	findingtest.Holds(t, one(gates.MayOverride(must)), "no-override", finding.Refuse, none, none, "")
	findingtest.Lacks(t, one(gates.MayOverride(s)), "no-override")
	first := gates.Step{Key: "a", Title: "First", Gate: true, Rule: "rules §18"}
	_, f, err := gates.MayRecord(gates.States([]gates.Step{first, s}, nil), "v")
	if err != nil {
		t.Fatal(err)
	}
	findingtest.Holds(t, one(f), "gate-open", finding.Stop, none, none, "")
	_, f, err = gates.MayRecord(gates.States([]gates.Step{first, s}, []gates.Record{{Key: "a", OK: true}}), "v")
	if err != nil {
		t.Fatal(err)
	}
	findingtest.Lacks(t, one(f), "gate-open")
}

// The worst joint of a bank: 0.2 mΩ and 5 W at the design current, read under 20 A and more, with a reading that a
// joint can give.
func TestAJointIsHeld(t *testing.T) {
	of := func(mv, amps, design float64) []finding.Finding {
		t.Helper()
		s := gates.Step{Key: "j", Title: "The worst joint", Ask: gates.AskJoint, DesignAmps: design, Rule: "rules §10"}
		d, err := gates.Take(gates.States([]gates.Step{s}, nil), "j", gates.Input{Reading: finding.Of(mv),
			Other: finding.Of(amps), By: "AK"}, nil)
		if err != nil {
			t.Fatal(err)
		}
		return d.Found
	}
	findingtest.Holds(t, of(10.05, 50, 0), "joint-high", finding.Stop, 0.201, 0.2, "mΩ")
	findingtest.Lacks(t, of(10, 50, 0), "joint-high")
	findingtest.Holds(t, of(9, 50, 170), "joint-hot", finding.Stop, 5.2, 5, "W") // 0.18 mΩ × 170² A²
	findingtest.Lacks(t, of(9, 50, 166), "joint-hot")
	findingtest.Holds(t, of(1, 19.9, 0), "current-small", finding.Stop, 19.9, 20, "A")
	findingtest.Lacks(t, of(1, 20, 0), "current-small")
	findingtest.Holds(t, of(0.04, 50, 0), "nothing-read", finding.Stop, 0.04, 0.05, "mV")
	findingtest.Holds(t, of(0.06, 50, 0), "not-as-predicted", finding.Stop, 0.0012, 0.002, "mΩ")
}

// Two totals that are to be joined, in millivolts apart against what fits them.
func TestTotalsAreHeld(t *testing.T) {
	of := func(own, other float64) []finding.Finding {
		t.Helper()
		s := gates.Step{Key: "t", Title: "Totals", Ask: gates.AskTotals, High: 50, Other: "Yard", ExpectVolts: 52,
			OtherVolts: 52, Rule: "rules §9"}
		d, err := gates.Take(gates.States([]gates.Step{s}, nil), "t", gates.Input{Reading: finding.Of(own),
			Other: finding.Of(other), By: "AK"}, nil)
		if err != nil {
			t.Fatal(err)
		}
		return d.Found
	}
	findingtest.Holds(t, of(52, 51.949), "too-far-apart", finding.Stop, 51, 50, "mV")
	findingtest.Holds(t, of(51.949, 52), "too-far-apart", finding.Stop, 51, 50, "mV")
	findingtest.Lacks(t, of(52, 51.95), "too-far-apart")
	findingtest.Holds(t, of(52, 49.3), "not-as-predicted", finding.Stop, 49.3, 52, "V") // 5 % of 52 V
	findingtest.Holds(t, of(0.052, 52), "not-as-predicted", finding.Stop, 0.052, 52, "V")
}
