package wiring_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/netlist"

	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
)

func TestAmpacityBySection(t *testing.T) {
	cases := []struct {
		name      string
		kind      netlist.Kind
		mm2, amps float64
	}{
		{"AWG 4/0 in air, at 60 °C", netlist.Cable, 107.2, 360 * math.Sqrt(30.0/45)},
		{"AWG 8", netlist.Cable, 8.37, 70 * math.Sqrt(30.0/45)},
		{"bar 25 × 4 as a round one, 30 K", netlist.Bar, 100, 7.73 * 10 * math.Pow(35.449, 0.39) * math.Pow(0.6, 0.6)},
		{"none", netlist.Cable, 0, 0},
		{"a fuse has no section", netlist.Fuse, 10, 0},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			if got := netlist.SectionAmps(c.kind, c.mm2); math.Abs(got-c.amps) > 0.005*c.amps+1e-9 {
				t.Errorf("%s: %.1f A, expected %.1f", c.name, got, c.amps)
			}
		})
	}
	last := 0.0
	for mm2 := 0.5; mm2 < 300; mm2 *= 1.07 { // more copper never carries less
		got := netlist.SectionAmps(netlist.Cable, mm2)
		if got <= last {
			t.Errorf("%.1f mm²: %.1f A after %.1f", mm2, got, last)
		}
		last = got
	}
}

// A fuse that lets more pass than its cable carries, known only by the cable's section.
func TestAFuseAboveItsCablesSectionIsNamed(t *testing.T) {
	for _, c := range []struct {
		mm2   float64
		named bool
	}{{16, true}, {95, false}} {
		t.Run(fmt.Sprint(c.mm2), func(t *testing.T) {
			n := bank(2, 1, 4)
			for i := range n.Conductors {
				switch n.Conductors[i].Kind {
				case netlist.Fuse:
					n.Conductors[i].RatingA = finding.Of(200)
				case netlist.Cable, netlist.Bar:
					n.Conductors[i].RatingA, n.Conductors[i].AreaMM2 = nil, finding.Of(c.mm2)
				}
			}
			r, err := wiring.CheckNetlist(n)
			if err != nil {
				t.Fatal(err)
			}
			named := false
			for _, f := range r.Findings {
				named = named || f.Code == "fuse-above-conductor"
			}
			if named != c.named {
				t.Errorf("%.0f mm² behind 200 A: named %v", c.mm2, named)
			}
		})
	}
}
