package passage_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/passage"
	"pandrel/golden"
)

// What each fact of a module's record allows and holds, fact by fact.
func TestWherePassageChanges(t *testing.T) {
	solve := func(r passage.Record) (any, error) {
		type at struct {
			Action string
			Says   []finding.Finding
		}
		var all []at
		for a := passage.Action(0); a <= passage.Service; a++ {
			all = append(all, at{a.String(), passage.May(r, a)})
		}
		stops, holds := passage.ForGrading(r)
		return struct {
			Planned, MayAllow bool
			Hold              words
			Stops, Holds      []finding.Finding
			At                []at
		}{r.Planned(), r.MayAllow(), words(passage.Hold(r)), stops, holds, all}, nil
	}
	watch := good()
	watch.Fitness, watch.Allowed = "watch", "AB"
	bare := passage.Record{Number: "K-031"}
	held := good()
	held.Quarantined, held.SurveyHeld, held.LogDoubt, held.PartsApart, held.DeadTap, held.Fitness = "swollen",
		"group 3", "gap",
		"2 Ah apart", "X4", "reject"
	held.OwnMapStops, held.CheckStops, held.Isolation = []string{"A+ is at the other end"}, []string{"reversed"}, "stop"
	golden.Judged(t, "passage", []golden.Case[passage.Record]{{Name: "good", In: good(), Words: true, Longest: 3},
		{Name: "watch", In: watch, Words: true}, {Name: "nothing known", In: bare, Words: true},
		{Name: "held by much", In: held, Words: true}}, solve)
	golden.Judged(t, "trouble", []golden.Case[passage.Standing]{
		{Name: "sound", In: passage.Standing{Number: "K-1", Verdict: "ok", Fitness: "accept"}, Words: true},
		{Name: "watched", In: passage.Standing{Number: "K-1", Verdict: "balance", Fitness: "watch"}, Words: true},
		{Name: "suspect", In: passage.Standing{Number: "K-1", Verdict: "suspect", Fitness: "reject"}, Words: true},
		{Name: "quarantined", In: passage.Standing{Number: "K-1", Quarantined: true, Why: "swollen", Hold: "h",
			Doubt: "d"}, Words: true}}, func(s passage.Standing) (any, error) {
		x := s.Trouble()
		f, ok := passage.Instruments(s.Number, s.Hold)
		return []any{x, x.Bad(), []finding.Finding{f}, ok}, nil
	})
}

// words are a text that is part of the judgement.
type words string
