package balance_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/balance"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// straight is a rest curve that rises by 1 V from empty to full: charge can be read off by hand.
func straight(t testing.TB) *chem.Curve {
	t.Helper()
	c, err := chem.NewCurve([]float64{0, 0.25, 0.5, 0.75, 1}, []float64{3.1, 3.35, 3.6, 3.85, 4.1})
	if err != nil {
		t.Fatal(err)
	}
	return &c
}

func at(t testing.TB, charges []float64, ah ...float64) []balance.Group {
	t.Helper()
	c := straight(t)
	var out []balance.Group
	for i, q := range charges {
		g := balance.Group{Name: fmt.Sprintf("G%d", i+1), Chemistry: chem.NMC, Curve: c, Volts: 3.1 + q}
		if i < len(ah) {
			g.Ah = ah[i]
		}
		out = append(out, g)
	}
	return out
}

func TestChargeByHand(t *testing.T) {
	for _, c := range []struct {
		name            string
		charges, ah     []float64
		asFound, equal  float64
		lowest, highest int
		level           finding.Level
		said            bool
	}{
		{"all alike", []float64{0.5, 0.5, 0.5}, []float64{40, 40, 40}, 40, 40, 0, 0, 0, false},
		{"one a fifth below", []float64{0.5, 0.3, 0.5}, []float64{40, 40, 40}, 0.3*40 + 0.5*40, 40, 1, 0,
			finding.Caution, true},
		{"one half per cent below: within the limit", []float64{0.5, 0.495}, []float64{40, 40}, 0.495*40 + 0.5*40, 40,
			1, 0, 0, false},
		{"four per cent", []float64{0.54, 0.5}, []float64{40, 40}, 0.5*40 + 0.46*40, 40, 1, 0, finding.Note, true},
		{"two modules at 19 and 86 %", []float64{0.19, 0.86}, []float64{46, 46}, 0.19*46 + 0.14*46, 46, 0, 1,
			finding.Caution, true},
		{"the smaller one limits both ways", []float64{0.5, 0.5}, []float64{40, 30}, 15 + 15, 30, 0, 0, 0, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			gs := at(t, c.charges, c.ah...)
			r, err := balance.JudgeGroups(gs)
			if err != nil {
				t.Fatal(err)
			}
			if !r.Resolved || math.Abs(r.AsFoundAh-c.asFound) > 0.01 || math.Abs(r.BalancedAh-c.equal) > 0.01 {
				t.Errorf("as found %.2f, balanced %.2f Ah, expected %.2f and %.2f", r.AsFoundAh, r.BalancedAh,
					c.asFound, c.equal)
			}
			if c.said != (len(r.Findings) == 1) || c.said &&
				(r.Findings[0].Level != c.level || r.Findings[0].Code != "unequal-charge" || r.Findings[0].Do == "") {
				t.Errorf("%+v", r.Findings)
			}
			if c.lowest != c.highest && (r.Lowest != c.lowest || r.Highest != c.highest) {
				t.Errorf("lowest %d, highest %d", r.Lowest, r.Highest)
			}
		})
	}
}

// Whatever the charges: a bank gives no more as it stands than balanced, balanced no more than its least group,
// the offsets lie around zero, and nothing depends on the order or on names.
func TestInvariants(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for range 300 {
		n := 2 + rng.IntN(14)
		q, ah := make([]float64, n), make([]float64, n)
		for i := range q {
			q[i], ah[i] = 0.05+0.9*rng.Float64(), 20+30*rng.Float64()
		}
		gs := at(t, q, ah...)
		r, err := balance.JudgeGroups(gs)
		if err != nil {
			t.Fatal(err)
		}
		if r.AsFoundAh > r.BalancedAh+1e-9 || r.BalancedAh > slices.Min(ah)+1e-9 {
			t.Fatalf("as found %v, balanced %v of %v", r.AsFoundAh, r.BalancedAh, ah)
		}
		below, above := 0, 0
		for _, o := range r.OffsetsAh {
			if o < -1e-9 {
				below++
			} else if o > 1e-9 {
				above++
			}
		}
		if below != above {
			t.Fatalf("%d below the median, %d above", below, above)
		}
		perm := rng.Perm(n)
		other := make([]balance.Group, n)
		for i, k := range perm {
			other[i] = gs[k]
			other[i].Name = "x" + gs[k].Name
		}
		s, err := balance.JudgeGroups(other)
		if err != nil || math.Abs(s.AsFoundAh-r.AsFoundAh) > 1e-9 || perm[s.Lowest] != r.Lowest ||
			perm[s.Highest] != r.Highest || len(s.Findings) != len(r.Findings) {
			t.Fatalf("another order: %+v against %+v, %v", s, r, err)
		}
	}
}

// On the plateau volts are all that can be compared, and 70 mV there is not nothing.
func TestFlatCurve(t *testing.T) {
	group := func(v float64) balance.Group {
		return balance.Group{Name: fmt.Sprintf("%.3f", v), Chemistry: chem.LFP, Volts: v, Ah: 100}
	}
	r, err := balance.JudgeGroups([]balance.Group{group(3.290), group(3.292), group(3.291)})
	if err != nil || r.Resolved || len(r.Findings) != 0 || r.BalancedAh != 0 {
		t.Errorf("2 mV on the plateau: %+v, %v", r, err)
	}
	if text := r.Summary([]balance.Group{group(3.290), group(3.292), group(3.291)}); !strings.Contains(text,
		"cannot tell") {
		t.Error(text)
	}
	r, err = balance.JudgeGroups([]balance.Group{group(3.330), group(3.260), group(3.330)})
	if err != nil || len(r.Findings) != 1 || r.Findings[0].Level != finding.Caution || r.Lowest != 1 {
		t.Errorf("70 mV lower: %+v, %v", r, err)
	}
}

func TestUnusable(t *testing.T) {
	if _, err := balance.JudgeGroups(nil); err == nil {
		t.Error("no groups")
	}
	if _, err := balance.JudgeGroups([]balance.Group{{Name: "a", Chemistry: "mud", Volts: 3}}); err == nil ||
		!strings.Contains(err.Error(), "a:") {
		t.Errorf("%v", err)
	}
	r, err := balance.JudgeGroups(at(t, []float64{0.5, 0.3}, 40)) // one capacity not known
	if err != nil || r.BalancedAh != 0 || len(r.Findings) != 1 {
		t.Errorf("%+v, %v", r, err)
	}
}

func ExampleJudgeGroups() {
	c, _ := chem.NewCurve([]float64{0, 0.5, 1}, []float64{3.1, 3.6, 4.1})
	r, _ := balance.JudgeGroups([]balance.Group{{Name: "a", Chemistry: chem.NMC, Curve: &c, Volts: 3.6, Ah: 40},
		{Name: "b", Chemistry: chem.NMC, Curve: &c, Volts: 3.4, Ah: 40}})
	fmt.Printf("%.1f Ah as it stands, %.1f Ah balanced\n", r.AsFoundAh, r.BalancedAh)
	// Output: 32.0 Ah as it stands, 40.0 Ah balanced
}

func BenchmarkJudge(b *testing.B) {
	q := make([]float64, 112)
	ah := make([]float64, 112)
	for i := range q {
		q[i], ah[i] = 0.4+0.001*float64(i), 40
	}
	gs := at(b, q, ah...)
	for b.Loop() {
		if _, err := balance.JudgeGroups(gs); err != nil {
			b.Fatal(err)
		}
	}
}

// One group off the plateau and its siblings on it: how much it lacks is no better known than where the siblings are,
// and how far they are from each other voltage does not tell.
func TestOneLowWhereTheOthersLieOnThePlateau(t *testing.T) {
	k, err := chem.Lookup(chem.LFP)
	if err != nil {
		t.Fatal(err)
	}
	var gs []balance.Group
	for i := range 16 {
		v := 3.300 + float64(i%3-1)*0.001
		if i == 5 {
			v = 3.054
		}
		gs = append(gs, balance.Group{Name: fmt.Sprintf("group %d", i+1), Chemistry: chem.LFP, Volts: v, Ah: 280})
	}
	r, err := balance.JudgeGroups(gs)
	if err != nil {
		t.Fatal(err)
	}
	low, high := k.Curve.SoC(3.300-k.HysteresisVolts), k.Curve.SoC(3.300+k.HysteresisVolts)
	if r.SpreadShare.Low > low-0.02 || r.SpreadShare.High < high-0.10 {
		t.Errorf("%v apart, where the others may be anywhere from %.0f to %.0f %% full", r.SpreadShare, low*100,
			high*100)
	}
	if r.AsFoundHighAh-r.AsFoundLowAh < 0.2*280 || r.OffsetsAh != nil {
		t.Errorf("gives %s, offsets %v: the plateau tells neither", r.AsFound(), r.OffsetsAh)
	}
	if !r.Resolved || finding.Worst(r.Findings) != finding.Caution {
		t.Errorf("resolved %v, %v: that it lacks much is certain", r.Resolved, r.Findings)
	}
}
