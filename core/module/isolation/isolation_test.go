package isolation_test

import (
	"fmt"
	"math"
	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"strings"
	"testing"
)

func ExampleJudgeReadings() {
	iso, fs, _ := isolation.JudgeReadings(isolation.Readings{PackVolts: 50, PositiveVolts: 10, NegativeVolts: 2,
		MeterOhms: 10e6})
	fmt.Println(iso.Verdict, fs[0].Text)
	// Output: ok Nothing leaks below the limit now: 38.0 MΩ, 760000 Ω per volt from the meter's input resistance.
}

// The formulas must give back the resistances of the circuit they were measured in: a pack with
// R_p from plus and R_n from minus to the case, and the meter from one end to the case.
func TestIsolationGivesBackTheCircuit(t *testing.T) {
	par := func(a, b float64) float64 { return a * b / (a + b) }
	const pack, rm = 350.0, 10e6
	for _, c := range [][2]float64{{5e6, 8e6}, {40e3, 9e6}, {3e6, 20e3}, {1e6, 1e6}} {
		rp, rn := c[0], c[1]
		// With the meter across one side, that side is par(R, R_m).
		v1 := pack * par(rp, rm) / (par(rp, rm) + rn)
		v2 := pack * par(rn, rm) / (par(rn, rm) + rp)
		iso, _, err := isolation.JudgeReadings(isolation.Readings{PackVolts: pack, PositiveVolts: v1,
			NegativeVolts: v2, MeterOhms: rm})
		if err != nil || math.Abs(*iso.RPosOhms/rp-1) > 1e-6 || math.Abs(*iso.RNegOhms/rn-1) > 1e-6 {
			t.Errorf("%v: %v, %v, %v", c, *iso.RPosOhms, *iso.RNegOhms, err)
		}
		// The known resistor, with a meter that hardly loads: the lesser of the two follows.
		v1, v2 = pack*rp/(rp+rn), pack*rn/(rp+rn)
		r0, _ := isolation.KnownResistor(pack)
		big, small := rp, rn
		if v2 > v1 {
			big, small = rn, rp
		}
		with := pack * par(big, r0) / (par(big, r0) + small)
		_, fs, err := isolation.JudgeReadings(isolation.Readings{PackVolts: pack, PositiveVolts: v1, NegativeVolts: v2,
			MeterOhms: rm, KnownOhms: r0, KnownVolts: with})
		if err != nil || math.Abs(*fs[0].Measured/(small/pack)-1) > 0.01 {
			t.Errorf("%v: %v Ω/V by the resistor, want %v, %v", c, *fs[0].Measured, small/pack, err)
		}
	}
}

func TestIsolationVerdicts(t *testing.T) {
	cases := []struct {
		name    string
		c       isolation.Readings
		verdict isolation.Verdict
		text    string
	}{
		{"nothing leaks", isolation.Readings{PackVolts: 48}, "ok", "above"},
		{"dead short to the case", isolation.Readings{PackVolts: 48, PositiveVolts: 48}, "stop", "not isolated"},
		{"low below 60 V", isolation.Readings{PackVolts: 48, PositiveVolts: 30, NegativeVolts: 17.96}, "caution",
			"low"},
		{"the same is a stop above 60 V", isolation.Readings{PackVolts: 48, PositiveVolts: 30, NegativeVolts: 17.96,
			WorkingVolts: 61}, "stop", "too low"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			iso, fs, err := isolation.JudgeReadings(c.c)
			if err != nil || iso.Verdict != c.verdict || len(fs) != 1 || !strings.Contains(fs[0].Text, c.text) ||
				fs[0].Do == "" {
				t.Errorf("%s: %s, %+v, %v", c.name, iso.Verdict, fs, err)
			}
		})
	}
	for _, bad := range []isolation.Readings{{}, {PackVolts: 48, PositiveVolts: 40, NegativeVolts: 40},
		{PackVolts: 48, PositiveVolts: -3}, {PackVolts: 48, PositiveVolts: 10, KnownOhms: 24000, KnownVolts: 20},
		{PackVolts: 48, KnownOhms: 24000, KnownVolts: 1}, {PackVolts: math.NaN()}} {
		if _, _, err := isolation.JudgeReadings(bad); err == nil || !strings.Contains(err.Error(), "xpected") &&
			!strings.Contains(err.Error(), "too small") {
			t.Errorf("%+v: %v", bad, err)
		}
	}
}

// Where nearly all of the module's voltage stands against the case, the meter cannot tell a few
// kilohms from nothing: it must never come out as isolated, whatever the computed bound.
func TestNearlyAllOfTheVoltageAgainstTheCase(t *testing.T) {
	for _, c := range []struct {
		name    string
		v       isolation.Readings
		verdict isolation.Verdict
	}{
		{"dead short of the negative end", isolation.Readings{PackVolts: 6.58, PositiveVolts: 6.58}, "stop"},
		{"dead short of the positive end", isolation.Readings{PackVolts: 6.58, NegativeVolts: 6.579}, "stop"},
		{"a joint in the middle on the case", isolation.Readings{PackVolts: 6.58, PositiveVolts: 3.29,
			NegativeVolts: 3.29}, "stop"},
		{"the same, with a number from a resistor", isolation.Readings{PackVolts: 6.58, PositiveVolts: 6.58,
			KnownOhms: 3300, KnownVolts: 2.2}, "ok"},
		{"nothing against the case", isolation.Readings{PackVolts: 6.58}, "ok"},
	} {
		t.Run(c.name, func(t *testing.T) {
			iso, fs, err := isolation.JudgeReadings(c.v)
			if err != nil || iso.Verdict != c.verdict || (fs[0].Level == finding.Stop) != (c.verdict == "stop") {
				t.Errorf("%s: %s, %v, %v", c.name, iso.Verdict, fs, err)
			}
		})
	}
}

func TestIsolationIsMeasuredBetweenBothEnds(t *testing.T) {
	for _, c := range []struct {
		name       string
		volts, sum float64
		fits       bool
	}{{"as surveyed", 25.97, 25.97, true}, {"charged since", 29.0, 25.97, true},
		{"half a volt on 91 V", 0.5, 91, false}, {"never surveyed", 25.97, 0, true}} {
		t.Run(c.name, func(t *testing.T) {
			if got := (isolation.Readings{PackVolts: c.volts}).FitsVolts(c.sum); got != c.fits {
				t.Errorf("%s: %v", c.name, got)
			}
		})
	}
}

// A meter that is not good enough for the voltage is refused: with a reading anywhere between nothing and all of it a
// bolted leak passed as isolation.
func TestACoarseMeterTellsNothing(t *testing.T) {
	leak := isolation.Readings{PackVolts: 350, PositiveVolts: 340, NegativeVolts: 3, MeterOhms: 10e6}
	for acc, fails := range map[float64]bool{0.5: false, 35: false, 35.1: true, 341: true} {
		leak.MeterAccuracyVolts = acc
		iso, _, err := isolation.JudgeReadings(leak)
		if (err != nil) != fails {
			t.Errorf("± %v V of 350 V: %v", acc, err)
		}
		if acc > 7 && iso.Verdict.Passed() && err == nil {
			t.Errorf("± %v V: a leak passes", acc)
		}
	}
}
