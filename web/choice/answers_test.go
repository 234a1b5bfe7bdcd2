package choice_test

import (
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/passage"
	"pandrel/web/choice"
)

// Whatever keeps a module from anything, the page that settles it is one step away.
func TestWhateverKeepsAModuleBackHasItsWayOn(t *testing.T) {
	change := map[string]func(*passage.Record){
		"quarantine":     func(r *passage.Record) { r.Quarantined = "swollen" },
		"never seen":     func(r *passage.Record) { r.Looked = false },
		"milder signs":   func(r *passage.Record) { r.LookHeld = "scratched" },
		"opened":         func(r *passage.Record) { r.Open = "a bar is missing" },
		"isolation":      func(r *passage.Record) { r.Isolation = isolation.Stop },
		"chemistry":      func(r *passage.Record) { r.Chemistry = false },
		"its own map":    func(r *passage.Record) { r.OwnMapStops = []string{"X3 is reversed."} },
		"another type":   func(r *passage.Record) { r.CheckStops = []string{"6 groups."} },
		"a reading":      func(r *passage.Record) { r.SurveyHeld = "group 3" },
		"overfull":       func(r *passage.Record) { r.OverLimit = true },
		"leaking":        func(r *passage.Record) { r.Leaking = true },
		"read together":  func(r *passage.Record) { r.ReadTogether = true },
		"dead tap":       func(r *passage.Record) { r.DeadTap = "X4" },
		"driven below":   func(r *passage.Record) { r.DrivenBelow = "was driven to 1.9 V" },
		"a log":          func(r *passage.Record) { r.LogDoubt = "its log ended at 1.9 V." },
		"parts apart":    func(r *passage.Record) { r.PartsApart = "has groups that stand apart" },
		"no survey":      func(r *passage.Record) { r.Surveyed = false },
		"watched":        func(r *passage.Record) { r.Fitness = grade.Watch },
		"rejected":       func(r *passage.Record) { r.Fitness = grade.Reject },
		"stale":          func(r *passage.Record) { r.GradeStale = "surveyed since." },
		"doubtful reads": func(r *passage.Record) { r.Fitness, r.SurveyDoubt = grade.NotYet, "a step" },
	}
	for name, do := range change {
		t.Run(name, func(t *testing.T) {
			var both []finding.Finding
			for _, n := range []string{"K/031", "K-032"} {
				r := passage.Record{Number: n, Looked: true, Chemistry: true, Surveyed: true, Isolation: "ok",
					Fitness: grade.Accept}
				do(&r)
				both = append(both, passage.May(r, passage.Service)...)
			}
			both = finding.Alike(both)
			if len(both) == 0 {
				t.Fatal("nothing keeps it back")
			}
			for _, f := range both {
				ways := choice.Leading("", "", "", []finding.Finding{f})[0].Ways
				if len(ways) != 2 {
					t.Fatalf("%s of %s: ways on %v, expected one for each of the two", f.Code, f.Subject, ways)
				}
				if !strings.HasPrefix(ways[0].Path, "/modules/K%2F031") || !strings.HasPrefix(ways[1].Path,
					"/modules/K-032") {
					t.Errorf("%s leads to %v", f.Code, ways)
				}
			}
		})
	}
	other := finding.New(finding.Stop, "isolation").About("bank").By("rules §9").Says("The bank is not isolated.")
	if ways := choice.Leading("", "", "", []finding.Finding{other})[0].Ways; ways != nil {
		t.Errorf("what is said of a bank leads to the module %v", ways)
	}
	for _, f := range []finding.Finding{other, other.At(finding.PlaceParts)} {
		ways := choice.Leading("/banks/3", "Out of work", "/banks/3/open#gates", []finding.Finding{f})[0].Ways
		if len(ways) != 1 || !strings.HasPrefix(ways[0].Path, "/banks/3") || ways[0].Name() == "" {
			t.Errorf("a stop of a bank has the ways on %v, expected one", ways)
		}
	}
}
