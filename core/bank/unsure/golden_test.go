package unsure_test

import (
	"testing"

	"pandrel/core/bank/unsure"
	"pandrel/golden"
)

func TestWhatIntervalsBecome(t *testing.T) {
	parts := []unsure.Part{part("A", 0, 0, 30, 38, 44), part("B", 0, 1, 40, 40, 40), part("C", 1, 0, 36, 39, 45),
		part("D", 1, 1, 37, 37, 37), part("E", 2, 0, 20, 41, 52), part("F", 2, 1, 33, 35, 36)}
	type asked struct {
		Parts  []unsure.Part
		Strung bool
	}
	golden.Judged(t, "intervals", []golden.Case[asked]{{Name: "parallel first", In: asked{parts, false}, Longest: 12},
		{Name: "strings first", In: asked{parts, true}}, {Name: "one", In: asked{parts[:1], false}}, {Name: "all known",
			In: asked{[]unsure.Part{parts[1], parts[3]}, false}}}, func(a asked) (any, error) {
		b, err := unsure.JudgeParts(a.Parts, a.Strung)
		if err != nil {
			return nil, err
		}
		first, err := unsure.TestFirst(a.Parts, a.Strung, 4)
		return []any{b, first, a.Parts[0].Open()}, err
	})
}
