package match_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/match"
)

func ExampleSolve() {
	mods := []match.Module{{Name: "a", CapacityAh: 40}, {Name: "b", CapacityAh: 36}, {Name: "c", CapacityAh: 39},
		{Name: "d", CapacityAh: 37}}
	r, _ := match.Solve(match.Problem{Modules: mods, Series: 2, Parallel: 2, Style: match.ParallelFirst})
	fmt.Println(r.CapacityAh, r.ProvedBest, r.AsNumberedAh)
	// Output: 76 true 76
}

func random(rng *rand.Rand, n int) []match.Module {
	var out []match.Module
	for i := range n {
		out = append(out, match.Module{Name: fmt.Sprintf("K-%03d", i+1),
			CapacityAh: math.Round(10*(40+3*rng.NormFloat64())) / 10, ResistanceMOhm: 12 + rng.Float64()})
	}
	return out
}

// bestOf tries every way to fill the positions.
func bestOf(mods []match.Module, s, p int) float64 {
	sums, count := make([]float64, s), make([]int, s)
	best := 0.0
	var go_ func(i, placed int)
	go_ = func(i, placed int) {
		if placed == s*p {
			best = max(best, slices.Min(sums))
			return
		}
		if len(mods)-i < s*p-placed {
			return
		}
		for k := range s {
			if count[k] == p {
				continue
			}
			sums[k] += mods[i].CapacityAh
			count[k]++
			go_(i+1, placed+1)
			sums[k] -= mods[i].CapacityAh
			count[k]--
			if count[k] == 0 {
				break // empty positions are alike
			}
		}
		go_(i+1, placed)
	}
	go_(0, 0)
	return best
}

func TestSmallProblemsAreSolvedExactly(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for n := range 60 {
		s, p := 2+rng.IntN(2), 1+rng.IntN(3)
		mods := random(rng, s*p+rng.IntN(3))
		r, err := match.Solve(match.Problem{Modules: mods, Series: s, Parallel: p, Style: match.ParallelFirst, Seed: 1})
		if err != nil {
			t.Fatal(err)
		}
		want := bestOf(mods, s, p)
		if math.Abs(r.CapacityAh-want) > 1e-6 {
			t.Errorf("case %d (%d×%d of %d): %v, best %v", n, s, p, len(mods), r.CapacityAh, want)
		}
		if r.BoundAh < want-1e-9 {
			t.Errorf("case %d: bound %v below the best %v", n, r.BoundAh, want)
		}
		if r.CapacityAh < r.AsNumberedAh-1e-9 {
			t.Errorf("case %d: worse than as numbered", n)
		}
	}
}

func each(r match.Result) [][]string {
	if r.Style == match.StringsFirst {
		return r.Strings
	}
	return r.Positions
}

func TestEveryModuleOnceAndInvariants(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
		mods := random(rng, 40)
		p := match.Problem{Modules: mods, Series: 7, Parallel: 5, Style: style, Seed: 5}
		r, err := match.Solve(p)
		if err != nil {
			t.Fatal(err)
		}
		seen := map[string]int{}
		for _, part := range each(r) {
			for _, m := range part {
				seen[m]++
			}
		}
		for _, m := range r.LeftOver {
			seen[m]++
		}
		if len(seen) != 40 {
			t.Errorf("%s: %d modules of 40", style, len(seen))
		}
		for m, n := range seen {
			t.Run(m, func(t *testing.T) {
				if n != 1 {
					t.Errorf("%s: %s is used %d times", style, m, n)
				}
			})
		}
		// Twice the capacity gives twice the bank; other names change nothing.
		scaled := p
		scaled.Modules = slices.Clone(mods)
		for i := range scaled.Modules {
			scaled.Modules[i].CapacityAh *= 2
			scaled.Modules[i].Name = "x" + scaled.Modules[i].Name
		}
		if r2, _ := match.Solve(scaled); math.Abs(r2.CapacityAh-2*r.CapacityAh) > 1e-6 {
			t.Errorf("%s: scaling by 2 gave %v from %v", style, r2.CapacityAh, r.CapacityAh)
		}
	}
}

func TestStringsFirstIsSortedRuns(t *testing.T) {
	mods := []match.Module{{Name: "a", CapacityAh: 10}, {Name: "b", CapacityAh: 40}, {Name: "c", CapacityAh: 11},
		{Name: "d", CapacityAh: 41}}
	r, err := match.Solve(match.Problem{Modules: mods, Series: 2, Parallel: 2, Style: match.StringsFirst})
	if err != nil || r.CapacityAh != 50 || !r.ProvedBest || r.AsNumberedAh != 21 {
		t.Errorf("%+v, %v", r, err)
	}
}

// Every small combination of pins and bans is decided as trying all ways decides it, in both styles, and
// what comes out keeps to them.
func TestPinsAndBansAreDecidedAsBruteForceDecides(t *testing.T) {
	rng := rand.New(rand.NewPCG(30, 30))
	possible, impossible := 0, 0
	for n := range 1500 {
		s, p := 1+rng.IntN(3), 1+rng.IntN(3)
		if s*p > 6 {
			continue
		}
		mods := random(rng, s*p+rng.IntN(3))
		pins := map[int]int{}
		for i := range mods {
			for k := 1; k <= s; k++ {
				if rng.IntN(5) < 2 {
					mods[i].Ban = append(mods[i].Ban, k)
				}
			}
			if k := 1 + rng.IntN(s); rng.IntN(6) == 0 && pins[k] < p && !slices.Contains(mods[i].Ban, k) {
				mods[i].Pin = k
				pins[k]++
			}
		}
		may := func(i, k int) bool {
			if mods[i].Pin > 0 {
				return mods[i].Pin == k
			}
			return !slices.Contains(mods[i].Ban, k)
		}
		count := make([]int, s+1)
		best := math.Inf(-1)
		lists := make([][]float64, s+1)
		var try func(i, placed int)
		try = func(i, placed int) {
			if i == len(mods) {
				if placed < s*p {
					return
				}
				least, sum := math.Inf(1), 0.0
				cols := make([][]float64, s+1)
				for k := 1; k <= s; k++ {
					cols[k] = slices.Sorted(slices.Values(lists[k]))
					total := 0.0
					for _, v := range cols[k] {
						total += v
					}
					least = min(least, total)
				}
				for x := range p {
					m := math.Inf(1)
					for k := 1; k <= s; k++ {
						m = min(m, cols[k][x])
					}
					sum += m
				}
				best = max(best, sum)
				return
			}
			for k := 1; k <= s; k++ {
				if count[k] < p && may(i, k) {
					count[k]++
					lists[k] = append(lists[k], mods[i].CapacityAh)
					try(i+1, placed+1)
					lists[k] = lists[k][:len(lists[k])-1]
					count[k]--
				}
			}
			if mods[i].Pin == 0 {
				try(i+1, placed)
			}
		}
		try(0, 0)
		want := !math.IsInf(best, -1)
		for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
			r, err := match.Solve(match.Problem{Modules: mods, Series: s, Parallel: p, Style: style, Seed: 1})
			if (err == nil) != want {
				t.Fatalf("case %d, %s, %d×%d: %v, but a way exists: %v\n%+v", n, style, s, p, err, want, mods)
			}
			if err != nil {
				continue
			}
			for x, part := range each(r) {
				for y, name := range part {
					k := x + 1
					if style == match.StringsFirst {
						k = y + 1
					}
					if i := slices.IndexFunc(mods, func(m match.Module) bool { return m.Name == name }); !may(i, k) {
						t.Fatalf("case %d, %s: %s stands in position %d", n, style, name, k)
					}
				}
			}
			for _, m := range mods {
				if m.Pin > 0 && slices.Contains(r.LeftOver, m.Name) {
					t.Fatalf("case %d, %s: the pinned %s is left over", n, style, m.Name)
				}
			}
		}
		if want {
			possible++
		} else {
			impossible++
		}
	}
	if possible < 200 || impossible < 100 {
		t.Errorf("%d possible, %d impossible", possible, impossible)
	}
}

func TestPinsAndBans(t *testing.T) {
	for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
		mods := random(rand.New(rand.NewPCG(9, 9)), 12)
		mods[0].Pin, mods[1].Pin, mods[2].Ban, mods[11].Pin = 3, 3, []int{1, 2}, 1
		mods[11].CapacityAh = 5
		r, err := match.Solve(match.Problem{Modules: mods, Series: 3, Parallel: 3, Style: style})
		if err != nil {
			t.Fatal(err)
		}
		place := func(name string) int {
			for i, part := range each(r) {
				if k := slices.Index(part, name); k >= 0 {
					if style == match.StringsFirst {
						return k + 1
					}
					return i + 1
				}
			}
			return 0
		}
		if place(mods[0].Name) != 3 || place(mods[1].Name) != 3 || place(mods[11].Name) != 1 {
			t.Errorf("%s: pinned modules stand in %d, %d, %d", style, place(mods[0].Name), place(mods[1].Name),
				place(mods[11].Name))
		}
		if k := place(mods[2].Name); k == 1 || k == 2 {
			t.Errorf("%s: a banned module stands in %d", style, k)
		}
	}
}

func TestUnusable(t *testing.T) {
	two := []match.Module{{Name: "a", CapacityAh: 1}, {Name: "b", CapacityAh: 1}}
	cases := []struct {
		name, want string
		p          match.Problem
	}{
		{"too few", "at least 4", match.Problem{Modules: two, Series: 2, Parallel: 2, Style: match.ParallelFirst}},
		{"no series", "expected", match.Problem{Modules: two, Parallel: 2, Style: match.ParallelFirst}},
		{"style", "parallel-first", match.Problem{Modules: two, Series: 1, Parallel: 1}},
		{"twice", "twice", match.Problem{Modules: []match.Module{two[0], two[0]}, Series: 1, Parallel: 2,
			Style: match.ParallelFirst}},
		{"no capacity", "above 0", match.Problem{Modules: []match.Module{{Name: "a"}}, Series: 1, Parallel: 1,
			Style: match.ParallelFirst}},
		{"pin outside", "position 4", match.Problem{Modules: []match.Module{{Name: "a", CapacityAh: 1, Pin: 4}},
			Series: 1, Parallel: 1, Style: match.ParallelFirst}},
		{"all banned", "pins and bans", match.Problem{Modules: []match.Module{{Name: "a", CapacityAh: 1,
			Ban: []int{1}}}, Series: 1, Parallel: 1, Style: match.ParallelFirst}},
		{"all banned in strings", "pins and bans", match.Problem{Modules: []match.Module{{Name: "a", CapacityAh: 1,
			Ban: []int{1}}}, Series: 1, Parallel: 1, Style: match.StringsFirst}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			if _, err := match.Solve(c.p); err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func TestResistanceIsEvenedOutAtNoCost(t *testing.T) {
	var mods []match.Module
	for i := range 8 {
		r := 10.0
		if i < 4 {
			r = 20
		}
		mods = append(mods, match.Module{Name: fmt.Sprint(i), CapacityAh: 40, ResistanceMOhm: r})
	}
	r, _ := match.Solve(match.Problem{Modules: mods, Series: 4, Parallel: 2, Style: match.ParallelFirst})
	for _, p := range r.Positions {
		if (p[0] < "4") == (p[1] < "4") {
			t.Errorf("position %v holds two of one resistance", p)
		}
	}
	if r.CapacityAh != 80 {
		t.Errorf("capacity %v", r.CapacityAh)
	}
}

func TestTypesMixedInAPositionIsAStop(t *testing.T) {
	mods := []match.Module{{Name: "a", CapacityAh: 40, Type: "X"}, {Name: "b", CapacityAh: 40, Type: "Y"}}
	r, err := match.Solve(match.Problem{Modules: mods, Series: 1, Parallel: 2, Style: match.ParallelFirst})
	if err != nil || len(r.Findings) != 1 || r.Findings[0].Code != "types-mixed" {
		t.Errorf("%+v, %v", r.Findings, err)
	}
}

// 16 positions of 12 from 200 modules.
func BenchmarkMatch16x12From200(b *testing.B) {
	mods := random(rand.New(rand.NewPCG(7, 7)), 200)
	var gap float64
	for b.Loop() {
		r, err := match.Solve(match.Problem{Modules: mods, Series: 16, Parallel: 12, Style: match.ParallelFirst,
			Seed: 1})
		if err != nil {
			b.Fatal(err)
		}
		gap = r.Gap()
	}
	if gap >= 0.0005 {
		b.Fatalf("gap to the bound %.4f %%", gap*100)
	}
	b.ReportMetric(gap*100, "gap-%")
}
