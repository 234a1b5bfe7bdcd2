package check_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/check"
	"pandrel/core/module/declare"
	"pandrel/golden"
)

func TestWhereChecksChange(t *testing.T) {
	type read struct {
		Volts  []float64
		series int
		posts  []string
		pins   []string
	}
	p := []string{"X1", "X2", "X3", "X4", "X5"}
	golden.Judged(t, "check", []golden.Case[read]{{Name: "posts and pins", In: read{[]float64{14.8, 3.7, 7.4, 11.1}, 4,
		[]string{"A-", "A+"}, p}}, {Name: "a middle", In: read{[]float64{13.2, 6.6}, 4, []string{"A-", "M", "A+"},
		nil}}, {Name: "reversed", In: read{[]float64{-14.8, -3.7, -7.4, -11.1}, 4, []string{"A-", "A+"}, p}},
		{Name: "too few", In: read{[]float64{14.8}, 4, []string{"A-", "A+"}, p}}}, func(r read) (any, error) {
		m, err := declare.Layout(declare.Declared{Series: r.series, Chemistry: chem.NMC, Posts: r.posts, Pins: r.pins})
		if err != nil {
			return nil, err
		}
		plan := check.Plan(m)
		fs, err := check.JudgePairs(plan, r.Volts, chem.NMC)
		return []any{plan, fs}, err
	})
}
