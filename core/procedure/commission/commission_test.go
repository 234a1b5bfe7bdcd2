package commission_test

import (
	"fmt"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
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
		if slices.Contains([]string{"licensed", "person", "equipment", "meter", "isolation", "lead-acid", "unattended",
			"frost", "cautions"}, s.Key) && gates.MayOverride(s) == nil {
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
	}{{"all this week", map[string]float64{"A": 0.1, "B": 6.9}, true}, {"one old", map[string]float64{"A": 0.1, "B": 8},
		false}, {"one never", map[string]float64{"A": -1, "B": 1}, false}} {
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

// Full cells above what the device survives: only the BMS stands between, and what it trips at is read, not believed.
func TestFullCellsAboveTheDevice(t *testing.T) {
	b := commission.Bank{FullVolts: 58.8, TouchVolts: 60, DeviceVolts: 56, TripVolts: 54.88, ChargeVolts: 54.3}
	for _, s := range commission.Steps(b) {
		if s.Key != "pack-trip" {
			continue
		}
		if gates.MayOverride(s) == nil {
			t.Error("it may be passed over")
		}
		for v, good := range map[float64]bool{54.5: true, 54.88: true, 56: false, 58.8: false, 5.45: false,
			545: false} {
			if ok, f := gates.JudgeReading(s, v); ok != good {
				t.Errorf("a trip at %v V: %v", v, f)
			}
		}
		return
	}
	t.Error("nothing asks for the pack trip")
}

func TestAFuseNotKnownKeepsABankOut(t *testing.T) {
	fuse := []finding.Finding{{Level: finding.Stop, Code: "fuse-not-known"}}
	for _, s := range []commission.Situation{{IntoService: fuse}, {IntoService: fuse, Leads: []commission.Leads{}}} {
		if open := s.Open(); !slices.ContainsFunc(open,
			func(f finding.Finding) bool { return f.Code == "fuse-not-known" }) {
			t.Errorf("%+v", open)
		}
	}
	if commission.PassedBefore(fuse[0]) {
		t.Error("it is not asked for again once the bank is in service")
	}
}

// What a string joins may turn out to be another thing after the string was designed.
func TestAStringUnlikeTheBankItJoins(t *testing.T) {
	for _, c := range []struct {
		name   string
		other  chem.ID
		series int
		unlike bool
	}{
		{"the same", chem.LFP, 8, false}, {"not known", "", 0, false}, {"another chemistry", chem.NMC, 8, true},
		{"another count", chem.LFP, 7, true},
	} {
		f, unlike := commission.Unlike("Hut", chem.LFP, c.other, 8, c.series)
		if unlike != c.unlike || unlike && (f.Text == "" || f.Do == "") {
			t.Errorf("%s: %v %+v", c.name, unlike, f)
		}
	}
}
