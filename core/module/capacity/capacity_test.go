package capacity_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/capacity"
)

func judge(t testing.TB, k capacity.Known) capacity.Estimate {
	t.Helper()
	e, ok, err := capacity.JudgeKnown(k, capacity.DefaultPolicy)
	if err != nil || !ok {
		t.Fatal(ok, err)
	}
	if !(e.LowAh <= e.LikelyAh && e.LikelyAh <= e.HighAh && e.LowAh >= 0) {
		t.Fatalf("%+v is no interval", e)
	}
	return e
}

func ExampleJudgeKnown() {
	e, _, _ := capacity.JudgeKnown(capacity.Known{RatedAh: 60}, capacity.DefaultPolicy)
	fmt.Println(e, "·", e.Mark())
	e, _, _ = capacity.JudgeKnown(capacity.Known{RatedAh: 60, Lot: []float64{48, 50}}, capacity.DefaultPolicy)
	fmt.Println(e, "·", e.Mark())
	e, _, _ = capacity.JudgeKnown(capacity.Known{RatedAh: 60, Lot: []float64{48, 50}, MeasuredAh: 47,
		UncertaintyAh: 0.4},
		capacity.DefaultPolicy)
	fmt.Println(e, "·", e.Mark())
	// Output:
	// 30 to 60 Ah · plate
	// 41 to 57 Ah · sampled, 2 tested
	// 47.0 Ah · measured
}

// What is known better is never wider than what is known worse, and rests on the better word.
func TestMoreKnownIsNarrower(t *testing.T) {
	steps := []capacity.Known{{RatedAh: 60}}
	add := func(f func(k *capacity.Known)) {
		k := steps[len(steps)-1]
		f(&k)
		steps = append(steps, k)
	}
	add(func(k *capacity.Known) { k.ClaimedShare = 0.85 })
	add(func(k *capacity.Known) { k.Lot = []float64{46, 45.5, 46.2, 45.8, 46.1} })
	add(func(k *capacity.Known) { k.MeasuredAh, k.UncertaintyAh = 45.9, 0.5 })
	last := capacity.Estimate{HighAh: math.Inf(1)}
	for i, k := range steps {
		e := judge(t, k)
		if e.WidthAh() >= last.WidthAh() {
			t.Errorf("step %d: %+v is no narrower than %+v", i, e, last)
		}
		last = e
	}
}

func TestWhatWasTestedOfItselfBounds(t *testing.T) {
	for _, c := range []struct {
		name  string
		k     capacity.Known
		basis capacity.Basis
		low   float64 // at least
		high  float64 // at most
	}{
		{"part of a discharge", capacity.Known{RatedAh: 60, AtLeastAh: 41}, capacity.Part, 41, 60},
		{"a part that says less than the plate's low end changes nothing", capacity.Known{RatedAh: 60, AtLeastAh: 10},
			capacity.Plate, 30, 60},
		{"a half is a roof", capacity.Known{RatedAh: 60, AtMostAh: 44}, capacity.Part, 30, 44},
		{"a half alone", capacity.Known{AtMostAh: 44}, capacity.Part, 30, 44},
		{"a half below all its siblings", capacity.Known{RatedAh: 60, AtMostAh: 30, Lot: []float64{50, 50, 50, 50}},
			capacity.Part, 20, 30},
		{"a half and part of a discharge", capacity.Known{RatedAh: 60, AtMostAh: 44, AtLeastAh: 40}, capacity.Part, 40,
			44},
		{"a bank tested whole", capacity.Known{RatedAh: 60, BankAh: 47}, capacity.Whole, 47, 60},
		{"a bank of modules without a plate", capacity.Known{BankAh: 47}, capacity.Whole, 47, 60},
		{"a gap in the log", capacity.Known{RatedAh: 60, MeasuredAh: 44, MeasuredHigh: 50, UncertaintyAh: 1},
			capacity.Measured, 43, 51},
	} {
		t.Run(c.name, func(t *testing.T) {
			e := judge(t, c.k)
			if e.Basis != c.basis || e.LowAh < c.low-1e-9 || e.HighAh > c.high+1e-9 {
				t.Errorf("%+v, expected %s within %v to %v", e, c.basis, c.low, c.high)
			}
		})
	}
}

func TestNothingKnownIsNoNumber(t *testing.T) {
	if e, ok, err := capacity.JudgeKnown(capacity.Known{ClaimedShare: 0.8}, capacity.DefaultPolicy); ok || err != nil {
		t.Errorf("%+v of a share of nothing, %v", e, err)
	}
	for _, k := range []capacity.Known{{RatedAh: -1}, {RatedAh: math.NaN()}, {Lot: []float64{math.Inf(1)}},
		{RatedAh: 60, AtMostAh: -2}} {
		if _, _, err := capacity.JudgeKnown(k, capacity.DefaultPolicy); err == nil {
			t.Errorf("%+v was taken", k)
		}
	}
}

// Of lots that spread as the policy says, and of lots that spread half or one and a half times as much, about nine of
// ten further siblings lie inside: never far fewer.
func TestNineOfTenSiblingsLieInside(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for _, spread := range []float64{0.035, 0.07, 0.105} {
		for _, n := range []int{1, 2, 3, 6} {
			inside, all := 0, 4000
			for range all {
				draw := func() float64 { return 50 * (1 + spread*rng.NormFloat64()) }
				k := capacity.Known{RatedAh: 100}
				for range n {
					k.Lot = append(k.Lot, draw())
				}
				e := judge(t, k)
				if a := draw(); a >= e.LowAh && a <= e.HighAh {
					inside++
				}
			}
			if share := float64(inside) / float64(all); share < 0.80 {
				t.Errorf("%d tested, spread %.1f %%: %.0f %% of further siblings inside", n, spread*100, share*100)
			}
		}
	}
}

// Twenty alike: the half width is t(22)·s·√(1 + 1/20), worked out by hand with t from a table (1.717) and three prior
// samples at 7 %; one sibling alone: t(3) = 2.353.
func TestSampledByHand(t *testing.T) {
	for _, c := range []struct {
		n    int
		half float64
	}{{20, 1.717 * math.Sqrt(3*3.5*3.5/22) * math.Sqrt(1+1.0/20)}, {1, 2.353 * 3.5 * math.Sqrt2},
		{3, 2.015 * math.Sqrt(3*3.5*3.5/5) * math.Sqrt(1+1.0/3)}} {
		k := capacity.Known{RatedAh: 100}
		for range c.n {
			k.Lot = append(k.Lot, 50)
		}
		if e := judge(t, k); math.Abs(e.LikelyAh-e.LowAh-c.half) > 0.01 {
			t.Errorf("%d tested: ± %.3f Ah, by hand %.3f", c.n, e.LikelyAh-e.LowAh, c.half)
		}
	}
}

// Amp hours in another scale give the same answer in that scale, and the order of siblings says nothing.
func TestScaleAndOrder(t *testing.T) {
	k := capacity.Known{RatedAh: 60, Lot: []float64{48, 44, 51}, AtLeastAh: 40}
	e := judge(t, k)
	s := judge(t, capacity.Known{RatedAh: 120, Lot: []float64{102, 96, 88}, AtLeastAh: 80})
	if math.Abs(s.LowAh-2*e.LowAh) > 1e-9 || math.Abs(s.HighAh-2*e.HighAh) > 1e-9 || s.Basis != e.Basis {
		t.Errorf("%+v and twice as much %+v", e, s)
	}
}

func BenchmarkJudge(b *testing.B) {
	k := capacity.Known{RatedAh: 60, Lot: []float64{48, 44, 51, 47, 49}}
	for b.Loop() {
		if _, _, err := capacity.JudgeKnown(k, capacity.DefaultPolicy); err != nil {
			b.Fatal(err)
		}
	}
}

// An estimate is as sure as what it rests on, and a page shows it as the same text everywhere.
func TestAnEstimateKnowsWhereItComesFrom(t *testing.T) {
	for basis, mark := range map[capacity.Basis]string{capacity.Measured: "measured", capacity.Whole: "worked",
		capacity.Part: "worked", capacity.Sampled: "worked", capacity.Typical: "worked", capacity.Claimed: "said",
		capacity.Plate: "assumed"} {
		e := capacity.Estimate{LowAh: 38.4, LikelyAh: 41.2, HighAh: 43.1, Basis: basis}
		if k := e.Known(); k.Mark() != mark || k.Low() != 38.4 || k.High() != 43.1 {
			t.Errorf("%s: %+v is %s, expected %s", basis, k, k.Mark(), mark)
		}
		if e.String() != "38 to 44 Ah" || e.Figure().String() != e.String() {
			t.Errorf("%s: %s", basis, e)
		}
	}
	close := capacity.Estimate{LowAh: 40.9, LikelyAh: 41.2, HighAh: 41.5, Basis: capacity.Measured}
	if close.String() != "41.2 Ah" || (capacity.Estimate{}).Known().Is() {
		t.Errorf("%s, %+v", close, capacity.Estimate{}.Known())
	}
}

func ExampleOfEnergy() {
	ah, _ := capacity.OfEnergy(4300, 5, chem.LFP)
	_, known := capacity.OfEnergy(4300, 5, "")
	fmt.Printf("%.1f Ah %v", ah, known)
	// Output: 268.8 Ah false
}

// A part holds no less than its share of what the whole gave, and may hold no more; a claim for the whole, or a sibling
// that did better, says nothing of it. With groups opened the share is the roof instead.
func TestAPartIsKnownByTheWhole(t *testing.T) {
	k := capacity.Known{RatedAh: 202, ClaimedShare: 0.88, Lot: []float64{190}}
	for name, x := range map[string]struct {
		k                 capacity.Known
		low, likely, high float64
	}{
		"cut":           {k.PartOf(96.7, 1), 96.7, 96.7, 202},
		"groups joined": {capacity.Known{RatedAh: 404, ClaimedShare: 0.88}.PartOf(96.7, 2), 193.4, 193.4, 404},
		"tested by itself": {capacity.Known{RatedAh: 202, MeasuredAh: 180, UncertaintyAh: 2}.PartOf(96.7, 1), 178, 180,
			182},
		"better than plate": {capacity.Known{RatedAh: 90}.PartOf(96.7, 1), 96.7, 96.7, 96.7},
	} {
		e, ok, err := capacity.JudgeKnown(x.k, capacity.DefaultPolicy)
		if err != nil || !ok || math.Abs(e.LowAh-x.low) > 1e-9 || math.Abs(e.LikelyAh-x.likely) > 1e-9 ||
			math.Abs(e.HighAh-x.high) > 1e-9 {
			t.Errorf("%s: %+v %v: expected %v, %v, %v", name, e, err, x.low, x.likely, x.high)
		}
	}
	up, _, err := capacity.JudgeKnown(capacity.Known{RatedAh: 101, ClaimedShare: 0.88}.PartOf(96.7, 0.5),
		capacity.DefaultPolicy)
	if err != nil || up.HighAh > 48.35+1e-9 || up.LowAh >= up.HighAh || up.LowAh <= 0 {
		t.Errorf("%+v %v: expected at most half of what the whole gave", up, err)
	}
	open, _, err := capacity.JudgeKnown(capacity.Known{RatedAh: 202, ClaimedShare: 0.88}.PartOf(0, 1),
		capacity.DefaultPolicy)
	if err != nil || open.Basis != capacity.Plate {
		t.Errorf("%+v %v: expected its plate alone where the whole was never tested", open, err)
	}
}
