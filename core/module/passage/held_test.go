package passage_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/passage"
)

// What keeps a module out of a bank is as hard as it is, from the action on at which it matters, and no earlier.
func TestWhatKeepsOutOfABankIsHeld(t *testing.T) {
	for _, c := range []struct {
		code   string
		level  finding.Level
		from   passage.Action
		change func(r *passage.Record)
	}{
		{"not-accepted", finding.Stop, passage.Design, func(r *passage.Record) { r.Fitness = "reject" }},
		{"parts-apart", finding.Stop, passage.Design, func(r *passage.Record) { r.PartsApart = "its halves differ" }},
		{"only-watched", finding.Stop, passage.Design, func(r *passage.Record) { r.Fitness = "watch" }},
		{"grade-stale", finding.Stop, passage.Design, func(r *passage.Record) { r.GradeStale = "a later look" }},
		{"tap-dead", finding.Stop, passage.Design, func(r *passage.Record) { r.DeadTap = "X5" }},
		{"log-doubt", finding.Stop, passage.Grade, func(r *passage.Record) { r.LogDoubt = "reads 0 V" }},
		{"survey-doubt", finding.Stop, passage.Build, func(r *passage.Record) {
			r.Fitness, r.SurveyDoubt = "", "group 3 reads low"
		}},
		{"look-held", finding.Stop, passage.Measure, func(r *passage.Record) { r.LookHeld = "dented" }},
		{"no-look", finding.Stop, passage.Test, func(r *passage.Record) { r.Looked = false }},
		{"open", finding.Stop, passage.Test, func(r *passage.Record) { r.Open = "a screw is missing" }},
		{"reread", finding.Stop, passage.Test, func(r *passage.Record) { r.SurveyHeld = "group 3 at 1.8 V" }},
		{"driven-below", finding.Stop, passage.Test, func(r *passage.Record) { r.DrivenBelow = "a test drove it" }},
		{"no-survey", finding.Stop, passage.Grade, func(r *passage.Record) { r.Surveyed = false }},
		{"own-map", finding.Stop, passage.Grade, func(r *passage.Record) { r.OwnMapStops = []string{"A+ is apart"} }},
		{"unlike-type", finding.Stop, passage.Grade, func(r *passage.Record) { r.CheckStops = []string{"reversed"} }},
		{"leaking", finding.Stop, passage.Design, func(r *passage.Record) { r.Leaking = true }},
		{"tap-broken", finding.Stop, passage.Design, func(r *passage.Record) { r.ReadTogether = true }},
		{"quarantined", finding.Refuse, passage.Measure, func(r *passage.Record) { r.Quarantined = "swollen" }},
		{"chemistry-undeclared", finding.Refuse, passage.Test, func(r *passage.Record) { r.Chemistry = false }},
	} {
		r := good()
		c.change(&r)
		for a := passage.Measure; a <= passage.Service; a++ {
			if fs := passage.May(r, a); a >= c.from {
				findingtest.Holds(t, fs, c.code, c.level, findingtest.None, findingtest.None, "")
			} else {
				findingtest.Lacks(t, fs, c.code)
			}
		}
		findingtest.Lacks(t, passage.May(good(), passage.Service), c.code)
	}
}

// A fault to the case and a group above its limit keep a module from current and from a bank, not from being graded.
func TestWhatDoesNotKeepFromGradingIsHeld(t *testing.T) {
	for code, change := range map[string]func(r *passage.Record){
		"isolation":  func(r *passage.Record) { r.Isolation = "stop" },
		"over-limit": func(r *passage.Record) { r.OverLimit = true },
	} {
		r := good()
		change(&r)
		for _, a := range []passage.Action{passage.Test, passage.Design, passage.Build, passage.Service} {
			findingtest.Holds(t, passage.May(r, a), code, finding.Stop, findingtest.None, findingtest.None, "")
		}
		findingtest.Lacks(t, passage.May(r, passage.Grade), code)
	}
	f, ok := passage.Instruments("K-1", "")
	if ok {
		t.Error("silence passes")
	}
	findingtest.Holds(t, []finding.Finding{f}, "shared-negative", finding.Stop, findingtest.None, findingtest.None, "")
}
