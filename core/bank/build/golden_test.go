package build_test

import (
	"testing"

	"pandrel/core/bank/build"
	"pandrel/golden"
)

// The whole sheet, step by step, and where its cautions come.
func TestWhereTheSheetChanges(t *testing.T) {
	high := plan()
	high.FullVolts, high.HeaviestKg, high.FreezesHere, high.JoinVolts = 84, 31, true, 0.24
	high.Order[0].ExposedV = 84
	bare := plan()
	bare.BMS, bare.LoadAmps, bare.ChargeAmps, bare.LimitAmps = nil, 0, 0, 0
	golden.Judged(t, "sheet", []golden.Case[build.Plan]{{Name: "below the touch limit", In: plan()}, {Name: "above it",
		In: high}, {Name: "without a BMS", In: bare}}, func(p build.Plan) (any, error) {
		steps := build.Steps(p)
		groups := build.Grouped(steps)
		type told struct {
			Title       string
			First, Last int
			Alike       bool
			Reach       float64
		}
		var list []told
		for _, g := range groups {
			list = append(list, told{g.Title, g.First(), g.Last(), g.Alike(), g.Reach()})
		}
		return []any{steps, list}, nil
	})
}
