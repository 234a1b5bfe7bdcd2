package lead_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/core/module/lead"
)

// trike is a module of seven groups with doubled end pins and, where dead is given, a pin that carries nothing.
func trike(t testing.TB, dead string) layout.Map {
	t.Helper()
	var rs []layout.Reading
	node := map[string]int{"A-": 0, "A+": 7}
	for i, n := range []int{0, 0, 1, 2, 3, 4, 5, 6, 7, 7} {
		node[fmt.Sprintf("X%d", i+1)] = n
	}
	for p, n := range node {
		if p != "A-" && p != dead {
			rs = append(rs, layout.Reading{Red: p, Black: "A-", Volts: 3.8 * float64(n), AccuracyVolts: 0.002})
			if n > 0 {
				rs = append(rs, layout.Reading{Red: "A+", Black: p, Volts: 3.8 * float64(7-n), AccuracyVolts: 0.002})
			}
		}
	}
	slices.SortFunc(rs, func(a, b layout.Reading) int { return strings.Compare(a.Red+a.Black, b.Red+b.Black) })
	rs = slices.DeleteFunc(rs, func(r layout.Reading) bool { return r.Red == r.Black })
	m, err := layout.Solve(rs, layout.Options{Chemistry: chem.NMC, PlateSeries: 7})
	if err != nil || m.Series != 7 {
		t.Fatalf("%d groups, %v", m.Series, err)
	}
	return m
}

var pins = strings.Fields("X1 X2 X3 X4 X5 X6 X7 X8 X9 X10")

func good(t testing.TB) lead.Lead { return lead.For(trike(t, ""), pins, "10-pin connector") }

func codes(fs []finding.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, f.Code)
	}
	return out
}

func TestTheProposedLeadFits(t *testing.T) {
	a := good(t)
	fs, err := lead.CheckPins(a, trike(t, ""))
	if err != nil || len(fs) > 0 || len(a.Wires) != 8 || len(a.Mates) != 1 {
		t.Errorf("%v %v %+v", fs, err, a)
	}
	// Without its end pins the module needs clips on its posts, and a clip needs a fuse.
	b := lead.For(trike(t, ""), pins[2:8], "6-pin connector")
	fs, err = lead.CheckPins(b, trike(t, ""))
	if err != nil || len(b.Mates) != 3 || !slices.Equal(codes(fs), []string{"clip", "clip"}) {
		t.Errorf("%v %v %+v", fs, err, b.Mates)
	}
}

func TestALeadThatDoesNotFit(t *testing.T) {
	m := trike(t, "X5")
	a := good(t)
	fs, _ := lead.CheckPins(a, m)
	if !slices.Contains(codes(fs), "dead-pin") {
		t.Errorf("a dead pin in use: %v", codes(fs))
	}
	a = good(t)
	a.Wires[2].Point, a.Wires[3].Point = a.Wires[3].Point, a.Wires[2].Point
	fs, _ = lead.CheckPins(a, trike(t, ""))
	if !slices.Equal(codes(fs), []string{"wrong-node", "wrong-node"}) {
		t.Errorf("two wires exchanged on paper: %v", codes(fs))
	}
	a = good(t)
	a.Wires = a.Wires[1:]
	fs, _ = lead.CheckPins(a, trike(t, ""))
	if !slices.Equal(codes(fs), []string{"no-wire"}) {
		t.Errorf("a wire left out: %v", codes(fs))
	}
	for _, spoil := range []func(a *lead.Lead){
		func(a *lead.Lead) { a.Inputs = 1 },
		func(a *lead.Lead) { a.Wires[1].Input = 0 },
		func(a *lead.Lead) { a.Wires[1].Input = 99 },
		func(a *lead.Lead) { a.Wires[1].Point = "Z" },
		func(a *lead.Lead) { a.Mates[0].Points = append(a.Mates[0].Points, a.Mates[0].Points[0]) },
	} {
		a := good(t)
		spoil(&a)
		if _, err := lead.CheckPins(a, trike(t, "")); err == nil {
			t.Errorf("%+v", a)
		}
	}
}

func touched(a lead.Lead) (out []lead.Touch) {
	for _, w := range a.Wires {
		out = append(out, lead.Touch{Point: w.Point, Inputs: []int{w.Input}})
	}
	return out
}

// Every pair of wires that is swapped is found by continuity, and by voltage, and named.
func TestEverySwapIsFound(t *testing.T) {
	a := good(t)
	groups := []float64{3.80, 3.79, 3.81, 3.80, 3.78, 3.80, 3.82}
	expected, err := lead.Expected(a, groups)
	if err != nil {
		t.Fatal(err)
	}
	for i := range a.Wires {
		for k := range i {
			ts := touched(a)
			ts[i].Inputs, ts[k].Inputs = ts[k].Inputs, ts[i].Inputs
			fs, err := lead.JudgeContinuity(a, ts)
			if err != nil || !slices.Equal(codes(fs), []string{"swapped"}) ||
				!strings.Contains(fs[0].Text, a.Wires[i].Point) || !strings.Contains(fs[0].Text, a.Wires[k].Point) {
				t.Errorf("%d, %d: %v %v", i, k, fs, err)
			}
			volts := slices.Clone(expected)
			volts[i], volts[k] = volts[k], volts[i]
			for j := range volts { // the meter's black probe is on input 0, whatever node that is
				if j > 0 {
					volts[j] -= volts[0]
				}
			}
			volts[0] = 0
			v, err := lead.JudgeVolts("lead", expected, volts, 0.01)
			if err != nil || v.Kind == "good" {
				t.Errorf("%d, %d: by voltage %s, %v", i, k, v.Kind, err)
			}
		}
	}
	if v, err := lead.JudgeVolts("lead", expected, expected, 0.01); err != nil || v.Kind != "good" {
		t.Errorf("a good lead: %s %v", v.Kind, err)
	}
}

func TestContinuity(t *testing.T) {
	a := good(t)
	set := func(at int, inputs ...int) func(ts []lead.Touch) {
		return func(ts []lead.Touch) { ts[at].Inputs = inputs }
	}
	for _, c := range []struct {
		name  string
		spoil []func(ts []lead.Touch)
		want  []string
	}{
		{"good", nil, nil},
		{"open", []func([]lead.Touch){set(3)}, []string{"open"}},
		{"two wires touch", []func([]lead.Touch){set(3, 3, 4), set(4, 3, 4)}, []string{"touching"}},
		{"three in a ring", []func([]lead.Touch){set(1, 2), set(2, 3), set(3, 1)},
			[]string{"wrong-input", "wrong-input", "wrong-input"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			ts := touched(a)
			for _, f := range c.spoil {
				f(ts)
			}
			fs, err := lead.JudgeContinuity(a, ts)
			if err != nil || !slices.Equal(codes(fs), c.want) {
				t.Errorf("%s: %v %v", c.name, codes(fs), err)
			}
		})
	}
	if _, err := lead.JudgeContinuity(a, touched(a)[1:]); err == nil {
		t.Error("a pin that was not touched")
	}
	if _, err := lead.JudgeContinuity(a, append(touched(a), lead.Touch{Point: "Z"})); err == nil {
		t.Error("a pin that is not there")
	}
	if _, err := lead.Expected(a, []float64{1}); err == nil {
		t.Error("too few groups")
	}
	if _, err := lead.JudgeVolts("x", []float64{0, 1}, []float64{0, math.NaN()}, 0); err == nil {
		t.Error("not a number")
	}
}

func ExampleJudgeContinuity() {
	a := lead.Lead{Inputs: 3, Mates: []lead.Mate{{Name: "3-pin connector", Points: []string{"X1", "X2", "X3"}}},
		Wires: []lead.Wire{{"X1", 0}, {"X2", 1}, {"X3", 2}}}
	fs, _ := lead.JudgeContinuity(a, []lead.Touch{{"X1", []int{0}}, {"X2", []int{2}}, {"X3", []int{1}}})
	fmt.Println(fs[0].Text)
	// Output: X2 and X3 are swapped: they reach inputs 2 and 1.
}

// A module split over two connectors and a loose clip: the lead is one, its checks are the same, and a
// wire that landed in the other connector is found.
func TestSplitOverTwoConnectorsAndAClip(t *testing.T) {
	a := good(t)
	a.Mates = []lead.Mate{{Name: "lower connector", Points: []string{"X1", "X3", "X4"}}, {Name: "upper connector",
		Points: []string{"X5", "X6", "X7", "X8"}}, {Name: "clip on A+", Clip: true, Points: []string{"A+"}}}
	a.Wires[7].Point = "A+"
	fs, err := lead.CheckPins(a, trike(t, ""))
	if err != nil || !slices.Equal(codes(fs), []string{"clip"}) {
		t.Fatalf("%v %v", codes(fs), err)
	}
	ts := touched(a)
	ts[2].Inputs, ts[3].Inputs = ts[3].Inputs, ts[2].Inputs
	found, err := lead.JudgeContinuity(a, ts)
	if err != nil || !slices.Equal(codes(found), []string{"swapped"}) || !strings.Contains(found[0].Text, "X4 and X5") {
		t.Errorf("%+v %v", found, err)
	}
	a.Mates[1].Points = append(a.Mates[1].Points, "X1")
	if _, err := lead.CheckPins(a, trike(t, "")); err == nil {
		t.Error("one pin in two connectors")
	}
}
