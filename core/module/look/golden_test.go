package look_test

import (
	"testing"

	"pandrel/core/module/look"
	"pandrel/golden"
)

func TestWhereLooksChange(t *testing.T) {
	var words []golden.Case[look.Seen]
	for _, l := range look.Looks() {
		for _, s := range l.Signs {
			words = append(words, golden.Case[look.Seen]{Name: s.Word, In: look.Seen{Words: []string{s.Word}}})
		}
	}
	two := []string{words[0].In.Words[0], words[len(words)-1].In.Words[0]}
	solve := func(s look.Seen) (any, error) {
		o, fs, err := look.JudgeSigns(s)
		hard := false
		for _, w := range s.Words {
			hard = hard || look.Hard(w)
		}
		return []any{o, fs, look.Told(fs), hard, o.Away()}, err
	}
	golden.Answers(t, "signs", words, solve)
	golden.Judged(t, "look", []golden.Case[look.Seen]{{Name: "nothing seen"}, {Name: "two signs",
		In: look.Seen{Words: two}}, {Name: "thickness", In: look.Seen{ThicknessMM: 30.2, NominalMM: 30}},
		{Name: "mended", In: look.Seen{Words: two, Mended: true}}}, solve)
	golden.Same(t, "of-type", golden.Text([]any{look.For(nil, true), len(look.For(nil, false)),
		look.For(look.Notes{look.Looks()[0].Key: {Where: "left", Skip: true}, look.Looks()[3].Key: {Skip: true}},
			true)[:4]}))
}
