package match

import (
	"cmp"
	"math"
	"slices"

	"pandrel/core/base/finding"
)

// solveStrings sorts by capacity and cuts into runs, which maximises Σ over strings of the least module; equals are
// kept together by resistance. Pins and bans only concern the place within a string: they are met by an assignment
// inside each run, and where that fails by exchanging modules between runs, which may cost capacity.
func solveStrings(p Problem) (Result, error) {
	order := make([]int, len(p.Modules))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int {
		mx, my := &p.Modules[x], &p.Modules[y]
		return cmp.Or(cmp.Compare(my.CapacityAh, mx.CapacityAh), cmp.Compare(mx.ResistanceMOhm, my.ResistanceMOhm))
	})
	n := p.Series * p.Parallel
	chosen, spare := order[:n], order[n:]
	for i, m := range spare { // a pinned module is wanted, so it replaces the weakest that is free
		if p.Modules[m].Pin == 0 {
			continue
		}
		for k := n - 1; k >= 0; k-- {
			if p.Modules[chosen[k]].Pin == 0 {
				chosen[k], spare[i] = m, chosen[k]
				break
			}
		}
	}
	slices.SortStableFunc(chosen, func(x, y int) int {
		return cmp.Compare(p.Modules[y].CapacityAh, p.Modules[x].CapacityAh)
	})
	runs := make([][]int, p.Parallel)
	for i := range runs {
		runs[i] = slices.Clone(chosen[i*p.Series : (i+1)*p.Series])
	}
	bound := sumOfLeast(p, runs)
	placed, ok := placeAll(p, runs)
	if !ok {
		pos, rest, ok := assign(p)
		if !ok {
			return Result{}, impossible(p)
		}
		improve(p, pos, rest)
		placed, spare = stringsOf(p, pos), rest
	}
	r := Result{Style: StringsFirst, CapacityAh: sumOfLeast(p, placed), BoundAh: bound, LeftOver: []string{},
		Findings: []finding.Finding{}}
	r.ProvedBest = bound-r.CapacityAh <= provedWithin*bound
	for _, run := range placed {
		names := make([]string, len(run))
		least := math.Inf(1)
		for i, m := range run {
			names[i] = p.Modules[m].Name
			least = min(least, p.Modules[m].CapacityAh)
		}
		r.Strings = append(r.Strings, names)
		r.PartsAh = append(r.PartsAh, least)
	}
	for _, m := range spare {
		r.LeftOver = append(r.LeftOver, p.Modules[m].Name)
	}
	slices.Sort(r.LeftOver)
	r.AsNumberedAh = AsNumbered(p)
	return r, nil
}

func sumOfLeast(p Problem, runs [][]int) float64 {
	sum := 0.0
	for _, run := range runs {
		least := math.Inf(1)
		for _, m := range run {
			least = min(least, p.Modules[m].CapacityAh)
		}
		sum += least
	}
	return sum
}

// placeAll gives every module of each run a position it may take. A run that cannot be placed
// exchanges a module with another run, nearest runs first, until all can.
func placeAll(p Problem, runs [][]int) ([][]int, bool) {
	out := make([][]int, len(runs))
	for range len(runs)*p.Series + 1 {
		bad := -1
		for i := range runs {
			placed, ok := place(p, runs[i])
			if !ok {
				bad = i
				break
			}
			out[i] = placed
		}
		if bad < 0 {
			return out, true
		}
		if !exchangeRuns(p, runs, bad) {
			return nil, false
		}
	}
	return nil, false
}

// exchangeRuns finds the exchange with another run that makes run bad placeable at the least loss
// of capacity, without breaking a run before it.
func exchangeRuns(p Problem, runs [][]int, bad int) bool {
	bestLoss, bx, bk, by := math.Inf(1), -1, -1, -1
	was := sumOfLeast(p, runs)
	for x := range runs[bad] {
		for k := range runs {
			if k == bad {
				continue
			}
			for y := range runs[k] {
				runs[bad][x], runs[k][y] = runs[k][y], runs[bad][x]
				_, ok1 := place(p, runs[bad])
				_, ok2 := place(p, runs[k])
				if loss := was - sumOfLeast(p, runs); ok1 && (ok2 || k > bad) && loss < bestLoss {
					bestLoss, bx, bk, by = loss, x, k, y
				}
				runs[bad][x], runs[k][y] = runs[k][y], runs[bad][x]
			}
		}
	}
	if bx < 0 {
		return false
	}
	runs[bad][bx], runs[bk][by] = runs[bk][by], runs[bad][bx]
	return true
}

// place assigns the modules of one run to positions they may take, by augmenting paths.
func place(p Problem, run []int) ([]int, bool) {
	at := make([]int, p.Series) // index into run, −1 for free
	for i := range at {
		at[i] = -1
	}
	var seat func(i int, tried []bool) bool
	seat = func(i int, tried []bool) bool {
		for pos := range at {
			if tried[pos] || !allowed(&p.Modules[run[i]], pos) {
				continue
			}
			tried[pos] = true
			if at[pos] < 0 || seat(at[pos], tried) {
				at[pos] = i
				return true
			}
		}
		return false
	}
	for i := range run {
		if !seat(i, make([]bool, p.Series)) {
			return nil, false
		}
	}
	out := make([]int, p.Series)
	for pos, i := range at {
		out[pos] = run[i]
	}
	return out, true
}
