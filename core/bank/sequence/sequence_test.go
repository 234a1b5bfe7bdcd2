package sequence_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/sequence"
)

// modules returns n modules of two points each, volts apart.
func modules(volts ...float64) *sequence.Parts {
	p := sequence.New(2 * len(volts))
	for i, v := range volts {
		p.Join(2*i, 2*i+1, v)
	}
	return p
}

// Four modules in a row: halves first, and the link between them last.
func ExampleParts_Order() {
	p := modules(14.8, 14.8, 14.8, 14.8)
	fmt.Println(p.Order([]sequence.Link{{A: 1, B: 2}, {A: 3, B: 4}, {A: 5, B: 6}}, 30))
	// Output: [0 2 1]
}

// exposed is what lies open after each link of an order.
func exposed(p *sequence.Parts, links []sequence.Link, order []int) []float64 {
	var out []float64
	for _, k := range order {
		p.Join(links[k].A, links[k].B, 0)
		out = append(out, p.Exposed)
	}
	return out
}

// The heap must take at each step a link that leaves the narrowest part, as looking at all of them would.
func TestLinkByLinkTheNarrowestIsNext(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for n := range 40 {
		volts := make([]float64, 20+r.IntN(30))
		for i := range volts {
			volts[i] = 3 + float64(r.IntN(40))/2
		}
		var links []sequence.Link
		for range 30 + r.IntN(60) { // also between points that are joined already, and in loops that do not fit
			a, b := r.IntN(2*len(volts)), r.IntN(2*len(volts))
			if a != b {
				links = append(links, sequence.Link{A: a, B: b})
			}
		}
		order := modules(volts...).Order(links, 60)
		sorted := slices.Clone(order)
		slices.Sort(sorted)
		for i, k := range sorted {
			if i != k {
				t.Fatalf("case %d: not every link once: %v", n, order)
			}
		}
		left := slices.Clone(order)
		for i, k := range order {
			least, chosen := math.Inf(1), 0.0
			for _, other := range left[i:] {
				p := modules(volts...)
				for _, done := range order[:i] {
					p.Join(links[done].A, links[done].B, 0)
				}
				before := p.Exposed
				p.Join(links[other].A, links[other].B, 0)
				rise := p.Exposed - before
				least = min(least, rise)
				if other == k {
					chosen = rise
				}
			}
			if chosen > least+1e-6 {
				t.Fatalf("case %d step %d: link %d raises what is exposed by %.3f V, another by %.3f", n, i, k,
					chosen, least)
			}
		}
	}
}

// Up to twelve links no order may be better than the one chosen.
func TestFewLinksAreOrderedAsWellAsCanBe(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	score := func(e []float64, touch float64) (above int, sum float64) {
		for _, v := range e {
			if sum += v; v > touch {
				above++
			}
		}
		return above, sum
	}
	for n := range 60 {
		volts := make([]float64, 6)
		for i := range volts {
			volts[i] = 5 + 20*r.Float64()
		}
		links := []sequence.Link{{A: 1, B: 2}, {A: 3, B: 4}, {A: 5, B: 6}, {A: 7, B: 8}, {A: 9, B: 10}}
		best := exposed(modules(volts...), links, modules(volts...).Order(links, 60))
		above, sum := score(best, 60)
		for range 120 {
			other := r.Perm(len(links))
			a, s := score(exposed(modules(volts...), links, other), 60)
			if a < above || a == above && s < sum-1e-9 {
				t.Fatalf("case %d: %v is better: %d steps above, %.2f V in all, against %d and %.2f", n, other, a, s,
					above, sum)
			}
		}
	}
}

// Ten times the links must not cost a hundred times as much.
func BenchmarkOrder(b *testing.B) {
	for _, n := range []int{1000, 10_000} {
		volts := make([]float64, n)
		links := make([]sequence.Link, n-1)
		for i := range volts {
			volts[i] = 14.8
		}
		for i := range links {
			links[i] = sequence.Link{A: 2*i + 1, B: 2*i + 2}
		}
		p := modules(volts...)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				p.Order(links, 60)
			}
		})
	}
}
