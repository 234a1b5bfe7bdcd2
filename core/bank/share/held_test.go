package share_test

import (
	"math"
	"testing"

	"pandrel/core/bank/share"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Two strings of 53.312 V behind 11 and 11.2 mΩ, by hand: what they give at most, what they share, what flows between
// them, and what must not stand beside each other.
func TestStopsOfStringsAreHeld(t *testing.T) {
	const emf = 16 * 3.332
	path := 1 / (1/0.011 + 1/0.0112)
	change := func(f func(in *share.Input)) []finding.Finding {
		t.Helper()
		in := alike(2, share.End)
		f(&in)
		return solve(t, in).Findings
	}
	most := emf * emf / 4 / path
	findingtest.Holds(t, change(func(in *share.Input) { in.LoadWatts = 200_000 }), "more-than-it-gives", finding.Stop,
		200_000, most, "W")
	findingtest.Lacks(t, change(func(in *share.Input) { in.LoadWatts = 0.99 * most }), "more-than-it-gives")

	amps := (emf - math.Sqrt(emf*emf-4*path*6000)) / 2 / path * path / 0.011
	trip := func(a float64) []finding.Finding {
		return change(func(in *share.Input) { in.LoadWatts, in.Strings[0].TripAmps = 6000, a })
	}
	findingtest.Holds(t, trip(50), "over-trip", finding.Stop, amps, 50, "A")
	findingtest.Lacks(t, trip(amps+0.1), "over-trip")

	apart := func(high, low float64) []finding.Finding {
		return change(func(in *share.Input) { in.Strings[0].SoC, in.Strings[1].SoC = soc(high), soc(low) })
	}
	between := 16 * (3.337 - 3.225) / (0.011 + 0.0112)
	findingtest.Holds(t, apart(0.9, 0.2), "not-level", finding.Stop, between, 50, "A")

	findingtest.Holds(t, change(func(in *share.Input) { in.Strings[1].Series = 15 }), "strings-unlike", finding.Refuse,
		15, 16, "groups")
	findingtest.Lacks(t, change(func(*share.Input) {}), "strings-unlike")

	// 6000 W are 58 A each; when one of two trips the other would carry 118 A.
	alone := (emf - math.Sqrt(emf*emf-4*0.011*6000)) / 2 / 0.011
	both := func(trip float64) []finding.Finding {
		return change(func(in *share.Input) {
			in.LoadWatts, in.Strings[0].TripAmps, in.Strings[1].TripAmps = 6000, trip, trip
		})
	}
	findingtest.Holds(t, both(alone-2), "cascade", finding.Stop, 2, 1, "strings")
	findingtest.Lacks(t, both(6000/44.0+4), "cascade") // bears it down to the cut-off
}
