package unsure_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/unsure"
	"pandrel/core/base/known"
)

func ExampleTestFirst() {
	parts := []unsure.Part{
		{Name: "K-1", Position: 0, Ah: known.Within(45, 44, 46, known.Measured)},
		{Name: "K-2", Position: 1, Ah: known.Within(45, 30, 60, known.Assumed)},
		{Name: "K-3", Position: 2, Ah: known.Within(59, 58, 60, known.Measured)},
	}
	b, _ := unsure.JudgeParts(parts, false)
	fmt.Printf("%s, likely %.0f, %s\n", b.Text(0, "Ah"), b.V(), b.Mark())
	first, _ := unsure.TestFirst(parts, false, 3)
	fmt.Println(first[0].Name)
	// Output:
	// 30 to 46 Ah, likely 45, assumed
	// K-2
}

func part(name string, pos, mate int, low, likely, high float64) unsure.Part {
	return unsure.Part{Name: name, Position: pos, Mate: mate, Ah: known.Within(likely, low, high, known.Measured)}
}

// Whatever the modules hold within their intervals, the bank lies within its own.
func TestEveryBankLiesInside(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 300 {
		s, p := 1+rng.IntN(6), 1+rng.IntN(3)
		var parts []unsure.Part
		for i := range s {
			for k := range p {
				low := 20 + 20*rng.Float64()
				likely := low + 10*rng.Float64()
				parts = append(parts, part(fmt.Sprintf("%d-%d", i, k), i, k, low, likely, likely+10*rng.Float64()))
			}
		}
		for _, style := range []bool{false, true} {
			b, err := unsure.JudgeParts(parts, style)
			if err != nil {
				t.Fatal(err)
			}
			drawn := slices.Clone(parts)
			for i, x := range drawn {
				drawn[i].Ah = known.Of(x.Ah.Low()+rng.Float64()*(x.Ah.High()-x.Ah.Low()), known.Measured)
			}
			got, err := unsure.JudgeParts(drawn, style)
			if err != nil || got.V() < b.Low()-1e-9 || got.V() > b.High()+1e-9 {
				t.Fatalf("%v Ah outside of %+v (%v)", got.V(), b, err)
			}
			if !got.Exact() {
				t.Fatalf("%+v of modules without doubt", got)
			}
		}
	}
}

func TestTheOneThatDecides(t *testing.T) {
	for _, c := range []struct {
		name  string
		parts []unsure.Part
		style bool
		first string
		share float64 // at least
	}{
		{"the only open one", []unsure.Part{part("a", 0, 0, 50, 50, 50), part("b", 1, 0, 30, 40, 50)}, false, "b",
			0.95},
		{"a wide one that never is the least decides nothing", []unsure.Part{part("weak", 0, 0, 28, 30, 32),
			part("strong", 1, 0, 60, 90, 120)}, false, "weak", 0.95},
		{"in parallel the wider one", []unsure.Part{part("narrow", 0, 0, 38, 40, 42), part("wide", 0, 1, 30, 40, 50)},
			false, "wide", 0.9},
		{"strings first: the weak one of its string", []unsure.Part{part("a1", 0, 0, 49, 50, 51), part("a2", 1, 0, 30,
			40, 50), part("b1", 0, 1, 45, 45, 45), part("b2", 1, 1, 46, 46, 46)}, true, "a2", 0.9},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := unsure.TestFirst(c.parts, c.style, 3)
			if err != nil || len(got) == 0 || got[0].Name != c.first || got[0].Share < c.share {
				t.Fatalf("%+v, %v: expected %s with %v", got, err, c.first, c.share)
			}
		})
	}
}

// Two independent modules in parallel: shares are those of their variances, and add up to one.
func TestSharesAreThoseOfTheVariances(t *testing.T) {
	got, err := unsure.TestFirst([]unsure.Part{part("a", 0, 0, 20, 30, 40), part("b", 0, 1, 25, 30, 35)}, false, 3)
	if err != nil || len(got) != 2 {
		t.Fatal(got, err)
	}
	if math.Abs(got[0].Share-0.8) > 0.03 || math.Abs(got[1].Share-0.2) > 0.03 { // 10² : 5²
		t.Errorf("%+v, expected 0.8 and 0.2", got)
	}
}

// A bank does not change with the order in which its modules are listed.
func TestOrderSaysNothing(t *testing.T) {
	parts := []unsure.Part{part("a", 0, 0, 30, 45, 60), part("b", 1, 0, 38, 40, 60), part("c", 2, 0, 35, 45, 50),
		part("d", 3, 0, 45, 45, 45)}
	want, err := unsure.TestFirst(parts, false, 3)
	if err != nil {
		t.Fatal(err)
	}
	slices.Reverse(parts)
	got, err := unsure.TestFirst(parts, false, 3)
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("%v, then %v (%v)", want, got, err)
	}
}

func TestNothingOpenNothingToTest(t *testing.T) {
	got, err := unsure.TestFirst([]unsure.Part{part("a", 0, 0, 50, 50, 50)}, false, 3)
	if err != nil || len(got) > 0 {
		t.Errorf("%v, %v", got, err)
	}
	for _, bad := range [][]unsure.Part{nil, {part("a", 0, 0, 50, 40, 60)}, {part("a", 0, 0, math.NaN(), 40, 60)},
		{part("a", -1, 0, 30, 40, 60)}} {
		if _, err := unsure.JudgeParts(bad, false); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

func BenchmarkTestFirst(b *testing.B) {
	var parts []unsure.Part
	for i := range 28 {
		parts = append(parts, part(fmt.Sprint(i), i%14, i/14, 30, 45, 60))
	}
	for b.Loop() {
		if _, err := unsure.TestFirst(parts, false, 3); err != nil {
			b.Fatal(err)
		}
	}
}
