package sizing_test

import (
	"testing"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// A section that bears less than the design current is a stop; one that loses more than is allowed a caution.
func TestASectionInHand(t *testing.T) {
	c := sizing.Cable{Amps: 75, OneWayM: 1.5, Volts: 24, DropShare: 0.03, Metal: sizing.Copper, Place: sizing.FreeAir,
		AtPosts: true, AmbientC: 30}
	s, err := sizing.Of(c, 6)
	if err != nil {
		t.Fatal(err)
	}
	findingtest.Holds(t, sizing.JudgeSection(c, s), "thin", finding.Stop, 94, 44, "A")
	c.DropShare = 0.001
	if fs := sizing.JudgeSection(c, s); len(fs) != 2 || fs[1].Code != "drop" || *fs[1].Limit != 0.1 {
		t.Errorf("%+v", fs)
	}
	if s, err = sizing.Choose(c); err != nil || len(sizing.JudgeSection(c, s)) != 0 {
		t.Errorf("what was chosen is judged: %+v, %v", s, err)
	}
}

// Both ends of what the capacitors may be are drawn, one curve where they are known.
func TestFillingIsDrawn(t *testing.T) {
	p := sizing.Precharge{Volts: 52, Watts: 3000, Ohms: 47, Share: 0.95}
	for curves, farads := range map[int]float64{2: 0, 1: 0.01} {
		p.Farads = farads
		f, err := sizing.Fill(p)
		if err != nil {
			t.Fatal(err)
		}
		c := sizing.Drawn(p, f)
		last := c.Curves[0].Points[60]
		if len(c.Curves) != curves || c.Marks[0].At != 52 || last[1] < 0.95*f.FinalVolts || last[1] > f.FinalVolts {
			t.Errorf("%d curves, %v", len(c.Curves), last)
		}
	}
}
