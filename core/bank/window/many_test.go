package window

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// someStocks are stocks of n modules in so many types, of which some are known within an interval alone.
func someStocks(rng *rand.Rand, types, n int, chemistry chem.ID) []Stock {
	out := make([]Stock, types)
	for i := range out {
		out[i] = Stock{Type: fmt.Sprintf("T-%d", i), Chemistry: chemistry, Series: 2 + rng.IntN(12)}
		rated := 20 + 80*rng.Float64()
		for j := range n / types {
			q := rated * (0.6 + 0.4*rng.Float64())
			m := Module{Name: fmt.Sprint(i, "-", j), CapacityAh: q, ResistanceMOhm: 1 + 5*rng.Float64()}
			if rng.IntN(3) == 0 {
				m.LowAh, m.HighAh = 0.9*q, 1.1*q
			}
			out[i].Modules = append(out[i].Modules, m)
		}
	}
	return out
}

// oneByOne is build as it is said: one more in parallel until it is enough.
func oneByOne(need Need, str []lay, c chem.Chemistry) (best Candidate) {
	most := len(str[0].Modules) / str[0].k
	for _, l := range str {
		most = min(most, len(l.Modules)/l.k)
	}
	for p := 1; p <= most; p++ {
		best = at(need, str, c, p)
		mends := slices.ContainsFunc(best.Findings, func(f finding.Finding) bool {
			return f.Code == "window-small" || f.Code == "current-too-high"
		})
		if best.Refused && !mends || best.ReachesWanted && need.WantedKWh > 0 && !best.overCurrent() {
			break
		}
	}
	return best
}

// The least number in parallel that is enough is found whichever way it is looked for.
func TestEnoughInParallelIsTheLeast(t *testing.T) {
	rng := rand.New(rand.NewPCG(21, 3))
	for range 400 {
		stocks := someStocks(rng, 2, 20+rng.IntN(120), []chem.ID{chem.NMC, chem.LFP}[rng.IntN(2)])
		need := Need{Class: Classes()[rng.IntN(4)], LoadWatts: cmp.Or(float64(rng.IntN(3)*rng.IntN(9000)), 10),
			WantedKWh: float64(rng.IntN(2)) * 40 * rng.Float64(), PeakAmps: float64(rng.IntN(2) * rng.IntN(900)),
			ChargeAmps: float64(rng.IntN(2) * rng.IntN(300))}
		if err := check(&need); err != nil {
			t.Fatal(err)
		}
		c, err := chem.Lookup(stocks[0].Chemistry)
		if err != nil {
			t.Fatal(err)
		}
		a, b := rank(stocks[0]), rank(stocks[1])
		k := 1 + rng.IntN(6)
		for _, str := range [][]lay{{{a, k}}, {{a, k}, {b, 1 + rng.IntN(3)}}} {
			got, want := build(need, str, c), oneByOne(need, str, c)
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("%+v of %d × %s: %d in parallel, expected %d", need, k, a.Type, got.Parallel, want.Parallel)
			}
		}
	}
}

// However large the stock, the number of ways that are worked out is that of the counts that fit, not of the modules.
func TestALargeStockIsNotWalked(t *testing.T) {
	allocations := func(n int) float64 {
		stocks := someStocks(rand.New(rand.NewPCG(7, 7)), 2, n, chem.NMC)
		need := Need{Class: 48, LoadWatts: 2000, WantedKWh: float64(n) * 0.1}
		return testing.AllocsPerRun(3, func() {
			if _, err := Candidates(need, stocks); err != nil {
				t.Fatal(err)
			}
		})
	}
	small, large := allocations(500), allocations(50_000)
	if large > 3*small {
		t.Errorf("%.0f allocations for 500 modules, %.0f for 50 000: expected them to grow with their logarithm", small,
			large)
	}
}

func BenchmarkCandidates5000(b *testing.B) {
	for _, types := range []int{3, 20} {
		stocks := someStocks(rand.New(rand.NewPCG(1, 1)), types, 5000, chem.NMC)
		for _, wanted := range []float64{0, 30} {
			b.Run(fmt.Sprint(types, " types, ", wanted, " kWh"), func(b *testing.B) {
				for b.Loop() {
					if _, err := Candidates(Need{Class: 48, LoadWatts: 2000, WantedKWh: wanted}, stocks); err != nil {
						b.Fatal(err)
					}
				}
			})
		}
	}
}
