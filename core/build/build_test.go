package build_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/build"
	"pandrel/core/finding"
	"pandrel/core/wiring"
)

func plan() build.Plan {
	return build.Plan{
		Modules:   []build.ModuleCheck{{Name: "K-001", Place: "position 1", Plus: "+", Minus: "-", Volts: 25.9}, {Name: "K-002", Place: "position 2", Plus: "+", Minus: "-", Volts: 25.9}},
		FullVolts: 58.8, ProspectiveAmps: 2400, TouchVolts: 60, BMS: []string{"B1"},
		Order:       []wiring.BuildStep{{Conductor: "L1", Measure: "x", LowV: 25.85, HighV: 25.95, ExposedV: 51.8}, {Conductor: "F1", Measure: "y", ExposedV: 51.8}},
		Overcurrent: map[string]bool{"F1": true}, Wake: "Press the button.",
	}
}

func ExampleSteps() {
	for _, s := range build.Steps(plan()) {
		fmt.Println(s.Number, s.Title)
	}
	// Output:
	// 1 Prepare the bench
	// 2 Place K-001
	// 3 Place K-002
	// 4 Fit L1
	// 5 Connect B1 to the main negative
	// 6 Fit the sense leads of B1
	// 7 Measure every sense lead of B1
	// 8 Fit F1
	// 9 Put the sense plug into B1
	// 10 Wake the BMS and enter the settings
	// 11 First load
}

func hazards(ss []build.Step) []string {
	var out []string
	for _, s := range ss {
		for _, h := range s.Hazards {
			out = append(out, h.Code)
		}
	}
	return out
}

func TestHazardsFollowTheBank(t *testing.T) {
	low := hazards(build.Steps(plan()))
	if slices.Contains(low, "shock") || slices.Contains(low, "frost") || slices.Contains(low, "parallel") || slices.Contains(low, "lift") {
		t.Errorf("hazards that do not apply: %v", low)
	}
	p := plan()
	p.FullVolts, p.FreezesHere, p.HeaviestKg = 67.2, true, 31
	p.Order[0].ExposedV, p.Order[0].Parallels = 61, true
	high := hazards(build.Steps(p))
	for _, want := range []string{"shock", "frost", "parallel", "lift", "arc", "meter", "sense-swapped", "undo", "lead-acid"} {
		if !slices.Contains(high, want) {
			t.Errorf("no %s in %v", want, high)
		}
	}
	for _, s := range build.Steps(p) {
		for _, h := range s.Hazards {
			if h.Do == "" || strings.Contains(h.Text, "safe") {
				t.Errorf("%s: %q", s.Title, h.Text)
			}
		}
		if s.ExposedVolts > 60 && s.Measure != "" && !finding.Blocks(s.Hazards) {
			t.Errorf("%s exposes %v V without a stop", s.Title, s.ExposedVolts)
		}
	}
}

func TestPlugIsAfterEveryMeasurementAndFuse(t *testing.T) {
	ss := build.Steps(plan())
	at := func(part string) int {
		return slices.IndexFunc(ss, func(s build.Step) bool { return strings.Contains(s.Title, part) })
	}
	if !(at("L1") < at("Connect B1") && at("Connect B1") < at("Measure every") && at("Measure every") < at("Fit F1") && at("Fit F1") < at("sense plug into")) {
		t.Error("the order is wrong")
	}
}
