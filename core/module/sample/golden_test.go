package sample_test

import (
	"testing"

	"pandrel/core/module/sample"
	"pandrel/golden"
)

func TestWhereSamplesChange(t *testing.T) {
	golden.Judged(t, "lot", []golden.Case[sample.Lot]{{Name: "five of forty", In: sample.Lot{Tested: []float64{48, 50,
		47, 51, 49}, Total: 40, Series: 14, Wanted: 40, Risk: 0.05}}, {Name: "two", In: sample.Lot{Tested: []float64{48,
		40}, Total: 10, Series: 4}}, {Name: "alike", In: sample.Lot{Tested: []float64{48, 48, 48}, Total: 3,
		Wanted: 50}}}, func(l sample.Lot) (any, error) {
		if l.Total > 20000 || l.Series > 20000 {
			return nil, nil
		}
		return sample.Tell(l)
	})
	type bins struct {
		Values []float64
		Width  float64
	}
	golden.Judged(t, "bins", []golden.Case[bins]{{Name: "five", In: bins{[]float64{41, 42.5, 44, 47.9, 48}, 2}},
		{Name: "own width", In: bins{[]float64{41, 42.5, 44, 47.9, 48}, 0}}, {Name: "one", In: bins{[]float64{41}, 0}}},
		func(b bins) (any, error) {
			list, used := sample.Bins(b.Values, b.Width)
			return []any{list, used}, nil
		})
}
