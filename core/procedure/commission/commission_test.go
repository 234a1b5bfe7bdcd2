package commission_test

import (
	"fmt"
	"slices"
	"testing"

	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
)

func keys(b commission.Bank) (out []string) {
	for _, s := range commission.Steps(b) {
		out = append(out, s.Key)
	}
	return out
}

func ExampleSteps() {
	for _, s := range commission.Steps(commission.Bank{FullVolts: 58.4, TouchVolts: 60})[:3] {
		fmt.Println(s.Title)
	}
	// Output:
	// Settings read back
	// Lead-acid habits off
	// Charging nobody watches
}

func TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed(t *testing.T) {
	b := commission.Bank{FullVolts: 88, TouchVolts: 60, NowVolts: 79, Cautions: 2, FreezesHere: true}
	if got := keys(b)[:7]; !slices.Equal(got, []string{"licensed", "person", "equipment", "meter", "isolation",
		"cautions", "frost"}) {
		t.Errorf("%v", got)
	}
	for _, s := range commission.Steps(b) {
		if slices.Contains([]string{"licensed", "person", "equipment", "meter", "isolation", "lead-acid",
			"unattended", "frost",
			"cautions"}, s.Key) && gates.MayOverride(s) == nil {
			t.Errorf("%s may be passed over", s.Key)
		}
		if !s.Gate || s.Rule == "" || s.Do == "" {
			t.Errorf("%+v", s)
		}
		if s.Key == "isolation" && gates.Expected(s, 0.5) == nil {
			t.Error("0.5 V between the ends of a bank at 79 V was taken")
		}
	}
	if low := keys(commission.Bank{FullVolts: 58, TouchVolts: 60}); slices.Contains(low, "licensed") ||
		slices.Contains(low, "frost") || slices.Contains(low, "cautions") {
		t.Errorf("%v", low)
	}
}

func TestEverySixtyVoltsInAWetPlaceIsHigh(t *testing.T) {
	if !slices.Contains(keys(commission.Bank{FullVolts: 29.2 + 1, TouchVolts: 30}), "licensed") {
		t.Error("a wet place has a lower limit")
	}
}

func TestFreshnessAndFrost(t *testing.T) {
	for _, c := range []struct {
		name string
		days map[string]float64
		ok   bool
	}{{"all this week", map[string]float64{"A": 0.1, "B": 6.9}, true},
		{"one old", map[string]float64{"A": 0.1, "B": 8}, false}, {"one never", map[string]float64{"A": -1, "B": 1},
			false}} {
		t.Run(c.name, func(t *testing.T) {
			if f, ok := commission.Fresh(c.days); ok != c.ok || !ok && f.Do == "" {
				t.Errorf("%s: %v, %+v", c.name, ok, f)
			}
		})
	}
	if _, ok := commission.Frost(commission.Bank{}); ok {
		t.Error("frost was not asked and passed")
	}
	if _, ok := commission.Frost(commission.Bank{FrostAsked: true}); !ok {
		t.Error("asked and answered")
	}
}
