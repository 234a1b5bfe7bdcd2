package build_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/netlist"

	"pandrel/core/bank/build"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func plan() build.Plan {
	return build.Plan{
		Modules: []build.ModuleCheck{{Name: "K-001", Place: "position 1", Plus: "+", Minus: "-", Volts: 25.9},
			{Name: "K-002", Place: "position 2", Plus: "+", Minus: "-", Volts: 25.9}},
		FullVolts: 58.8, Chemistry: chem.NMC, ProspectiveAmps: 2400, TouchVolts: 60, LoadAmps: 80, LimitAmps: 46,
		ChargeAmps: 13.8,
		BMS: []build.BMS{{ID: "B1", Negative: "K-001.-", Load: "OUT-", Low: "K-001.-", High: "K-002.+", Volts: 51.8,
			Wake: "Press the button."}},
		Order: []wiring.BuildStep{{Conductor: "L1", Kind: netlist.Bar, From: "K-001.+", To: "K-002.-", Measure: "x",
			LowV: 25.85, HighV: 25.95, ExposedV: 51.8}, {Conductor: "F1", Kind: netlist.Fuse, From: "K-002.+",
			To: "OUT+", Measure: "y", ExposedV: 51.8}},
	}
}

func ExampleSteps() {
	for _, s := range build.Steps(plan()) {
		fmt.Println(s.Number, s.Title)
	}
	// Output:
	// 1 Prepare the bench
	// 2 Place K-001 at position 1
	// 3 Place K-002 at position 2
	// 4 Fit bar L1 from K-001.+ to K-002.-
	// 5 Connect B− of B1 to K-001.-
	// 6 Fit the sense leads of B1
	// 7 Measure every sense lead of B1
	// 8 Fit fuse F1 from K-002.+ to OUT+
	// 9 Connect P− of B1 to OUT-
	// 10 Put the sense plug into B1
	// 11 Wake B1 and enter the settings
	// 12 First load
	// 13 First charge
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
	if slices.Contains(low, "shock") || slices.Contains(low, "frost") || slices.Contains(low, "parallel") ||
		slices.Contains(low, "lift") {
		t.Errorf("hazards that do not apply: %v", low)
	}
	p := plan()
	p.FullVolts, p.FreezesHere, p.HeaviestKg = 67.2, true, 31
	p.Order[0].ExposedV, p.Order[0].Parallels = 61, true
	high := hazards(build.Steps(p))
	for _, want := range []string{"shock", "frost", "parallel", "lift", "arc", "meter", "sense-swapped", "sense-fuse",
		"plug-order", "hot-joint", "unattended", "fire", "undo", "lead-acid"} {
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
	if !(at("L1") < at("Connect B−") && at("Connect B−") < at("Measure every") &&
		at("Measure every") < at("Fit fuse F1") && at("Fit fuse F1") < at("sense plug into")) {
		t.Error("the order is wrong")
	}
}

func TestNoStepsWithoutABMS(t *testing.T) {
	p := plan()
	p.BMS = nil
	if ss := build.Steps(p); ss != nil {
		t.Errorf("%d steps", len(ss))
	}
}

// Each of several strings has a step to wake it, and from the second on its total is compared first.
func TestStringsAreWokenOneByOne(t *testing.T) {
	p := plan()
	p.BMS = append(p.BMS, build.BMS{ID: "B2", Negative: "K-003.-", Load: "OUT-", Low: "K-003.-", High: "K-004.+",
		Volts: 51.8})
	var wake []build.Step
	for _, s := range build.Steps(p) {
		if strings.HasPrefix(s.Title, "Wake ") {
			wake = append(wake, s)
		}
	}
	if len(wake) != 2 || wake[0].Measure != "" || !strings.Contains(wake[1].Measure, "K-004.+ to K-003.-") ||
		!finding.Blocks(wake[1].Hazards) {
		t.Errorf("%+v", wake)
	}
}

func TestFirstLoadKeepsToTheLimits(t *testing.T) {
	text := func(p build.Plan) string {
		ss := build.Steps(p)
		return ss[len(ss)-2].Do
	}
	p := plan()
	if s := text(p); !strings.Contains(s, "46 A") {
		t.Error(s)
	}
	p.LoadAmps = 12
	if s := text(p); !strings.Contains(s, "12 A") {
		t.Error(s)
	}
	p.Order[1].Kind = netlist.Contactor
	for _, s := range build.Steps(p) {
		if strings.Contains(s.Title, "contactor") &&
			slices.ContainsFunc(s.Hazards, func(f finding.Finding) bool { return f.Code == "interrupt" }) {
			t.Error("a contactor is spoken of as a fuse")
		}
	}
}

// Grouping keeps every step, in its order, and draws together only what differs in nothing but its place.
func TestGroupedKeepsEverything(t *testing.T) {
	steps := []build.Step{{Number: 1, Title: "Prepare", Do: "a"}, {Number: 2, Kind: "bar", What: "L1", Do: "b",
		Expect: "0"}, {Number: 3, Kind: "bar", What: "L2", Do: "b", Expect: "0"}, {Number: 4, Kind: "bar", What: "L3",
		Do: "b", Expect: "1", ExposedVolts: 50}, {Number: 5, Kind: "bar", What: "L4", Do: "other"}, {Number: 6,
		Title: "x", Do: "a"}, {Number: 7, Title: "y", Do: "a"}}
	got := build.Grouped(steps)
	n := 0
	for _, g := range got {
		for _, s := range g.Steps {
			if n++; s.Number != n {
				t.Fatalf("step %d comes as number %d", s.Number, n)
			}
		}
	}
	if n != len(steps) || len(got) != 5 {
		t.Fatalf("%d steps in %d groups", n, len(got))
	}
	if g := got[1]; g.Title != "Three bars "+
		"alike" || g.Expect != "" || g.First() != 2 || g.Last() != 4 || g.Reach() != 50 {
		t.Errorf("%+v", g)
	}
}

// No hazard is lost in a group: what all have stands at its head, what one has stands at that one.
func TestGroupedKeepsEveryHazard(t *testing.T) {
	stop := finding.Finding{Level: finding.Stop, Code: "parallel", Text: "x"}
	dust := finding.Finding{Level: finding.Caution, Code: "dust", Text: "y"}
	steps := []build.Step{{Number: 1, Kind: "bar", Do: "b", Hazards: []finding.Finding{dust}}, {Number: 2, Kind: "bar",
		Do: "b", Hazards: []finding.Finding{dust, stop}}}
	got := build.Grouped(steps)
	if len(got) != 1 || len(got[0].Hazards) != 1 || got[0].Hazards[0].Code != "dust" {
		t.Fatalf("%+v", got)
	}
	for i, want := range []int{0, 1} {
		if own := got[0].Own(steps[i]); len(own) != want {
			t.Errorf("step %d: %+v", i+1, own)
		}
	}
}

// Above the limit of touch the links that bring it within reach are left for last: the bare work of the sense leads is
// done before, on parts below it; below the limit all bars go in first.
func TestLinksThatPassTheTouchLimitAreLeftForLast(t *testing.T) {
	p := plan()
	p.FullVolts, p.Order = 168, nil
	for i, v := range []float64{32.2, 32.2, 48.3, 96.5, 161} {
		p.Order = append(p.Order, wiring.BuildStep{Conductor: fmt.Sprintf("L%d", i+1), Kind: netlist.Bar, ExposedV: v})
	}
	p.Order = append(p.Order, wiring.BuildStep{Conductor: "F1", Kind: netlist.Fuse, ExposedV: 161})
	ss := build.Steps(p)
	at := func(part string) int {
		k := slices.IndexFunc(ss, func(s build.Step) bool { return strings.Contains(s.Title, part) })
		if k < 0 {
			t.Fatalf("no step %s", part)
		}
		return k
	}
	for _, pair := range [][2]string{{"L3", "Connect B−"}, {"Fit the sense leads", "L4"}, {"L4", "L5"},
		{"L5", "Measure every sense lead"}, {"Measure every sense lead", "F1"}, {"F1", "sense plug"}} {
		if at(pair[0]) > at(pair[1]) {
			t.Errorf("%s comes after %s", pair[0], pair[1])
		}
	}
	for _, s := range ss {
		if strings.HasPrefix(s.Title, "Fit the sense leads") || strings.HasPrefix(s.Title, "Connect B−") {
			for _, before := range ss[:s.Number-1] {
				if before.ExposedVolts > p.TouchVolts {
					t.Errorf("%s with %.1f V within reach", s.Title, before.ExposedVolts)
				}
			}
		}
	}
}

// A sheet has one limit at which anything is joined in parallel.
func TestASheetHasOneJoiningLimit(t *testing.T) {
	for _, limit := range []float64{0, 0.032, 0.405} {
		p := plan()
		p.JoinVolts = limit
		p.Order[0].Parallels = true
		p.BMS = append(p.BMS, build.BMS{ID: "B2", Negative: "K-003.-", Load: "OUT-", Low: "K-003.-", High: "K-004.+"})
		want := fmt.Sprintf("%.0f mV", max(limit, map[bool]float64{true: 0.050}[limit == 0])*1000)
		said := 0
		for _, s := range build.Steps(p) {
			for _, h := range s.Hazards {
				if h.Code == "parallel" {
					said++
					if want := max(limit, map[bool]float64{true: 0.050}[limit == 0]); *h.Limit != want ||
						strings.Contains(h.Do, "mV") && !strings.Contains(h.Do, fmt.Sprintf("%.0f mV", want*1000)) {
						t.Errorf("%s: %+v, expected %v V", s.Title, h, want)
					}
				}
			}
			if strings.Contains(s.Expect, "totals within") && !strings.Contains(s.Expect, want) {
				t.Errorf("%s: %s, expected %s", s.Title, s.Expect, want)
			}
		}
		if said < 2 {
			t.Errorf("said %d times", said)
		}
	}
}
