package grade_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
)

func good() grade.Evidence {
	return grade.Evidence{Module: "K-031", RatedAh: 46, CapacityAh: 39.1, UncertaintyAh: 0.3, Complete: true,
		ResistanceMOhm: 13, TypeMedianMOhm: 12.5, Survey: "ok", Looked: true}
}

func ExampleJudgeEvidence() {
	g, _ := grade.JudgeEvidence(good(), grade.DefaultPolicy)
	fmt.Println(g.Class, g.Fitness, g.Reasons[0].Text)
	// Output: A accept 39.1 of 46.0 Ah rated: 85.0 %. Class A starts at 80 %.
}

func TestJudge(t *testing.T) {
	with := func(f func(*grade.Evidence)) grade.Evidence { e := good(); f(&e); return e }
	cases := []struct {
		name    string
		e       grade.Evidence
		class   grade.Class
		fitness grade.Fitness
		reason  string
	}{
		{"healthy", good(), grade.A, grade.Accept, "state-of-health"},
		{"class B", with(func(e *grade.Evidence) { e.CapacityAh = 32 }), grade.B, grade.Accept, "state-of-health"},
		{"class C", with(func(e *grade.Evidence) { e.CapacityAh = 25 }), grade.C, grade.Watch, "state-of-health"},
		{"too little", with(func(e *grade.Evidence) { e.CapacityAh = 20 }), grade.D, grade.Reject, "state-of-health"},
		{"at the edge", with(func(e *grade.Evidence) { e.CapacityAh = 36.9 }), grade.A, grade.Accept, "borderline"},
		{"high resistance", with(func(e *grade.Evidence) { e.ResistanceMOhm = 30 }), grade.C, grade.Watch,
			"resistance"},
		{"leaking", with(func(e *grade.Evidence) { e.Leaking = true }), grade.D, grade.Reject, "leaking"},
		{"once too low", with(func(e *grade.Evidence) { e.EverBelowNever = true }), grade.D, grade.Reject,
			"once-below-never-recharge"},
		{"flood", with(func(e *grade.Evidence) { e.FloodOrRecall = true }), grade.D, grade.Reject, "history"},
		{"isolation", with(func(e *grade.Evidence) { e.IsolationFailed = true }), grade.D, grade.Reject, "isolation"},
		{"a stop stands", with(func(e *grade.Evidence) {
			e.Stops = []finding.Finding{{Level: finding.Stop, Code: "swollen", Do: "x"}}
		}), grade.D, grade.Reject, "swollen"},
		{"only part of a discharge", with(func(e *grade.Evidence) { e.Complete = false }), grade.Open, grade.NotYet,
			"no-capacity"},
		{"untested but flooded", with(func(e *grade.Evidence) { e.CapacityAh = 0; e.FloodOrRecall = true }), grade.D,
			grade.Reject, "history"},
		{"suspect group", with(func(e *grade.Evidence) { e.Survey = "suspect" }), grade.A, grade.Watch,
			"survey-suspect"},
		{"a group to watch", with(func(e *grade.Evidence) { e.Survey = "watch" }), grade.A, grade.Watch,
			"survey-watch"},
		{"exactly 80 %", with(func(e *grade.Evidence) { e.CapacityAh, e.RatedAh = 161.6, 202 }), grade.A,
			grade.Accept, "state-of-health"},
		{"just below 80 %", with(func(e *grade.Evidence) { e.CapacityAh, e.RatedAh = 161.5, 202 }), grade.B,
			grade.Accept, "state-of-health"},
		{"79.96 % is not shown as 80", with(func(e *grade.Evidence) {
			e.CapacityAh, e.RatedAh,
				e.UncertaintyAh = 79.96, 100, 0
		}), grade.B, grade.Accept, "state-of-health"},
		{"never looked at", with(func(e *grade.Evidence) { e.Looked = false }), grade.A, grade.NotYet, "no-look"},
		{"class C never surveyed", with(func(e *grade.Evidence) { e.CapacityAh = 25; e.Survey = "" }), grade.C,
			grade.NotYet, "no-survey"},
		{"held", with(func(e *grade.Evidence) {
			e.Holds = []finding.Finding{{Level: finding.Stop, Code: "dented", Do: "x"}}
		}), grade.A, grade.NotYet, "dented"},
		{"by hand, conditions not known", with(func(e *grade.Evidence) { e.ByHand = true }), grade.A, grade.Accept,
			"conditions-unknown"},
		{"two results", with(func(e *grade.Evidence) { e.Others = []float64{44} }), grade.A, grade.Accept,
			"results-differ"},
		{"a gap within one class", with(func(e *grade.Evidence) { e.HighAh = 40 }), grade.A, grade.Accept,
			"state-of-health"},
		{"a gap across a limit", with(func(e *grade.Evidence) { e.CapacityAh, e.HighAh = 36, 38 }), grade.Open,
			grade.NotYet, "gap-open"},
		{"never surveyed", with(func(e *grade.Evidence) { e.Survey = "" }), grade.A, grade.NotYet, "no-survey"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			g, err := grade.JudgeEvidence(c.e, grade.DefaultPolicy)
			if err != nil || g.Class != c.class || g.Fitness != c.fitness {
				t.Errorf("%s: %v %v, %v", c.name, g.Class, g.Fitness, err)
			}
			for _, f := range g.Reasons {
				if strings.Contains(f.Text, "80.0 %") && g.Class == grade.B || f.Do == "No action needed." {
					t.Errorf("%s: %q", c.name, f.Text+" "+f.Do)
				}
			}
			if !slices.ContainsFunc(g.Reasons, func(f finding.Finding) bool {
				return f.Code == c.reason && f.Do != ""
			}) {
				t.Errorf("%s: reasons %+v", c.name, g.Reasons)
			}
		})
	}
}

// More capacity never gives a worse class, and the same share of another rating gives the same.
func TestMonotoneAndScaleFree(t *testing.T) {
	order := []grade.Class{grade.D, grade.C, grade.B, grade.A}
	last := 0
	for ah := 10.0; ah < 50; ah += 0.5 {
		e := good()
		e.CapacityAh = ah
		g, _ := grade.JudgeEvidence(e, grade.DefaultPolicy)
		if i := slices.Index(order, g.Class); i < last {
			t.Fatalf("class fell at %v Ah", ah)
		} else {
			last = i
		}
		e.CapacityAh, e.RatedAh, e.UncertaintyAh = 3*ah, 3*46, 0.9
		if h, _ := grade.JudgeEvidence(e, grade.DefaultPolicy); h.Class != g.Class || h.Borderline != g.Borderline {
			t.Fatalf("three times the size changed the class at %v Ah", ah)
		}
	}
}

func TestUnusable(t *testing.T) {
	for _, e := range []grade.Evidence{{CapacityAh: 3}, {RatedAh: -1}, {RatedAh: 4, CapacityAh: math.NaN()},
		{RatedAh: 4, CapacityAh: -2}} {
		if _, err := grade.JudgeEvidence(e, grade.DefaultPolicy); err == nil {
			t.Errorf("%+v was graded", e)
		}
	}
}

// Figures compare at 25 ± 5 °C, up to C/2 and down to the floor: what was taken otherwise is marked, and keeps
// its class.
func TestConditionsThatDoNotCompareAreMarked(t *testing.T) {
	c := func(v float64) *float64 { return &v }
	for _, x := range []struct {
		name string
		to   func(e *grade.Evidence)
		code string
	}{
		{"20 °C", func(e *grade.Evidence) { e.TempC = c(20) }, ""},
		{"30 °C", func(e *grade.Evidence) { e.TempC = c(30) }, ""},
		{"70 °C", func(e *grade.Evidence) { e.TempC = c(70) }, "off-temperature"},
		{"−15 °C", func(e *grade.Evidence) { e.TempC = c(-15) }, "off-temperature"},
		{"C/2", func(e *grade.Evidence) { e.Amps = e.CapacityAh / 2 }, ""},
		{"11 C", func(e *grade.Evidence) { e.Amps = 11 * e.CapacityAh }, "off-rate"},
		{"to the floor", func(e *grade.Evidence) { e.LowestEndVolts, e.FloorVolts = 2.98, 3 }, ""},
		{"0.5 V below the floor", func(e *grade.Evidence) { e.LowestEndVolts, e.FloorVolts = 2.5, 3 }, "below-floor"},
		{"nothing known of the end", func(e *grade.Evidence) { e.LowestEndVolts, e.FloorVolts = 0, 3 }, ""},
	} {
		e := good()
		e.TempC, e.Amps = nil, 0
		plain, err := grade.JudgeEvidence(e, grade.DefaultPolicy)
		if err != nil {
			t.Fatal(err)
		}
		x.to(&e)
		g, err := grade.JudgeEvidence(e, grade.DefaultPolicy)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		for _, r := range g.Reasons {
			if strings.HasPrefix(r.Text, "Marked:") {
				got += r.Code
			}
		}
		if got != x.code || g.Class != plain.Class {
			t.Errorf("%s: marked %q, expected %q; class %s, %s", x.name, got, x.code, g.Class, plain.Class)
		}
	}
}
