package grade_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
)

func TestLimitsMustFitEachOther(t *testing.T) {
	for name, c := range map[string]struct {
		a, b, c, r float64
		field      string
	}{
		"the rules'":          {0.80, 0.65, 0.50, 2, ""},
		"a strict shop":       {0.90, 0.80, 0.70, 1.5, ""},
		"B above A":           {0.70, 0.75, 0.50, 2, "class_b"},
		"B like A":            {0.70, 0.70, 0.50, 2, "class_b"},
		"no C":                {0.80, 0.65, 0, 2, "class_c"},
		"shares as per cent":  {0.008, 0.0065, 0.005, 2, "class_c"},
		"per cent as numbers": {80, 65, 50, 2, "class_a"},
		"no resistance cap":   {0.80, 0.65, 0.50, 0, "resistance"},
		"half the median":     {0.80, 0.65, 0.50, 0.5, "resistance"},
	} {
		t.Run(name, func(t *testing.T) {
			err := grade.Policy{ClassA: c.a, ClassB: c.b, ClassC: c.c, ResistanceCap: c.r}.Check()
			var fe *grade.FieldError
			if (err == nil) != (c.field == "") || errors.As(err, &fe) && fe.Field != c.field {
				t.Errorf("%v: expected a complaint of %q", err, c.field)
			}
		})
	}
}

// The class by capacity alone is the one that a clean module gets.
func TestByCapacityIsWhatJudgeSays(t *testing.T) {
	p := grade.Policy{ClassA: 0.9, ClassB: 0.7, ClassC: 0.6, ResistanceCap: 2}
	for ah := 50.0; ah < 110; ah += 0.5 {
		g, err := grade.JudgeEvidence(grade.Evidence{Module: "K", RatedAh: 100, CapacityAh: ah, Complete: true,
			Looked: true,
			Survey: "ok"}, p)
		if err != nil || g.Class != p.ByCapacity(ah, 100) {
			t.Fatalf("%.1f Ah: class %q, by capacity %q, %v", ah, g.Class, p.ByCapacity(ah, 100), err)
		}
	}
	if l := p.Looser(grade.DefaultPolicy); len(l) != 0 {
		t.Errorf("stricter limits are called looser: %v", l)
	}
	if l := grade.DefaultPolicy.Looser(p); len(l) != 3 {
		t.Errorf("%v", l)
	}
}

func TestTheBestUseOfWhatNoBankTakes(t *testing.T) {
	base := grade.Evidence{Module: "K", RatedAh: 100, CapacityAh: 40, Complete: true, Looked: true, Survey: "ok"}
	for name, c := range map[string]struct {
		change func(e *grade.Evidence, k *grade.Known)
		has    []string
		not    []string
	}{
		"weak": {func(*grade.Evidence, *grade.Known) {}, []string{"use-alone", "use-parts"}, []string{"use-none"}},
		"weak by one group": {func(_ *grade.Evidence, k *grade.Known) { k.EndedBy, k.OthersAh = 3, 82 },
			[]string{"use-others", "use-parts"}, nil},
		"out of balance": {func(_ *grade.Evidence, k *grade.Known) { k.BalancedAh = 70 }, []string{"use-balance"}, nil},
		"balancing gains no class": {func(_ *grade.Evidence, k *grade.Known) { k.BalancedAh = 45 }, nil,
			[]string{"use-balance"}},
		"flooded": {func(e *grade.Evidence, _ *grade.Known) { e.FloodOrRecall = true }, []string{"use-none"},
			[]string{"use-alone", "use-parts", "use-others"}},
		"once too low": {func(e *grade.Evidence, k *grade.Known) {
			e.EverBelowNever, k.OthersAh, k.EndedBy = true,
				90, 2
		}, []string{"use-none"}, []string{"use-others", "use-alone"}},
		"leaking": {func(e *grade.Evidence, _ *grade.Known) { e.Leaking = true }, []string{"use-leaking"},
			[]string{"use-alone"}},
		"isolation": {func(e *grade.Evidence, _ *grade.Known) { e.IsolationFailed = true }, []string{"use-isolation"},
			[]string{"use-alone"}},
		"fit for a bank": {func(e *grade.Evidence, _ *grade.Known) { e.CapacityAh = 90 }, nil,
			[]string{"use-parts", "use-alone"}},
	} {
		t.Run(name, func(t *testing.T) {
			e, k := base, grade.Known{Series: 4}
			c.change(&e, &k)
			g, err := grade.JudgeEvidence(e, grade.DefaultPolicy)
			if err != nil {
				t.Fatal(err)
			}
			uses := grade.NextUse(g, e, k, grade.DefaultPolicy)
			has := func(code string) bool {
				return slices.ContainsFunc(uses, func(f finding.Finding) bool { return f.Code == code && f.Do != "" })
			}
			for _, code := range c.has {
				if !has(code) {
					t.Errorf("no %s in %s", code, grade.UseWords(uses))
				}
			}
			for _, code := range c.not {
				if has(code) {
					t.Errorf("%s in %s", code, grade.UseWords(uses))
				}
			}
			if strings.Contains(grade.UseWords(uses), "safe") {
				t.Error("nothing is called safe")
			}
		})
	}
}
