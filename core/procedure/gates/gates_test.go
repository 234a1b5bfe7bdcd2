package gates_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
)

var steps = []gates.Step{
	{Key: "a", Title: "A", Gate: true, Must: true, Ask: gates.AskConfirm},
	{Key: "b", Title: "B", Ask: gates.AskConfirm},
	{Key: "c", Title: "C", Gate: true, Ask: gates.AskReading, Low: 1, High: 5, Unit: "V"},
	{Key: "d", Title: "D", Ask: gates.AskConfirm},
}

func TestNothingPassesAnOpenGate(t *testing.T) {
	for _, c := range []struct {
		name    string
		records []gates.Record
		key     string
		free    bool
	}{
		{"the first gate itself is free", nil, "a", true},
		{"behind an open gate", nil, "b", false},
		{"behind a done gate", []gates.Record{{Key: "a", OK: true}}, "b", true},
		{"a step that is no gate holds nothing up", []gates.Record{{Key: "a", OK: true}}, "c", true},
		{"behind the second gate", []gates.Record{{Key: "a", OK: true}}, "d", false},
		{"a failed gate is open", []gates.Record{{Key: "a", OK: true}, {Key: "c", OK: false}}, "d", false},
		{"failed, then done again", []gates.Record{{Key: "a", OK: true}, {Key: "c"}, {Key: "c", OK: true}}, "d", true},
		{"done, then failed again", []gates.Record{{Key: "a", OK: true}, {Key: "c", OK: true}, {Key: "c"}}, "d", false},
		{"passed in writing", []gates.Record{{Key: "a", OK: true},
			{Key: "c", Override: "the meter is at the maker's"}}, "d", true},
		{"an override stays after a failure", []gates.Record{{Key: "a", OK: true}, {Key: "c", Override: "a reason"},
			{Key: "c"}}, "d", true},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, f, err := gates.MayRecord(gates.States(steps, c.records), c.key)
			if err != nil || (f == nil) != c.free {
				t.Errorf("%s: %v, %v", c.name, f, err)
			}
		})
	}
	if _, _, err := gates.MayRecord(gates.States(steps, nil), "z"); err == nil {
		t.Error("a step that does not exist")
	}
}

func TestAMustCannotBePassed(t *testing.T) {
	if f := gates.MayOverride(steps[0]); f == nil || f.Level != finding.Refuse {
		t.Errorf("%v", f)
	}
	if gates.MayOverride(steps[2]) != nil {
		t.Error("a plain gate may be passed in writing")
	}
}

func TestReadings(t *testing.T) {
	for _, c := range []struct {
		volts float64
		ok    bool
	}{{1, true}, {5, true}, {-3, true}, {0.99, false}, {5.01, false}, {-6, false}, {math.NaN(), false}} {
		t.Run(fmt.Sprint(c.volts), func(t *testing.T) {
			if ok, f := gates.JudgeReading(steps[2], c.volts); ok != c.ok || (f.Level == finding.Stop) == c.ok {
				t.Errorf("%v: %v %v", c.volts, ok, f)
			}
		})
	}
}

func ExampleStep_Range() {
	fmt.Println(gates.Step{High: 5, Unit: "V"}.Range())
	fmt.Println(gates.Step{Low: 48, Unit: "V"}.Range())
	fmt.Println(gates.Step{Low: 48, High: 52, Unit: "V"}.Range())
	// Output:
	// at most 5 V
	// at least 48 V
	// 48 to 52 V
}

func TestAReasonIsASentenceWithAName(t *testing.T) {
	for _, c := range []struct {
		reason, by string
		ok         bool
	}{
		{"the meter is at the maker's until Friday", "AB", true}, {"aaaa", "AB", false},
		{"aaaaaaaaaaaaaaaaaaaa", "AB", false}, {"aaa aaa aaa aaa aaa aaa", "AB", false},
		{"because because because because", "AB", false}, {"necessary", "AB", false},
		{"the meter is at the maker's until Friday", " ", false}, {"the meter is at the maker's until Friday", "–",
			false}, {"", "AB", false},
	} {
		t.Run(c.reason, func(t *testing.T) {
			if got := gates.ReasonText(c.reason, c.by); (got == "") != c.ok {
				t.Errorf("%q by %q: %q", c.reason, c.by, got)
			}
		})
	}
}

func TestReadingsAreComparedWithWhatTheStatePredicts(t *testing.T) {
	s := gates.Step{Title: "Isolation", ExpectVolts: 91}
	for v, ok := range map[float64]bool{91: true, 88: true, -91: true, 0.5: false, 45: false, 100: false} {
		t.Run(fmt.Sprint(v), func(t *testing.T) {
			if got := gates.Expected(s, v); (got == nil) != ok {
				t.Errorf("%v V: %v", v, got)
			}
		})
	}
	back := gates.Step{Title: "Bank, end to end", Low: 50, High: 52, Unit: "V", Signed: true}
	for v, ok := range map[float64]bool{51: true, -51: false, 49: false} {
		t.Run(fmt.Sprint(v), func(t *testing.T) {
			if got, f := gates.JudgeReading(back, v); got != ok || v < 0 && f.Code != "polarity" {
				t.Errorf("%v V: %v, %v", v, got, f)
			}
		})
	}
}
