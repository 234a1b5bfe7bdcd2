package layout_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/layout"
	"pandrel/golden"
)

// row is a module read from its negative post up, and along.
func row(volts float64, n int) (rs []layout.Reading) {
	names := []string{"A-", "X2", "X3", "X4", "X5", "X6", "X7", "A+"}
	names[n] = "A+"
	for i := range n {
		rs = append(rs, rd(names[i+1], names[i], volts))
	}
	for i := 2; i <= n; i++ {
		rs = append(rs, rd(names[i], "A-", volts*float64(i)))
	}
	return rs
}

func TestWhereMapsChange(t *testing.T) {
	type asked struct {
		Readings []layout.Reading
		Options  layout.Options
	}
	with := func(volts float64, n int, o layout.Options, f func(rs []layout.Reading) []layout.Reading) asked {
		return asked{f(row(volts, n)), o}
	}
	same := func(rs []layout.Reading) []layout.Reading { return rs }
	nmc := layout.Options{Chemistry: chem.NMC}
	cases := []golden.Case[asked]{{Name: "four of NMC", In: with(3.71, 4, layout.Options{Chemistry: chem.NMC,
		PlateSeries: 4, PlateVolts: 14.8, MeterOhms: 1e7}, same)}, {Name: "one sign lost", In: with(3.71, 4, nmc,
		func(rs []layout.Reading) []layout.Reading {
			rs[2].Volts = -rs[2].Volts
			return rs
		})}, {Name: "a digit slipped", In: with(3.71, 4, nmc,
		func(rs []layout.Reading) []layout.Reading { rs[1].Volts = 3.17; return rs })}, {Name: "chemistry open",
		In: with(3.3, 4, layout.Options{}, same)}, {Name: "a pin that floats", In: with(3.71, 3,
		layout.Options{Chemistry: chem.NMC, Points: []string{"A-", "X2", "X3", "A+", "X9"}},
		func(rs []layout.Reading) []layout.Reading {
			return append(rs, rd("X9", "A-", 0.002), rd("A+", "X9", 0.001))
		})}, {Name: "no tap between", In: asked{[]layout.Reading{rd("A+", "A-", 25.9), rd("X", "A-", 0)}, nmc}},
		{Name: "roles declared, one reversed", In: asked{[]layout.Reading{rd("P1", "P0", 3.7), rd("P2", "P1", -3.7),
			rd("P3", "P2", 3.7), rd("P3", "P0", 3.7)}, layout.Options{Chemistry: chem.NMC,
			Roles: []layout.Role{{Point: "P0", Role: "pin", Order: 1}, {Point: "P1", Role: "pin", Order: 2},
				{Point: "P2", Role: "pin", Order: 3}, {Point: "P3", Role: "pin", Order: 4}}}}}, {Name: "to the case",
			In: with(3.71, 3, layout.Options{Chemistry: chem.NMC, MeterOhms: 1e7},
				func(rs []layout.Reading) []layout.Reading {
					return append(rs, rd("A+", "case", 0.4), rd("case", "A-", 0.02))
				})}, {Name: "posts joined", In: with(3.71, 3, layout.Options{Chemistry: chem.NMC, PostsJoined: true},
			same)}, {Name: "names that differ in capitals", In: asked{[]layout.Reading{rd("A+", "A-", 7.4), rd("a+",
			"A-", 7.4)}, nmc}}, {Name: "a name that the type has not", In: asked{[]layout.Reading{rd("A+", "A-",
			7.4), rd("A+", "Y1", 3.7)}, layout.Options{Chemistry: chem.NMC, Points: []string{"A-", "X1", "A+"}}}},
		{Name: "posts at one potential", In: asked{[]layout.Reading{rd("A+", "A-", 0), rd("X2", "A-", 3.7),
			rd("A+", "X2", -3.7)}, layout.Options{Chemistry: chem.NMC, Roles: []layout.Role{{Point: "A-",
			Role: "main_negative"}, {Point: "A+", Role: "main_positive"}}}}}, {Name: "two strings",
			In: asked{[]layout.Reading{rd("B", "A", 3.7), rd("C", "B", 3.7), rd("E", "D", 3.7), rd("F", "E", 3.7),
				rd("C", "A", 7.4), rd("F", "D", 7.4), rd("D", "A", 0.01)}, nmc}}, {Name: "a dead group", In: with(3.71,
			4, nmc, func([]layout.Reading) []layout.Reading {
				return []layout.Reading{rd("X2", "A-", 3.71), rd("X3", "X2", 0.3), rd("A+", "X3", 3.71), rd("A+", "A-",
					7.72)}
			})}}
	solve := func(a asked) (any, error) {
		m, err := layout.Solve(a.Readings, a.Options)
		if err != nil {
			return nil, err
		}
		return []any{m, m.GroupsBelow(), m.NotAsLabelled(), m.MayBeOwn()}, nil
	}
	golden.Judged(t, "map", cases, solve)
	var drawn []golden.Case[asked]
	rng := rand.New(rand.NewPCG(22, 1))
	for _, n := range []int{2, 5, 7, 12} {
		_, rs := randomCase(rng, n, n+3, 2*n+4)
		drawn = append(drawn, golden.Case[asked]{Name: "drawn", In: asked{rs, layout.Options{}}})
	}
	golden.Answers(t, "drawn", drawn, solve)
	// What is asked for, reading by reading, until nothing is.
	type step struct {
		Next layout.Next
		Done bool
	}
	var steps []step
	for k, series := range []int{3, 5, 7} {
		p := newProbing(rand.New(rand.NewPCG(uint64(k), 5)), series, 0.001)
		p.add("A-", 0)
		for i := 1; i < series; i++ {
			p.add(fmt.Sprint("X", i+1), i)
		}
		p.add("A+", series)
		for _, r := range guided(t, p, nil, layout.Options{Chemistry: chem.NMC}) {
			steps = append(steps, step{Next: layout.Next{Red: r.Red, Black: r.Black}})
		}
	}
	next, done := layout.Guide([]string{"A-", "X2", "A+"}, []layout.Reading{rd("A+", "A-", 7.4)}, []string{"X2"}, nmc)
	steps = append(steps, step{next, done})
	next, done = layout.Guide([]string{"A-", "X2", "A+"}, row(3.7, 2), nil, nmc)
	golden.Same(t, "guide", golden.Text([]any{steps, next, done,
		layout.CleanName("  a+ \u200b "), layout.CleanName("x 1")}))
}
