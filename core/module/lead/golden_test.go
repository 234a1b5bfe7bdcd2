package lead_test

import (
	"testing"

	"pandrel/core/module/lead"
	"pandrel/golden"
)

func TestWhereLeadsChange(t *testing.T) {
	m, dead := trike(t, ""), trike(t, "X4")
	swapped, short := good(t), good(t)
	swapped.Wires = append([]lead.Wire(nil), swapped.Wires...)
	swapped.Wires[2].Input, swapped.Wires[3].Input = swapped.Wires[3].Input, swapped.Wires[2].Input
	short.Wires = short.Wires[:5]
	clip := good(t)
	clip.Mates = append([]lead.Mate{{Name: "clip", Clip: true, Points: []string{"A-"}}}, clip.Mates...)
	check := func(l lead.Lead) (any, error) {
		a, err := lead.CheckPins(l, m)
		if err != nil {
			return nil, err
		}
		b, err := lead.CheckPins(l, dead)
		if err != nil {
			return nil, err
		}
		v, err := lead.Expected(l, []float64{3.8, 3.8, 3.8, 3.8, 3.8, 3.8, 3.8})
		return []any{a, b, v}, err
	}
	golden.Judged(t, "lead", []golden.Case[lead.Lead]{{Name: "good", In: good(t), Words: true}, {Name: "swapped",
		In: swapped}, {Name: "short", In: short}, {Name: "with a clip", In: clip}, {Name: "for a dead pin",
		In: lead.For(dead, pins, "10-pin")}, {Name: "for posts", In: lead.For(m, nil, "")}}, check)
	var touched []lead.Touch
	for _, w := range good(t).Wires {
		touched = append(touched, lead.Touch{Point: w.Point, Inputs: []int{w.Input}})
	}
	golden.Judged(t, "continuity", []golden.Case[[]lead.Touch]{{Name: "good", In: touched}, {Name: "one left out",
		In: touched[1:]}, {Name: "two joined", In: append([]lead.Touch{{Point: touched[0].Point, Inputs: []int{0, 3}}},
		touched[1:]...)}, {Name: "one open", In: append([]lead.Touch{{Point: touched[0].Point}}, touched[1:]...)}},
		func(x []lead.Touch) (any, error) { return lead.JudgeContinuity(good(t), x) })
	type volts struct{ Expected, Measured []float64 }
	golden.Judged(t, "volts", []golden.Case[volts]{{Name: "good", In: volts{[]float64{0, 3.8, 7.6}, []float64{0,
		3.81, 7.59}}},
		{Name: "swapped", In: volts{[]float64{0, 3.8, 7.6}, []float64{0, 7.6, 3.8}}}}, func(v volts) (any, error) {
		return lead.JudgeVolts("L", v.Expected, v.Measured, 0.02)
	})
}
