package grade_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/grade"
)

// What may be done with a module that was ruled out says so as hard as it is.
func TestNextUsesAreHeld(t *testing.T) {
	none := findingtest.None
	use := func(g grade.Grade, e grade.Evidence) []finding.Finding {
		return grade.NextUse(g, e, grade.Known{}, grade.DefaultPolicy)
	}
	out := grade.Grade{Fitness: grade.Reject}
	findingtest.Holds(t, use(out, grade.Evidence{IsolationFailed: true}), "use-isolation", finding.Stop, none, none, "")
	findingtest.Holds(t, use(out, grade.Evidence{Leaking: true}), "use-leaking", finding.Stop, none, none, "")
	for _, code := range []string{"use-isolation", "use-leaking", "use-none"} {
		findingtest.Lacks(t, use(out, grade.Evidence{}), code)
	}
	out.Reasons = []finding.Finding{{Level: finding.Refuse}}
	findingtest.Holds(t, use(out, grade.Evidence{}), "use-none", finding.Refuse, none, none, "")
}
