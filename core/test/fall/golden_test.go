package fall_test

import (
	"testing"

	"pandrel/core/test/fall"
	"pandrel/golden"
)

func TestWhereAFallEnds(t *testing.T) {
	type looked struct {
		Groups   int
		Limit    float64
		Charging bool
		Readings []fall.Reading
		Now      float64
	}
	golden.Judged(t, "watch", []golden.Case[looked]{
		{Name: "down", In: looked{3, 3.0, false, []fall.Reading{{0, 11.6, 10, []float64{3.9, 3.9, 3.8}}, {600, 11.4, 10,
			nil}, {1200, 11.2, 10, nil}}, 1300}},
		{Name: "up", In: looked{3, 4.15, true, []fall.Reading{{0, 12, 10, []float64{4.0, 4.0, 4.02}}, {300, 12.1, 10,
			nil}}, 400}},
		{Name: "sum beside the total", In: looked{2, 3.0, false, []fall.Reading{{0, 7.6, 10, []float64{3.8, 3.8}}, {600,
			7.52, 10, []float64{3.76, 3.76}}}, 700}},
		{Name: "a small current", In: looked{2, 3.0, false, []fall.Reading{{0, 7.6, 1, []float64{3.8, 3.8}},
			{600, 7.55, 0.97, nil}}, 700}},
		{Name: "groups never read", In: looked{3, 3.0, false, []fall.Reading{{0, 11.6, 10, nil}}, 10}},
		{Name: "less current", In: looked{2, 3.0, false, []fall.Reading{{0, 7.6, 10, []float64{3.8, 3.8}}, {600, 7.5,
			6, nil}}, 700}},
		{Name: "nothing read", In: looked{2, 3, false, nil, 0}}}, func(l looked) (any, error) {
		if l.Groups > 1000 {
			return nil, nil
		}
		return fall.Of(l.Groups, l.Limit, l.Charging, l.Readings, l.Now), nil
	})
}
