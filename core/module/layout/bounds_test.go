package layout_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/module/layout"
)

// nonsense is n readings between points that no module can give: 30 kB of it were once pasted into the map.
func nonsense(n, points int, volts func(r *rand.Rand, a, b int) float64) []layout.Reading {
	r := rand.New(rand.NewPCG(uint64(n), uint64(points)))
	var out []layout.Reading
	for len(out) < n {
		a, b := r.IntN(points), r.IntN(points)
		if a == b {
			continue
		}
		out = append(out, layout.Reading{Red: fmt.Sprint("P", a), Black: fmt.Sprint("P", b), Volts: volts(r, a, b),
			LastDigit: 0.001})
	}
	return out
}

func TestAMapIsBounded(t *testing.T) {
	level := func(_ *rand.Rand, a, b int) float64 { return 3.7 * float64(a-b) }
	for name, c := range map[string]struct {
		rs   []layout.Reading
		says string
	}{"points": {nonsense(4000, 900, level), "different points"}, "readings": {nonsense(6000, 20, level), "readings"}} {
		t.Run(name, func(t *testing.T) {
			_, err := layout.Solve(c.rs, layout.Options{})
			var u *layout.UnusableError
			if !errors.As(err, &u) || !strings.Contains(u.Text, c.says) || !strings.Contains(u.Text, "expected") {
				t.Error(err)
			}
		})
	}
}

// BenchmarkSolveNonsense is what a person may wait for at most: the largest input that is taken, in the ways in which
// it is dearest.
func BenchmarkSolveNonsense(b *testing.B) {
	for name, volts := range map[string]func(r *rand.Rand, a, b int) float64{
		"noise":    func(r *rand.Rand, a, b int) float64 { return 1.85*float64(a-b) + 5*r.Float64() },
		"tall":     func(r *rand.Rand, a, b int) float64 { return 2.9 * float64(a-b) },
		"anything": func(r *rand.Rand, _, _ int) float64 { return 2000 * (r.Float64() - 0.5) },
		"level":    func(_ *rand.Rand, a, b int) float64 { return 3.7 * float64(a-b) },
	} {
		for _, n := range []int{500, 5000} {
			rs := nonsense(n, 499, volts)
			b.Run(fmt.Sprintf("%s-%d", name, n), func(b *testing.B) {
				for b.Loop() {
					if _, err := layout.Solve(rs, layout.Options{}); err != nil {
						b.Fatal(err)
					}
				}
			})
		}
	}
}
