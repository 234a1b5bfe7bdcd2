package whole_test

import (
	"maps"
	"slices"
	"testing"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/survey"
)

// A discharge of a whole bank is a reading of each of its groups, too: one that stood where none may is a stop,
// whatever the sum says.
func TestGroupsOfAWholeTestAreHeld(t *testing.T) {
	e := whole.Expected{Bank: whole.Bank{Name: "kiosk", Series: 3, Chemistry: chem.NMC, Ah: 50}}
	at := func(start, rest float64) []finding.Finding {
		x := whole.Test{CapacityAh: 48, FromFull: true, EndedBy: 2, EndVolts: 3.05, AtStart: []float64{4.15, start,
			4.15}, AtRest: []float64{3.4, rest, 3.4}}
		_, fs, err := whole.JudgeTest(x, e)
		if err != nil {
			t.Fatal(err)
		}
		return fs
	}
	for _, c := range []struct {
		name        string
		start, rest float64
		code        string
		v, limit    float64
	}{
		{"driven below at rest", 4.15, 1.99, "group-too-low", 1.99, 2.0},
		{"began below", 1.5, 3.3, "group-too-low", 1.5, 2.0},
		{"reversed after", 4.15, -0.01, "group-reversed", -0.01, 0},
		{"reversed before", -3.9, 3.3, "group-reversed", -3.9, 0},
		{"over before", 4.221, 3.3, "group-too-high", 4.221, 4.22},
	} {
		t.Run(c.name, func(t *testing.T) {
			findingtest.Holds(t, at(c.start, c.rest), c.code, finding.Stop, c.v, c.limit, "V")
		})
	}
	for _, code := range []string{"group-too-low", "group-reversed", "group-too-high"} {
		findingtest.Lacks(t, at(4.22, 2.0), code)
	}
	// What is put down to the meter is that for every chemistry, whatever a sum of decimals rounds to.
	for _, k := range chem.All() {
		full := k.ChargeLimitVolts + 0.02
		_, fs, err := whole.JudgeTest(whole.Test{CapacityAh: 48, AtStart: []float64{full}}, whole.Expected{
			Bank: whole.Bank{Series: 1, Chemistry: k.ID}})
		if err != nil {
			t.Fatal(err)
		}
		findingtest.Lacks(t, fs, "group-too-high")
	}
	x := whole.Test{CapacityAh: 48, FromFull: true, EndedBy: 2, EndVolts: 1.99}
	_, fs, _ := whole.JudgeTest(x, e)
	findingtest.Holds(t, fs, "driven-too-low", finding.Stop, 1.99, 2.0, "V")
	x.EndVolts = 2.0
	_, fs, _ = whole.JudgeTest(x, e)
	findingtest.Lacks(t, fs, "driven-too-low")
	st, err := whole.JudgeSurvey(whole.Bank{Name: "kiosk", Series: 3}, []float64{3.7, 3.7, 3.7}, 60, 0.004,
		survey.DefaultPolicy)
	if err != nil {
		t.Fatal(err)
	}
	findingtest.Holds(t, st.Findings, "bank-chemistry", finding.Stop, findingtest.None, findingtest.None, "")
}

// Where groups stood in a survey names the modules that share each, and no other.
func TestGroupsOfASurveyNameTheirModules(t *testing.T) {
	e := whole.Expected{Bank: whole.Bank{Name: "kiosk", Series: 4, Chemistry: chem.NMC, Ah: 50},
		Modules: [][]string{{"K-001"}, {"K-001", "K-002"}, {"K-002"}, {"K-003"}}}
	for _, c := range []struct {
		name  string
		volts []float64
		want  map[int][]string
	}{
		{"all well", []float64{3.7, 2.0, 4.2, 3.7}, map[int][]string{}},
		{"one low", []float64{3.7, 1.99, 3.7, 3.7}, map[int][]string{2: {"K-001", "K-002"}}},
		{"reversed and high", []float64{-0.1, 3.7, 3.7, 4.3}, map[int][]string{1: {"K-001"}, 4: {"K-003"}}},
		{"not read", nil, map[int][]string{}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := map[int][]string{}
			for _, x := range e.StopsAt("in a survey", c.volts) {
				got[x.Group] = x.Modules
				if x.Finding.Level != finding.Stop || x.Volts != c.volts[x.Group-1] {
					t.Errorf("%+v", x)
				}
			}
			if !maps.EqualFunc(got, c.want, slices.Equal) {
				t.Errorf("%v, want %v", got, c.want)
			}
		})
	}
	if got := (whole.Expected{}).StopsAt("in a survey", []float64{0.1}); got != nil {
		t.Errorf("judged with no chemistry: %v", got)
	}
}
