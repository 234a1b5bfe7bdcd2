package unsure_test

import (
	"testing"

	"pandrel/core/bank/unsure"
	"pandrel/golden"
)

func TestWhatIntervalsBecome(t *testing.T) {
	type interval struct {
		Name                    string
		Position, Mate          int
		LowAh, LikelyAh, HighAh float64
	}
	parts := []interval{{"A", 0, 0, 30, 38, 44}, {"B", 0, 1, 40, 40, 40}, {"C", 1, 0, 36, 39, 45},
		{"D", 1, 1, 37, 37, 37}, {"E", 2, 0, 20, 41, 52}, {"F", 2, 1, 33, 35, 36}}
	type asked struct {
		Parts  []interval
		Strung bool
	}
	golden.Judged(t, "intervals", []golden.Case[asked]{{Name: "parallel first", In: asked{parts, false}, Longest: 12},
		{Name: "strings first", In: asked{parts, true}}, {Name: "one", In: asked{parts[:1], false}}, {Name: "all known",
			In: asked{[]interval{parts[1], parts[3]}, false}}}, func(a asked) (any, error) {
		var all []unsure.Part
		for _, x := range a.Parts {
			all = append(all, part(x.Name, x.Position, x.Mate, x.LowAh, x.LikelyAh, x.HighAh))
		}
		b, err := unsure.JudgeParts(all, a.Strung)
		if err != nil {
			return nil, err
		}
		first, err := unsure.TestFirst(all, a.Strung, 4)
		return []any{struct{ LowAh, LikelyAh, HighAh float64 }{b.Low(), b.V(), b.High()}, first, all[0].Open()}, err
	})
}
