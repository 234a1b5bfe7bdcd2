package pack_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/golden"
)

func TestWherePacksChange(t *testing.T) {
	eight := []float64{29.4, 29.4, 29.4, 29.4, 29.4, 29.4, 29.4, 29.4}
	golden.Judged(t, "pack", []golden.Case[pack.Pack]{{Name: "eight", In: pack.Pack{Volts: eight, DisconnectAfter: 4},
		Longest: 120}, {Name: "wet", In: pack.Pack{Volts: eight, WetPlace: true}}, {Name: "fixed",
		In: pack.Pack{Volts: eight, Fixed: []int{2, 6}}}, {Name: "large modules", In: pack.Pack{Volts: []float64{75, 20,
		62}}}, {Name: "one", In: pack.Pack{Volts: []float64{50}}}}, func(p pack.Pack) (any, error) {
		plan, err := pack.Split(p)
		if err != nil {
			return nil, err
		}
		places, err := pack.Places(p)
		if err != nil {
			return nil, err
		}
		found, err := pack.Located(p, p.Volts[0])
		if err != nil {
			return []any{plan, places, err.Error()}, nil
		}
		return []any{plan, places, found, pack.Steps(p, plan)}, nil
	})
	type read struct {
		Step         gates.Step
		Volts, Limit float64
	}
	golden.Judged(t, "volts", []golden.Case[read]{{Name: "dead", In: read{gates.Step{Key: "dead", Ask: gates.AskVolts},
		0.2, 60}}, {Name: "a piece", In: read{gates.Step{Key: "piece", Ask: gates.AskVolts, ExpectVolts: 58.8}, 58.7,
		60}}, {Name: "another piece", In: read{gates.Step{Key: "piece", Ask: gates.AskVolts, ExpectVolts: 58.8}, 29.4,
		60}}}, func(r read) (any, error) {
		ok, f := pack.JudgeVolts(r.Step, r.Volts, r.Limit)
		return []any{ok, []finding.Finding{f}}, nil
	})
	golden.Same(t, "lifts", golden.Text([]any{pack.LiftAfter("lift-3"), pack.LiftAfter("piece-2"), pack.LiftAfter("x"),
		pack.Place{NegativeVolts: 20, PositiveVolts: 38}.LargerVolts()}))
}
