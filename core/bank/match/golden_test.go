package match_test

import (
	"fmt"
	"testing"

	"pandrel/core/bank/match"
	"pandrel/golden"
)

func pool(parallel int, style match.Style, ah ...float64) match.Problem {
	p := match.Problem{Series: 4, Parallel: parallel, Style: style, Seed: 3, Restarts: 4}
	for i, v := range ah {
		p.Modules = append(p.Modules, match.Module{Name: fmt.Sprint("M", i+1), CapacityAh: v,
			ResistanceMOhm: 3 + float64(i*i%5)/4, Type: "T"})
	}
	return p
}

func TestWhereMatchesChange(t *testing.T) {
	ah := []float64{41, 38.5, 40, 36, 42.5, 39, 37, 40.5, 35}
	pinned := pool(2, match.ParallelFirst, ah...)
	pinned.Modules[1].Pin, pinned.Modules[3].Ban, pinned.Modules[4].Ban = 2, []int{1, 2}, []int{3}
	types := pool(2, match.StringsFirst, ah...)
	types.Modules[2].Type, types.Modules[5].Type = "U", "U"
	both := pool(2, match.ParallelFirst, ah...)
	both.Modules[2].Type, both.Modules[5].Type, both.Modules[2].Pin, both.Modules[0].Pin = "U", "U", 1, 1
	unlike := pool(2, match.ParallelFirst, ah...)
	unlike.Modules[0].ResistanceMOhm, unlike.Modules[6].ResistanceMOhm = 9, 0
	wide := pool(2, match.ParallelFirst, 40, 40, 40, 20, 42, 12, 41, 39)
	golden.Judged(t, "match", []golden.Case[match.Problem]{{Name: "parallel first", In: pool(2, match.ParallelFirst,
		ah...)}, {Name: "strings first", In: pool(2, match.StringsFirst, ah...)}, {Name: "pinned and banned",
		In: pinned}, {Name: "one in parallel", In: pool(1, match.ParallelFirst, ah...)}, {Name: "two types", In: types},
		{Name: "unlike resistances", In: unlike}, {Name: "wide", In: wide}, {Name: "two types in positions", In: both}},
		func(p match.Problem) (any, error) {
			if len(p.Modules) > 0 && p.Restarts > 40 || p.Parallel > 40 || p.Series > 40 {
				return nil, nil
			}
			return match.Solve(p)
		})
	a, _ := match.Solve(pool(2, match.ParallelFirst, ah...))
	b, _ := match.Solve(pool(2, match.ParallelFirst, 30, 31, 32, 33, 34, 35, 36, 37))
	golden.Same(t, "in-series", golden.Text([]any{match.InSeries(a, b), a.Gap(), a.GainAh(), match.InSeries(a,
		b).Gap()}))
}
