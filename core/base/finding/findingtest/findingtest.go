// Package findingtest holds findings in tests: how hard they are, what was measured and which limit it stands against.
// A finding that is merely there could become a note with every test green.
package findingtest

import (
	"math"
	"strconv"
	"testing"

	"pandrel/core/base/finding"
)

// None stands for a finding that has no number: nothing was measured, or there is no limit.
var None = math.NaN()

// Holds fails unless there is a finding of a code that is so hard, of that measured value, limit and unit. Numbers
// agree within half a per mille, or half of the last of three decimals. It must say what to do and by which rule.
// So many parameters: each is a column of the tables that it is called from.
func Holds(t testing.TB, fs []finding.Finding, code string, level finding.Level, measured, limit float64, unit string) {
	t.Helper()
	var seen []finding.Finding
	for _, f := range fs {
		if f.Code != code {
			continue
		}
		seen = append(seen, f)
		if f.Level == level && same(f.Measured, measured) && same(f.Limit, limit) && f.Unit == unit && f.Do != "" &&
			f.Rule != "" && f.Text != "" {
			return
		}
	}
	if len(seen) == 0 {
		t.Errorf("no finding %s: expected %v, %v %s against %v", code, level, measured, unit, limit)
		return
	}
	for _, f := range seen {
		t.Errorf("%s is %v, %s %s against %s, do %q: expected %v, %v %s against %v", code, f.Level, text(f.Measured),
			f.Unit, text(f.Limit), f.Do, level, measured, unit, limit)
	}
}

// Lacks fails where there is a finding of a code.
func Lacks(t testing.TB, fs []finding.Finding, code string) {
	t.Helper()
	for _, f := range fs {
		if f.Code == code {
			t.Errorf("%s: %s", code, f.Text)
		}
	}
}

func same(got *float64, want float64) bool {
	if got == nil || math.IsNaN(want) {
		return got == nil && math.IsNaN(want)
	}
	return math.Abs(*got-want) <= max(0.0005, 0.0005*math.Abs(want))
}

func text(v *float64) string {
	if v == nil {
		return "nothing"
	}
	return strconv.FormatFloat(*v, 'g', 8, 64)
}
