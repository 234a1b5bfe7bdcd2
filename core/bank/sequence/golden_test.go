package sequence_test

import (
	"math/rand/v2"
	"testing"

	"pandrel/core/bank/sequence"
	"pandrel/golden"
)

// The order in which rows of links are fitted, and what lies open after each.
func TestInWhichOrderLinksAreFitted(t *testing.T) {
	var out []any
	rng := rand.New(rand.NewPCG(12, 4))
	for k := range 10 {
		volts := make([]float64, 3+k%6)
		for i := range volts {
			volts[i] = 12 + float64(rng.IntN(60))/4
		}
		var links []sequence.Link
		for i := range len(volts) - 1 {
			links = append(links, sequence.Link{A: 2*i + 1, B: 2*i + 2})
		}
		if k > 5 {
			links = append(links, sequence.Link{A: 0, B: 2*len(volts) - 1}, sequence.Link{A: 0, B: 3})
		}
		for _, touch := range []float64{30, 60} {
			order := modules(volts...).Order(links, touch)
			out = append(out, order, exposed(modules(volts...), links, order))
		}
	}
	var b string
	for _, x := range out {
		b += golden.Text(x)
	}
	golden.Same(t, "orders", b)
}
