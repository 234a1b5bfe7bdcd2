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
	s := gates.Step{Key: "v", Title: "Volts", Unit: "V", Low: 48, High: 52, Signed: true, ExpectVolts: 50, Rule: "work"}
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
	first := gates.Step{Key: "a", Title: "First", Gate: true, Rule: "work"}
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
