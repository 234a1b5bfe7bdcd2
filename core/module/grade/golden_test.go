package grade_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/golden"
)

func TestWhereGradesChange(t *testing.T) {
	with := func(f func(e *grade.Evidence)) grade.Evidence { e := good(); f(&e); return e }
	half := with(func(e *grade.Evidence) {
		e.ByHand, e.Amps, e.TempC, e.EndVolts, e.LowestEndVolts, e.FloorVolts = true, 9, finding.Of(21), 3.05, 3.02, 3.0
		e.Others, e.HighAh = []float64{38, 39.5, 40}, 40
	})
	low := with(func(e *grade.Evidence) { e.CapacityAh, e.Survey, e.Leaking = 27.6, "balance", true })
	open := with(func(e *grade.Evidence) { e.CapacityAh, e.Complete = 0, false })
	golden.Judged(t, "grade", []golden.Case[grade.Evidence]{{Name: "good", In: good(), Words: true},
		{Name: "by hand", In: half},
		{Name: "low", In: low}, {Name: "not tested", In: open}, {Name: "suspect", In: with(func(e *grade.Evidence) {
			e.Survey = "suspect"
		})}, {Name: "never looked at", In: with(func(e *grade.Evidence) { e.Looked = false })},
		{Name: "to be read again", In: with(func(e *grade.Evidence) { e.Survey = "reread" })}},
		func(e grade.Evidence) (any, error) {
			g, err := grade.JudgeEvidence(e, grade.DefaultPolicy)
			if err != nil {
				return nil, err
			}
			uses := grade.NextUse(g, e, grade.Known{Series: 7, EndedBy: 3, BalancedAh: e.CapacityAh + 3, OthersAh: 41},
				grade.DefaultPolicy)
			return []any{g, uses, grade.UseWords(uses), g.Class.Name()}, nil
		})
	golden.Judged(t, "uses", []golden.Case[grade.Known]{{Name: "ended by one", In: grade.Known{Series: 7, EndedBy: 3,
		BalancedAh: 33, OthersAh: 36}}, {Name: "nothing known", In: grade.Known{}}}, func(k grade.Known) (any, error) {
		e := with(func(e *grade.Evidence) { e.CapacityAh = 20 })
		g, err := grade.JudgeEvidence(e, grade.DefaultPolicy)
		return grade.NextUse(g, e, k, grade.DefaultPolicy), err
	})
	golden.Judged(t, "policy", []golden.Case[grade.Policy]{{Name: "as it is", In: grade.DefaultPolicy}},
		func(p grade.Policy) (any, error) {
			if err := p.Check(); err != nil {
				return nil, err
			}
			return []any{p.ByCapacity(37, 46), p.ByCapacity(30, 46), p.ByCapacity(24, 46),
				p.Looser(grade.DefaultPolicy)}, nil
		})
	type share struct{ Ah, Rated float64 }
	golden.Judged(t, "class", []golden.Case[share]{{Name: "of 50 Ah", In: share{40, 50}}}, func(s share) (any, error) {
		return grade.DefaultPolicy.ByCapacity(s.Ah, s.Rated), nil
	})
	var behind []string
	for i := range 16 {
		a, b := grade.Behind(i&1 > 0, i&2 > 0, i&4 > 0, i&8 > 0)
		behind = append(behind, a, b)
	}
	golden.Same(t, "behind", golden.Text([]any{behind, grade.Shown(79.99), grade.Shown(80), grade.Shown(59.95)}))
}
