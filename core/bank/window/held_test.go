package window_test

import (
	"testing"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Ways that are refused, with what was measured against what.
func TestRefusedWaysAreHeld(t *testing.T) {
	of := func(n window.Need, st window.Stock, series int) []finding.Finding {
		t.Helper()
		cs, err := window.Candidates(n, []window.Stock{st})
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range cs {
			if c.Series == series {
				return c.Findings
			}
		}
		t.Fatalf("no way with %d groups", series)
		return nil
	}
	lfp := stock("TUG-4", chem.LFP, 4, 8, 180)
	// 57.6 V over 20 groups are 2.88 V for each, where an LFP group that is 30 % full rests at 3.255 V.
	findingtest.Holds(t, of(class48, lfp, 20), "too-many-groups", finding.Refuse, 2.88, 3.255, "V")
	findingtest.Lacks(t, of(class48, lfp, 16), "too-many-groups")
	// Twelve groups: full at 44 V they would have to give 44 V and what the load takes on its way; nothing is left.
	findingtest.Holds(t, of(class48, lfp, 12), "window-small", finding.Refuse, 0, 30, "%")
	// 16 groups at 3.5 V each rest at 54.72 V when full, below the 56 V at which it would start.
	start := window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 44, StartVolts: 56}
	findingtest.Holds(t, of(start, stock("TUG-4", chem.LFP, 4, 4, 180), 16), "will-not-start", finding.Refuse, 16*3.42,
		56, "V")
	// A surge of 1000 A on one module of 100 Ah; typical for seconds are 2 C.
	surge := window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 44, LoadWatts: 500, PeakAmps: 1000}
	findingtest.Holds(t, of(surge, stock("TUG-4", chem.LFP, 4, 4, 100), 16), "current-too-high", finding.Refuse, 1000,
		200, "A")
	surge.PeakAmps = 200
	findingtest.Lacks(t, of(surge, stock("TUG-4", chem.LFP, 4, 4, 100), 16), "current-too-high")
}
