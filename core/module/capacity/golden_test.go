package capacity_test

import (
	"testing"

	"pandrel/core/module/capacity"
	"pandrel/golden"
)

func TestWhereEstimatesChange(t *testing.T) {
	golden.Judged(t, "estimate", []golden.Case[capacity.Known]{{Name: "plate", In: capacity.Known{RatedAh: 60}},
		{Name: "claimed", In: capacity.Known{RatedAh: 60, ClaimedShare: 0.8}}, {Name: "measured",
			In: capacity.Known{RatedAh: 60, MeasuredAh: 48, UncertaintyAh: 0.4}}, {Name: "measured at least",
			In: capacity.Known{RatedAh: 60, MeasuredAh: 48, MeasuredHigh: 52}}, {Name: "said",
			In: capacity.Known{RatedAh: 60, SaidAh: 50}}, {Name: "bounded", In: capacity.Known{
			RatedAh: 60, AtLeastAh: 40, AtMostAh: 52}}, {Name: "of its lot", In: capacity.Known{RatedAh: 60,
			Lot: []float64{48, 49, 47, 50}}}, {Name: "of its type", In: capacity.Known{RatedAh: 60,
			Type: []float64{44, 52, 47}}}, {Name: "in a bank", In: capacity.Known{RatedAh: 60, BankAh: 45}},
		{Name: "nothing"}}, func(k capacity.Known) (any, error) {
		e, ok, err := capacity.JudgeKnown(k, capacity.DefaultPolicy)
		return []any{e, ok, e.Provisional(), e.WidthAh(), e.Mark(), e.Source(), e.String()}, err
	})
}
