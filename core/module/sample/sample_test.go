package sample_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/module/sample"
)

// The promise is kept: of many lots drawn at random, the next one lies in its interval as often as is said, and the
// weakest of the rest above its bound at least as often.
func TestThePromiseIsKept(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 4))
	const lots, n, total = 4000, 6, 26
	next, weakest, mean := 0, 0, 0
	for range lots {
		all := make([]float64, total)
		sum := 0.0
		for i := range all {
			all[i] = 170 + 6*r.NormFloat64()
			sum += all[i]
		}
		s, err := sample.Tell(sample.Lot{Tested: all[:n], Total: total})
		if err != nil {
			t.Fatal(err)
		}
		if all[n] >= s.NextLow && all[n] <= s.NextHigh {
			next++
		}
		low := math.Inf(1)
		for _, v := range all[n:] {
			low = min(low, v)
		}
		if low >= s.WeakestLow {
			weakest++
		}
		if m := sum / total; m >= s.MeanLow && m <= s.MeanHigh {
			mean++
		}
	}
	for name, got := range map[string]float64{"the next": float64(next) / lots, "the mean": float64(mean) / lots} {
		if math.Abs(got-0.95) > 0.015 {
			t.Errorf("%s is inside in %.1f %% of lots, said was 95 %%", name, got*100)
		}
	}
	if got := float64(weakest) / lots; got < 0.94 {
		t.Errorf("the weakest of the rest is above its bound in %.1f %% of lots", got*100)
	}
}

func TestEnds(t *testing.T) {
	same, _ := sample.Tell(sample.Lot{Tested: []float64{100, 100, 100}, Total: 10, Wanted: 90})
	if same.NextLow != 100 || same.BelowChance != 0 || same.More == nil || *same.More != 0 {
		t.Errorf("all alike: %+v", same)
	}
	whole, _ := sample.Tell(sample.Lot{Tested: []float64{100, 110, 120}, Total: 3})
	if whole.SeenWeakest != 1 || whole.MeanLow != whole.MeanHigh {
		t.Errorf("all tested: %+v", whole)
	}
	for name, l := range map[string]sample.Lot{"two": {Tested: []float64{1, 2}, Total: 5}, "more than " +
		"there are": {Tested: []float64{1, 2, 3}, Total: 2}, "below nothing": {Tested: []float64{1, -2, 3}, Total: 9}} {
		if _, err := sample.Tell(l); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
	// More tested of the same spread say more.
	few, _ := sample.Tell(sample.Lot{Tested: []float64{165, 170, 175}, Total: 40, Wanted: 160})
	many, _ := sample.Tell(sample.Lot{Tested: []float64{165, 170, 175, 165, 170, 175, 165, 170, 175}, Total: 40,
		Wanted: 160})
	if many.NextHigh-many.NextLow >= few.NextHigh-few.NextLow || many.BelowChance >= few.BelowChance {
		t.Errorf("%+v, %+v", few, many)
	}
}

func ExampleTell() {
	s, _ := sample.Tell(sample.Lot{Tested: []float64{171, 168, 175, 163, 170}, Total: 40, Series: 4})
	fmt.Printf("the next one %.0f to %.0f Ah, a bank of four untested %.0f Ah or more\n", s.NextLow, s.NextHigh,
		s.BankLow)
	// Output: the next one 156 to 183 Ah, a bank of four untested 153 Ah or more
}

func BenchmarkTell(b *testing.B) {
	l := sample.Lot{Tested: []float64{171, 168, 175, 163, 170}, Total: 400, Series: 16, Wanted: 160}
	for b.Loop() {
		if _, err := sample.Tell(l); err != nil {
			b.Fatal(err)
		}
	}
}

// Every value is counted once, in the step that holds it, whatever the width.
func TestBins(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 200 {
		var v []float64
		for range 1 + r.IntN(60) {
			v = append(v, math.Round(r.NormFloat64()*200)/10)
		}
		bins, w := sample.Bins(v, 0.1+5*r.Float64())
		n := 0
		for i, b := range bins {
			n += b.Count
			if i > 0 && math.Abs(b.Low-bins[i-1].Low-w) > 1e-9 {
				t.Fatalf("a step of %v, not %v", b.Low-bins[i-1].Low, w)
			}
		}
		if n != len(v) || len(bins) > 100 {
			t.Fatalf("%d of %d values in %d steps", n, len(v), len(bins))
		}
	}
	if b, _ := sample.Bins([]float64{80, 84.9, 85, 100}, 5); len(b) != 5 || b[0].Count != 2 || b[1].Count != 1 ||
		b[4].Count != 1 {
		t.Errorf("%v", b)
	}
	if b, w := sample.Bins([]float64{0, 1e9}, 1); len(b) > 100 || w <= 1 {
		t.Errorf("%d steps of %v", len(b), w)
	}
	if b, _ := sample.Bins([]float64{math.NaN()}, 1); b != nil {
		t.Errorf("%v", b)
	}
}
