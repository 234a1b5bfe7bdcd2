package chem_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
)

func ExampleCurve_SoCInterval() {
	nmc, _ := chem.Lookup(chem.NMC)
	lfp, _ := chem.Lookup(chem.LFP)
	a := nmc.Curve.SoCInterval(3.80, 0.005)
	b := lfp.Curve.SoCInterval(3.30, 0.015)
	fmt.Printf("NMC at 3.80 V: %.0f to %.0f %%\n", 100*a.Low, 100*a.High)
	fmt.Printf("LFP at 3.30 V: voltage cannot tell: %v\n", b.Width() > chem.CannotTellWidth)
	// Output:
	// NMC at 3.80 V: 59 to 61 %
	// LFP at 3.30 V: voltage cannot tell: true
}

func TestCurvesRiseAndInvert(t *testing.T) {
	for _, c := range chem.All() {
		last := math.Inf(-1)
		for i := 0; i <= 1000; i++ {
			s := float64(i) / 1000
			v := c.Curve.Volts(s)
			if v <= last {
				t.Fatalf("%s: curve falls at %.3f", c.ID, s)
			}
			last = v
			if back := c.Curve.SoC(v); math.Abs(back-s) > 1e-6 {
				t.Fatalf("%s: %.3f came back as %.9f", c.ID, s, back)
			}
		}
		if c.Curve.SoC(0) != 0 || c.Curve.SoC(9) != 1 {
			t.Errorf("%s: not clamped outside the curve", c.ID)
		}
	}
}

func TestLimitsAreOrdered(t *testing.T) {
	for _, c := range chem.All() {
		order := []float64{c.NeverRechargeVolts, c.FloorVolts, c.LookCloserVolts, c.LongLifeLowVolts,
			c.LongLifeHighVolts, c.ChargeLimitVolts}
		for i := 1; i < len(order); i++ {
			if order[i] <= order[i-1] {
				t.Errorf("%s: limit %d (%v) is not above limit %d (%v)", c.ID, i, order[i], i-1, order[i-1])
			}
		}
		if top := c.Curve.Volts(1); top > c.ChargeLimitVolts {
			t.Errorf("%s: rest at full %v is above the charge limit", c.ID, top)
		}
	}
}

func TestFlat(t *testing.T) {
	cases := []struct {
		id    chem.ID
		volts float64
		want  bool
	}{
		{chem.LFP, 3.295, true}, {chem.LFP, 3.335, true}, {chem.LFP, 3.10, false}, {chem.LFP, 3.50, false},
		{chem.NMC, 3.80, false}, {chem.NMC, 3.62, false}, {chem.LTO, 2.30, false},
	}
	for _, c := range cases {
		t.Run(fmt.Sprint(c.id), func(t *testing.T) {
			ch, _ := chem.Lookup(c.id)
			if got := ch.Curve.Flat(c.volts); got != c.want {
				t.Errorf("%s at %v V: flat = %v", c.id, c.volts, got)
			}
		})
	}
}

func TestRestUncertainty(t *testing.T) {
	lfp, _ := chem.Lookup(chem.LFP)
	if u := lfp.RestUncertaintyVolts(0.002, 60); math.Abs(u-0.012) > 1e-12 {
		t.Errorf("rested: %v", u)
	}
	if u := lfp.RestUncertaintyVolts(0.002, -1); math.Abs(u-0.032) > 1e-12 {
		t.Errorf("rest unknown: %v", u)
	}
}

func TestParseAndNewCurveRefuse(t *testing.T) {
	if _, err := chem.Parse("lead"); err == nil {
		t.Error("an unknown chemistry was accepted")
	}
	if id, err := chem.Parse(" LFP "); id != chem.LFP || err != nil {
		t.Errorf("LFP in capitals: %v, %v", id, err)
	}
	if id, err := chem.Parse("auto"); id != "" || err != nil {
		t.Errorf("auto: %v, %v", id, err)
	}
	bad := [][2][]float64{
		{{0, 1}, {3}}, {{0}, {3}}, {{0, 0}, {3, 4}}, {{0, 1}, {4, 3}}, {{-0.1, 1}, {3, 4}}, {{0, math.NaN()}, {3, 4}},
		{{0, 1}, {3, math.Inf(1)}},
	}
	for i, b := range bad {
		if _, err := chem.NewCurve(b[0], b[1]); err == nil {
			t.Errorf("case %d: a bad curve was accepted", i)
		}
	}
}

// A type's own curve replaces the typical one and is the inverse of itself; what cannot be a rest
// curve of the chemistry is refused with the reason.
func TestOwnCurve(t *testing.T) {
	soc, volts := []float64{0, 10, 30, 50, 70, 90, 100}, []float64{3.25, 3.5, 3.64, 3.73, 3.92, 4.09, 4.18}
	c, err := chem.OwnCurve(chem.NMC, soc, volts)
	if err != nil {
		t.Fatal(err)
	}
	nmc, _ := chem.Lookup(chem.NMC)
	own := nmc.WithCurve(&c)
	if math.Abs(own.Curve.Volts(0.5)-3.73) > 1e-9 || math.Abs(own.Curve.SoC(3.73)-0.5) > 1e-6 ||
		nmc.WithCurve(nil).Curve.Volts(0.5) != nmc.Curve.Volts(0.5) {
		t.Error("the own curve does not hold")
	}
	gotSoC, gotVolts := c.Points()
	if !slices.Equal(gotSoC, soc) || !slices.Equal(gotVolts, volts) {
		t.Errorf("%v %v", gotSoC, gotVolts)
	}
	for _, bad := range []struct {
		name       string
		id         chem.ID
		soc, volts []float64
		says       string
	}{
		{"no chemistry", "", soc, volts, "declare the chemistry"},
		{"too few points", chem.NMC, soc[:4], volts[:4], "five or more"},
		{"falling", chem.NMC, soc, []float64{3.25, 3.5, 3.4, 3.73, 3.92, 4.09, 4.18}, "does not rise"},
		{"only the middle", chem.NMC, []float64{20, 30, 40, 50, 60}, []float64{3.5, 3.6, 3.7, 3.8, 3.9},
			"10 % or less"},
		{"a module's volts", chem.NMC, soc, []float64{13, 14, 14.5, 15, 15.6, 16.3, 16.7}, "one group"},
		{"another chemistry's", chem.LFP, soc, volts, "one group of LFP"},
		{"fractions for per cent", chem.NMC, []float64{0, 0.1, 0.3, 0.5, 0.7, 0.9, 1}, volts, "90 % or more"},
	} {
		t.Run(bad.name, func(t *testing.T) {
			if _, err := chem.OwnCurve(bad.id, bad.soc, bad.volts); err == nil ||
				!strings.Contains(err.Error(), bad.says) {
				t.Errorf("%s: %v", bad.name, err)
			}
		})
	}
}

// Beyond its ends the curve goes on without a jump, rises, and is inverted; inside it is the curve itself.
func TestBeyondTheCurve(t *testing.T) {
	for _, c := range chem.All() {
		last := math.Inf(-1)
		for i := -50; i <= 150; i++ {
			soc := float64(i) / 100
			v := c.Curve.Beyond(soc)
			if v <= last || c.Curve.BeyondSlope(soc) <= 0 {
				t.Fatalf("%s does not rise at %v", c.ID, soc)
			}
			last = v
			if back := c.Curve.BeyondSoC(v); math.Abs(back-soc) > 1e-6 {
				t.Errorf("%s: %v comes back as %v", c.ID, soc, back)
			}
			if i >= 0 && i <= 100 && v != c.Curve.Volts(soc) {
				t.Errorf("%s: another curve at %v", c.ID, soc)
			}
		}
		if d := c.Curve.Beyond(1.0001) - c.Curve.Volts(1); d > 0.001 {
			t.Errorf("%s jumps by %v at its end", c.ID, d)
		}
		if a, b := c.TypicalMOhm(100), c.TypicalMOhm(50); math.Abs(b.Low/a.Low-2) > 1e-9 || a.Low >= a.High {
			t.Errorf("%s: %v mΩ at 100 Ah, %v mΩ at 50 Ah", c.ID, a, b)
		}
	}
}
