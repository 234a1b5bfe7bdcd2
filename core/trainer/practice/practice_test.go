package practice_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/core/trainer/practice"
)

func ExampleNew() {
	p, _ := practice.New("seven-pins", 1)
	fmt.Println(p.Truth.Series, p.Truth.MainNegative, p.Truth.MainPositive)
	// Output: 7 [A- X1] [A+ X8]
}

// Whoever follows the guide and the map must get every puzzle right: that is what is taught.
func TestTheGuideSolvesEveryCase(t *testing.T) {
	for _, c := range practice.Cases() {
		for seed := range uint64(40) {
			p, err := practice.New(c.Key, seed)
			if err != nil {
				t.Fatal(err)
			}
			var rs []layout.Reading
			points := append(append([]string{p.Posts[0]}, p.Pins...), p.Posts[1:]...)
			opt := layout.Options{Chemistry: p.Chemistry}
			for range 60 {
				next, done := layout.Guide(points, rs, nil, opt)
				if done {
					break
				}
				v, err := p.Read(next.Red, next.Black, len(rs))
				if err != nil {
					t.Fatal(err)
				}
				rs = append(rs, layout.Reading{Red: next.Red, Black: next.Black, Volts: v, LastDigit: 0.001})
			}
			m, err := layout.Solve(rs, opt)
			if err != nil || m.Series == 0 {
				t.Fatalf("%s, seed %d: series %d, %v, %v", c.Key, seed, m.Series, err, m.Findings)
			}
			odd := 0
			var volts []float64
			for _, g := range m.Groups {
				volts = append(volts, g.Volts)
			}
			slices.Sort(volts)
			for _, g := range m.Groups {
				if len(volts) > 2 && math.Abs(g.Volts-volts[len(volts)/2]) > 0.05 && g.Tapped {
					odd = g.Index
				}
			}
			isolated := ""
			if p.AskIsolation { // both ends against the case, as the rule says
				for _, end := range []string{m.MainPositive[0], m.MainNegative[0]} {
					v, err := p.Read(end, practice.CasePoint, len(rs))
					if err != nil {
						t.Fatal(err)
					}
					rs = append(rs, layout.Reading{Red: end, Black: practice.CasePoint, Volts: v, LastDigit: 0.001})
				}
				judged, err := layout.Solve(rs, opt)
				if err != nil {
					t.Fatal(err)
				}
				isolated = practice.IsolationKept
				if judged.Isolation.Verdict != "ok" {
					isolated = practice.IsolationLost
				}
			}
			right, fs := p.Judge(practice.Answer{Series: m.Series, Negative: m.MainNegative[0],
				Positive: m.MainPositive[0], OddGroup: odd, Isolated: isolated}, len(rs))
			if !right {
				t.Errorf("%s, seed %d: %+v, readings %d", c.Key, seed, fs, len(rs))
			}
			if p.Guided() != len(rs) {
				t.Errorf("%s, seed %d: fewest %d, the guide took %d", c.Key, seed, p.Guided(), len(rs))
			}
		}
	}
}

func TestReadingsAreRepeatableAndNoisy(t *testing.T) {
	a, _ := practice.New("nasty", 7)
	b, _ := practice.New("nasty", 7)
	seen := map[float64]bool{}
	for n := range 30 {
		x, err1 := a.Read("X3", "A-", n)
		y, err2 := b.Read("X3", "A-", n)
		if err1 != nil || err2 != nil || x != y {
			t.Fatalf("reading %d: %v and %v, %v", n, x, y, err1)
		}
		z, _ := a.Read("A-", "X3", n)
		if math.Abs(x+z) > 0.01 {
			t.Errorf("swapped probes: %v and %v", x, z)
		}
		seen[x] = true
	}
	if len(seen) < 2 {
		t.Error("the meter has no noise")
	}
	if other, _ := practice.New("nasty", 8); fmt.Sprint(other.Truth) == fmt.Sprint(a.Truth) {
		if again, _ := practice.New("nasty", 9); fmt.Sprint(again.Truth) == fmt.Sprint(a.Truth) {
			t.Error("another seed gives the same module")
		}
	}
}

// Against a case that leaks, the readings of both ends add up to the module's voltage less what the
// meter's own resistance takes, whichever probe is on the case.
func TestReadingsAgainstTheCase(t *testing.T) {
	lost := 0
	for seed := range uint64(30) {
		p, _ := practice.New("lost-isolation", seed)
		whole, _ := p.Read("A+", "A-", 0)
		a, err1 := p.Read("A+", practice.CasePoint, 1)
		b, err2 := p.Read(practice.CasePoint, "A-", 2)
		if err1 != nil || err2 != nil {
			t.Fatal(err1, err2)
		}
		if p.Truth.Isolation == "" {
			if math.Abs(a) > 0.01 || math.Abs(b) > 0.01 {
				t.Errorf("seed %d: isolated, and reads %v and %v", seed, a, b)
			}
			continue
		}
		lost++
		if math.Abs(a+b-whole) > 0.02 {
			t.Errorf("seed %d: %v + %v against %v", seed, a, b, whole)
		}
		if ok, _ := p.Judge(practice.Answer{Series: 5, Negative: "A-", Positive: "A+",
			Isolated: practice.IsolationKept}, 5); ok {
			t.Errorf("seed %d: 'kept' passed", seed)
		}
	}
	if lost < 5 || lost > 28 {
		t.Errorf("%d of 30 have lost their isolation: the answer could be guessed", lost)
	}
	p, _ := practice.New("lost-isolation", 1)
	for _, pair := range [][2]string{{practice.CasePoint, practice.CasePoint}, {practice.CasePoint, "Q"},
		{"Q", practice.CasePoint}} {
		if _, err := p.Read(pair[0], pair[1], 0); err == nil {
			t.Errorf("%v was read", pair)
		}
	}
}

func TestWrongAnswersAreToldApart(t *testing.T) {
	p, _ := practice.New("odd-group", 3)
	right := practice.Answer{Series: 6, Negative: "A-", Positive: "X7", OddGroup: p.Truth.OddGroup}
	if ok, fs := p.Judge(right, 9); !ok || finding.Worst(fs) != finding.Note {
		t.Errorf("the truth was faulted: %+v", fs)
	}
	for i, f := range []func(*practice.Answer){
		func(a *practice.Answer) { a.Series = 7 }, func(a *practice.Answer) {
			a.Negative, a.Positive = a.Positive,
				a.Negative
		}, func(a *practice.Answer) { a.OddGroup = 0 }, func(a *practice.Answer) { a.Positive = "" },
	} {
		a := right
		f(&a)
		if ok, fs := p.Judge(a, 9); ok || finding.Worst(fs) != finding.Caution {
			t.Errorf("wrong answer %d passed: %+v", i, fs)
		}
	}
	if _, err := practice.New("juggling", 1); err == nil {
		t.Error("a case that does not exist")
	}
	for _, pair := range [][2]string{{"A-", "A-"}, {"A-", "Q9"}} {
		if _, err := p.Read(pair[0], pair[1], 0); err == nil {
			t.Errorf("%v was read", pair)
		}
	}
}
