package layout_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
)

func TestAMapOfOneModuleAlone(t *testing.T) {
	stop := func(code string) []finding.Finding { return []finding.Finding{{Level: finding.Stop, Code: code}} }
	for _, c := range []struct {
		name  string
		m     layout.Map
		own   bool
		label int // stops that say it is not as labelled
	}{
		{"mapped to the end", layout.Map{Series: 7}, true, 0},
		{"nothing found", layout.Map{}, false, 0},
		{"two parts", layout.Map{Series: 7, Separate: [][]string{{"A"}, {"B"}}}, false, 0},
		{"a reading asked for, no loop", layout.Map{Series: 7, NextReading: &layout.Next{}}, false, 0},
		{"a reading asked for, a loop closed", layout.Map{Series: 7, Redundancy: 1, NextReading: &layout.Next{}},
			true, 0},
		{"posts elsewhere", layout.Map{Series: 7, Findings: stop("main-post-not-at-end")}, true, 1},
		{"a reversed group", layout.Map{Series: 7, Findings: stop("reversed-group")}, false, 1},
		{"posts joined", layout.Map{Series: 7, Findings: stop("posts-joined")}, false, 1},
		{"another count than its plate", layout.Map{Series: 7, Findings: stop("plate-disagrees")}, false, 1},
		{"a loop does not close", layout.Map{Series: 7, Findings: stop("loop-broken")}, false, 0},
		{"a caution is no stop", layout.Map{Series: 7, Findings: []finding.Finding{{Level: finding.Caution,
			Code: "reversed-group"}}}, true, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := c.m.MayBeOwn(); got != c.own {
				t.Errorf("its own: %v", got)
			}
			if got := c.m.NotAsLabelled(); len(got) != c.label {
				t.Errorf("not as labelled: %v", got)
			}
		})
	}
}
