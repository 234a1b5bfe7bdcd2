package parts_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/test/parts"
)

func whole(from, to int, ah float64) parts.Tested {
	return parts.Tested{From: from, To: to, Ah: ah, UncertaintyAh: 0.3, Complete: true}
}

func TestPartsMakeTheModule(t *testing.T) {
	part := whole(7, 12, 50)
	part.Complete = false
	for name, c := range map[string]struct {
		series   int
		tests    []parts.Tested
		ah       float64
		complete bool
		most     float64
		missing  int
		code     string
	}{
		"two halves that agree": {12, []parts.Tested{whole(1, 6, 45), whole(7, 12, 45.5)}, 45, true, 45, 0,
			"parts-alike"},
		"two halves apart": {12, []parts.Tested{whole(7, 12, 45), whole(1, 6, 42)}, 42, true, 42, 0, "parts-differ"},
		"two halves far apart": {12, []parts.Tested{whole(1, 6, 30), whole(7, 12, 45)}, 30, true, 30, 0,
			"parts-far-apart"},
		"one half":                 {12, []parts.Tested{whole(1, 6, 45)}, 0, false, 45, 6, "parts-missing"},
		"the other half cut short": {12, []parts.Tested{whole(1, 6, 45), part}, 0, false, 45, 6, "parts-missing"},
		"a later test does not count": {2, []parts.Tested{whole(1, 1, 40), whole(2, 2, 44), whole(1, 1, 50)}, 40,
			true, 40, 0, ""},
		"single groups, one weak": {4, []parts.Tested{whole(4, 4, 40), whole(2, 2, 41), whole(1, 1, 40.5),
			whole(3, 3, 31)}, 31, true, 31, 0, "weak-group"},
		"the whole as one part": {4, []parts.Tested{whole(1, 4, 40)}, 40, true, 40, 0, ""},
		"nothing":               {4, nil, 0, false, 0, 4, ""},
	} {
		t.Run(name, func(t *testing.T) {
			j, err := parts.Join(c.series, c.tests)
			if err != nil || j.Ah != c.ah || j.Complete != c.complete || j.AtMostAh != c.most ||
				len(j.Missing) != c.missing {
				t.Fatalf("%+v, %v", j, err)
			}
			if c.code != "" && !slices.ContainsFunc(j.Findings, func(f finding.Finding) bool {
				return f.Code == c.code && f.Do != ""
			}) {
				t.Errorf("no %s in %+v", c.code, j.Findings)
			}
		})
	}
	for _, bad := range []parts.Tested{whole(0, 1, 4), whole(2, 1, 4), whole(3, 5, 4), whole(1, 1, math.NaN())} {
		if _, err := parts.Join(4, []parts.Tested{bad}); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// The figure does not hang on the order of parts that do not overlap, and is never above any part's.
func TestTheWeakestPartDecides(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 500 {
		series := 2 + rng.IntN(20)
		var tests []parts.Tested
		least := math.Inf(1)
		for g := 1; g <= series; {
			to := min(series, g+rng.IntN(4))
			ah := 20 + 30*rng.Float64()
			least = min(least, ah)
			tests = append(tests, whole(g, to, ah))
			g = to + 1
		}
		rng.Shuffle(len(tests), func(i, k int) { tests[i], tests[k] = tests[k], tests[i] })
		j, err := parts.Join(series, tests)
		if err != nil || !j.Complete || j.Ah != least || j.Ah-j.UncertaintyAh > least-0.3+1e-9 {
			t.Fatalf("%+v of %+v, %v", j, tests, err)
		}
		for _, p := range j.Parts {
			if p.SparesAh < 0 || math.Abs(p.Ah-p.SparesAh-least) > 1e-9 {
				t.Fatalf("%+v", p)
			}
		}
	}
}

func TestWhatAPartWantsBack(t *testing.T) {
	c, _ := chem.Lookup(chem.NMC)
	at := func(soc float64) parts.State { return parts.State{RestVolts: c.Curve.Volts(soc)} }
	floor := parts.State{AtFloor: true}
	for name, c := range map[string]struct {
		states  []parts.State
		moves   []parts.Move
		matched bool
	}{
		"one group left at the floor": {[]parts.State{at(0.5), floor, at(0.5)}, []parts.Move{{From: 2, To: 2,
			Ah: 20}}, false},
		"a half left at the floor": {[]parts.State{floor, floor, at(0.6), at(0.6)}, []parts.Move{{From: 1, To: 2,
			Ah: 24}}, false},
		"both halves at the floor": {[]parts.State{floor, floor}, nil, true},
		"matched":                  {[]parts.State{at(0.5), at(0.52), at(0.5)}, nil, true},
		"two apart, unlike": {[]parts.State{at(0.8), at(0.2), at(0.5)}, []parts.Move{{From: 2, To: 2,
			Ah: 24}, {From: 3, To: 3, Ah: 12}}, false},
	} {
		t.Run(name, func(t *testing.T) {
			moves, matched, err := parts.Return(c.states, chem.NMC, 40)
			if err != nil || matched != c.matched || len(moves) != len(c.moves) {
				t.Fatalf("%+v, %v, %v", moves, matched, err)
			}
			for i, m := range moves {
				if m.From != c.moves[i].From || m.To != c.moves[i].To || math.Abs(m.Ah-c.moves[i].Ah) > 0.3 || m.Wide {
					t.Errorf("%+v: expected %+v", m, c.moves[i])
				}
			}
		})
	}
	lfp, _ := chem.Lookup(chem.LFP)
	moves, _, err := parts.Return([]parts.State{{RestVolts: lfp.Curve.Volts(0.5)}, {AtFloor: true}}, chem.LFP, 100)
	if err != nil || len(moves) != 1 || !moves[0].Wide {
		t.Errorf("on the flat of LFP a figure from volts is a guide: %+v, %v", moves, err)
	}
	if _, _, err := parts.Return([]parts.State{{}, {AtFloor: true}}, chem.LFP, 100); err == nil {
		t.Error("a group that nobody read is taken for one")
	}
}

func ExampleJoin() {
	j, _ := parts.Join(12, []parts.Tested{{From: 1, To: 6, Ah: 44.1, UncertaintyAh: 0.3, Complete: true},
		{From: 7, To: 12, Ah: 40.2, UncertaintyAh: 0.3, Complete: true}})
	f := j.Findings[0]
	fmt.Printf("%.1f Ah, limited by %s\n%s: %.1f Ah, limit %g Ah\n", j.Ah,
		parts.Name(j.WeakestFrom, j.WeakestTo), f.Code, *f.Measured, *f.Limit)
	// Output:
	// 40.2 Ah, limited by groups 7 to 12
	// parts-differ: 3.9 Ah, limit 1.206 Ah
}

func BenchmarkJoin(b *testing.B) {
	var tests []parts.Tested
	for g := 1; g <= 96; g++ {
		tests = append(tests, whole(g, g, 40+float64(g%7)))
	}
	for b.Loop() {
		if _, err := parts.Join(96, tests); err != nil {
			b.Fatal(err)
		}
	}
}

// 'At least' stays a lower bound: parts of which each gave something at least give a module that holds the least of
// these, and never a roof; a part of which nothing is known leaves nothing below.
func TestAtLeastStaysALowerBound(t *testing.T) {
	part := func(from, to int, ah float64, complete bool) parts.Tested {
		return parts.Tested{From: from, To: to, Ah: ah, Complete: complete}
	}
	for _, c := range []struct {
		name        string
		tests       []parts.Tested
		least, most float64
		whole       bool
	}{
		{"both at least", []parts.Tested{part(1, 6, 40, false), part(7, 12, 36, false)}, 36, 0, false},
		{"one known, one at least", []parts.Tested{part(1, 6, 44, true), part(7, 12, 36, false)}, 36, 44, false},
		{"one at least", []parts.Tested{part(1, 6, 40, false)}, 0, 0, false},
		{"one known", []parts.Tested{part(1, 6, 44, true)}, 0, 44, false},
		{"the better of two at least", []parts.Tested{part(1, 12, 30, false), part(1, 12, 39, false)}, 39, 0, false},
		{"both known", []parts.Tested{part(1, 6, 44, true), part(7, 12, 46, true)}, 44, 44, true},
	} {
		j, err := parts.Join(12, c.tests)
		if err != nil || math.Abs(j.AtLeastAh-c.least) > 1e-9 || j.AtMostAh != c.most || j.Complete != c.whole {
			t.Errorf("%s: at least %g, at most %g, complete %v, %v", c.name, j.AtLeastAh, j.AtMostAh, j.Complete, err)
		}
	}
}

// What a module gives at least is that of its least group, the last as much as any.
func TestTheLastGroupCounts(t *testing.T) {
	for _, last := range []float64{10, 30} {
		j, err := parts.Join(4, []parts.Tested{{From: 1, To: 3, Ah: 40}, {From: 4, To: 4, Ah: last}})
		if err != nil || j.AtLeastAh > last+1e-9 {
			t.Errorf("at least %v Ah with a group of %v: %v", j.AtLeastAh, last, err)
		}
	}
}
