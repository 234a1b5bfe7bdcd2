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
