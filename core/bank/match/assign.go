package match

import (
	"cmp"
	"slices"
)

// assign fills every position with as many modules as it holds, by augmenting paths: modules in order,
// pinned ones first and then the strongest, each taken in wherever others can move to make room for it.
// That finds a filling whenever there is one (the sets of modules that can be placed together form a
// transversal matroid, so that taking the strongest first also gives the greatest sum). ok is false where
// there is none, or a pinned module finds no place. Cost is O(modules × places × positions).
func assign(p Problem) (pos [][]int, spare []int, ok bool) {
	order := make([]int, len(p.Modules))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int {
		mx, my := &p.Modules[x], &p.Modules[y]
		return cmp.Or(cmp.Compare(min(my.Pin, 1), min(mx.Pin, 1)), cmp.Compare(my.CapacityAh, mx.CapacityAh))
	})
	pos = make([][]int, p.Series)
	var seat func(m int, tried []bool) bool
	seat = func(m int, tried []bool) bool {
		for k := range pos {
			if tried[k] || !allowed(&p.Modules[m], k) {
				continue
			}
			tried[k] = true
			if len(pos[k]) < p.Parallel {
				pos[k] = append(pos[k], m)
				return true
			}
			for x, other := range pos[k] {
				if seat(other, tried) {
					pos[k][x] = m
					return true
				}
			}
		}
		return false
	}
	placed := 0
	for _, m := range order {
		if placed < p.Series*p.Parallel && seat(m, make([]bool, p.Series)) {
			placed++
			continue
		}
		if p.Modules[m].Pin > 0 {
			return nil, nil, false
		}
		spare = append(spare, m)
	}
	return pos, spare, placed == p.Series*p.Parallel
}

// stringsOf makes strings of filled positions: the strongest of each position together, and so on, which
// is the best that these positions give.
func stringsOf(p Problem, pos [][]int) [][]int {
	runs := make([][]int, p.Parallel)
	for _, list := range pos {
		list = slices.Clone(list)
		slices.SortStableFunc(list, func(x, y int) int {
			return cmp.Compare(p.Modules[y].CapacityAh, p.Modules[x].CapacityAh)
		})
		for i, m := range list {
			runs[i] = append(runs[i], m)
		}
	}
	return runs
}

// improve exchanges modules between positions, and with spares, as long as that raises what the strings
// give together. It is the fallback where pins and bans forbid the sorted runs.
func improve(p Problem, pos [][]int, spare []int) {
	value := func() float64 { return sumOfLeast(p, stringsOf(p, pos)) }
	best := value()
	for changed, rounds := true, 0; changed && rounds < 50; rounds++ {
		changed = false
		for a := range pos {
			for x := range pos[a] {
				for b := range pos {
					for y := range pos[b] {
						if b <= a || !allowed(&p.Modules[pos[a][x]], b) || !allowed(&p.Modules[pos[b][y]], a) {
							continue
						}
						pos[a][x], pos[b][y] = pos[b][y], pos[a][x]
						if v := value(); v > best+1e-9 {
							best, changed = v, true
						} else {
							pos[a][x], pos[b][y] = pos[b][y], pos[a][x]
						}
					}
				}
				for y := range spare {
					if p.Modules[pos[a][x]].Pin > 0 || !allowed(&p.Modules[spare[y]], a) {
						continue
					}
					pos[a][x], spare[y] = spare[y], pos[a][x]
					if v := value(); v > best+1e-9 {
						best, changed = v, true
					} else {
						pos[a][x], spare[y] = spare[y], pos[a][x]
					}
				}
			}
		}
	}
}
