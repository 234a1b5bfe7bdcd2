package sense_test

import (
	"slices"
	"testing"

	"pandrel/core/module/sense"
	"pandrel/golden"
)

func TestWhereLeadsChange(t *testing.T) {
	expected := []float64{0, 3.7, 7.39, 11.1, 14.82}
	type asked struct {
		Expected []float64
		Measured []sense.Measured
		Accuracy float64
	}
	with := func(f func(m []sense.Measured)) asked { m := read(expected); f(m); return asked{expected, m, 0.01} }
	cases := []golden.Case[asked]{{Name: "good", In: with(func([]sense.Measured) {})},
		{Name: "swapped", In: with(func(m []sense.Measured) { m[1].Volts, m[2].Volts = m[2].Volts, m[1].Volts })},
		{Name: "one open", In: with(func(m []sense.Measured) { m[3].Volts = 0.02 })},
		{Name: "shifted", In: with(func(m []sense.Measured) { copyVolts(m[2:5], []float64{11.1, 14.82, 14.82}) })},
		{Name: "reversed", In: with(func(m []sense.Measured) { copyVolts(m, []float64{14.82, 11.1, 7.39, 3.7, 0}) })},
		{Name: "probes swapped", In: with(func(m []sense.Measured) {
			copyVolts(m, []float64{0, -3.7, -7.39, -11.1, -14.82})
		})}, {Name: "lead 0 not proven", In: asked{expected, read(expected)[:5], 0.01}}, {Name: "one not measured",
			In: asked{expected, slices.Delete(read(expected), 2, 3), 0.01}}, {Name: "charged since",
			In: with(func(m []sense.Measured) {
				for i := range m {
					m[i].Volts *= 1.05
				}
			})}, {Name: "a foreign volt", In: with(func(m []sense.Measured) { m[2].Volts = 5.2 })},
		{Name: "unlike groups", In: asked{[]float64{0, 3.7, 6.9, 10.9}, read([]float64{0, 3.7, 6.9, 10.8}), 0.02}}}
	solve := func(a asked) (any, error) {
		v, err := sense.JudgeLeads("B1", a.Expected, a.Measured, a.Accuracy)
		return []any{v, v.Shown(), v.Proven()}, err
	}
	golden.Judged(t, "leads", cases[:4], solve)
	golden.Answers(t, "more", cases[4:], solve)
	golden.Same(t, "coarsest", golden.Text([]float64{sense.CoarsestVolts(expected), sense.CoarsestVolts([]float64{0,
		2})}))
}

func copyVolts(m []sense.Measured, v []float64) {
	for i := range v {
		m[i].Volts = v[i]
	}
}
