package sizing_test

import (
	"testing"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// What is always on holds the capacitors below full: 100 W at 50 V are 25 Ω, which behind 100 Ω stay at a fifth of
// 50 V.
func TestWhatNeverFillsIsHeld(t *testing.T) {
	of := func(watts float64) []finding.Finding {
		t.Helper()
		f, err := sizing.Fill(sizing.Precharge{Volts: 50, Farads: 0.01, Ohms: 100, LoadWatts: watts})
		if err != nil {
			t.Fatal(err)
		}
		return f.Findings
	}
	findingtest.Holds(t, of(100), "never-fills", finding.Stop, 10, 47.5, "V")
	findingtest.Lacks(t, of(1), "never-fills") // 2500 Ω: 48.1 V
}

// 50 V over 5 Ω are 10 A at first, whatever is behind.
func TestASwitchTakesTheFirstCurrent(t *testing.T) {
	of := func(amps float64) []finding.Finding {
		t.Helper()
		f, err := sizing.Fill(sizing.Precharge{Volts: 50, Farads: 0.01, Ohms: 5, SwitchAmps: amps})
		if err != nil {
			t.Fatal(err)
		}
		return f.Findings
	}
	findingtest.Holds(t, of(9.9), "switch-small", finding.Stop, 10, 9.9, "A")
	findingtest.Lacks(t, of(10), "switch-small")
	findingtest.Lacks(t, of(0), "switch-small") // not known
}

// A fuse between the load and what its conductor bears, at volts and into a fault that it breaks, near the cells.
func TestFusesAreHeld(t *testing.T) {
	of := func(n sizing.FuseNeed) []finding.Finding {
		t.Helper()
		s, err := sizing.Fuse(n)
		if err != nil {
			t.Fatal(err)
		}
		return s.Findings
	}
	base := sizing.FuseNeed{Amps: 100, ConductorAmps: 150, FullVolts: 56, MOhm: 20}
	with := func(f func(n *sizing.FuseNeed)) []finding.Finding { n := base; f(&n); return of(n) }
	for _, code := range []string{"fuse-none", "interrupt-none", "fuse-far"} {
		findingtest.Lacks(t, of(base), code)
	}
	findingtest.Holds(t, with(func(n *sizing.FuseNeed) { n.ConductorAmps = 124 }), "fuse-none", finding.Stop, 125, 124,
		"A")
	findingtest.Lacks(t, with(func(n *sizing.FuseNeed) { n.ConductorAmps = 125 }), "fuse-none")
	findingtest.Holds(t, with(func(n *sizing.FuseNeed) { n.MOhm = 1 }), "interrupt-none", finding.Stop, 1.25*56*1000,
		50_000, "A")
	findingtest.Holds(t, with(func(n *sizing.FuseNeed) { n.PlaceM = 0.21 }), "fuse-far", finding.Stop, 0.21, 0.2, "m")
	findingtest.Lacks(t, with(func(n *sizing.FuseNeed) { n.PlaceM = 0.2 }), "fuse-far")
}

// One filling of a pre-charge resistor: 2 mF at 50 V are 2.5 J, and 500 W at first through 5 Ω.
func TestAPulseIsHeld(t *testing.T) {
	of := func(joules, watts float64) []finding.Finding {
		t.Helper()
		f, err := sizing.Fill(sizing.Precharge{Volts: 50, Farads: 0.002, Ohms: 5, PulseJ: joules, HoldWatts: watts})
		if err != nil {
			t.Fatal(err)
		}
		return f.Findings
	}
	findingtest.Holds(t, of(2.4, 0), "pulse", finding.Stop, 2.5, 2.4, "J")
	findingtest.Lacks(t, of(2.5, 0), "pulse")
	findingtest.Holds(t, of(0, 99), "pulse", finding.Stop, 500, 495, "W")
	findingtest.Lacks(t, of(0, 100), "pulse")
}

// What a current goes through bears it for ever and for seconds.
func TestWhatALoadGoesThroughIsHeld(t *testing.T) {
	of := func(load, surge float64) []finding.Finding {
		t.Helper()
		r, err := sizing.Path(load, surge, []sizing.Element{{Name: "fuse", EverAmps: 125, PeakAmps: 300},
			{Name: "cable", EverAmps: 100, PeakAmps: 200, InParallel: 2}})
		if err != nil {
			t.Fatal(err)
		}
		return r.Findings
	}
	findingtest.Holds(t, of(125.1, 0), "over-rating", finding.Stop, 125.1, 125, "A")
	findingtest.Lacks(t, of(125, 0), "over-rating")
	findingtest.Holds(t, of(100, 300.5), "over-peak", finding.Stop, 300.5, 300, "A")
	findingtest.Lacks(t, of(100, 300), "over-peak")
	findingtest.Holds(t, of(201, 0), "over-rating", finding.Stop, 201, 200, "A") // the two cables together
}

// Joints at 20 A: one that is half as bad again as its like, or above 0.2 mΩ, or above 5 W, is opened.
func TestJointsAreHeld(t *testing.T) {
	of := func(amps float64, mv ...float64) []finding.Finding {
		t.Helper()
		var js []sizing.Joint
		for i, v := range mv {
			js = append(js, sizing.Joint{Name: string(rune('a' + i)), Kind: "bar", MilliV: v})
		}
		_, fs, err := sizing.Joints(amps, js)
		if err != nil {
			t.Fatal(err)
		}
		return fs
	}
	findingtest.Holds(t, of(20, 1, 1, 1.52), "joint", finding.Stop, 76, 75, "µΩ")
	findingtest.Lacks(t, of(20, 1, 1, 1.5), "joint")
	findingtest.Holds(t, of(20, 4.1, 4.1, 4.1), "joint", finding.Stop, 205, 200, "µΩ")
	findingtest.Lacks(t, of(20, 4, 4, 4), "joint")
}

// An M6 screw into aluminium wants 9 mm of thread and 1 mm under its tip, above it a bar of 3 mm and a ring of 1 mm.
func TestScrewsAreHeld(t *testing.T) {
	of := func(hole, length float64) []finding.Finding {
		t.Helper()
		r, err := sizing.Screwing(sizing.Screw{ThreadMM: 6, HoleMM: hole, LengthMM: length, BarMM: 3, RingMM: 1,
			In: "aluminium"})
		if err != nil {
			t.Fatal(err)
		}
		return r.Findings
	}
	findingtest.Holds(t, of(9.9, 0), "hole-shallow", finding.Stop, 9.9, 10, "mm")
	findingtest.Lacks(t, of(10, 0), "hole-shallow")
	findingtest.Holds(t, of(12, 12), "engages-little", finding.Stop, 8, 9, "mm")
	findingtest.Lacks(t, of(12, 13), "engages-little")
	findingtest.Holds(t, of(12, 16), "tip-bottoms", finding.Stop, 0, 1, "mm")
	findingtest.Lacks(t, of(12, 15), "tip-bottoms")
}
