package practice_test

import (
	"testing"

	"pandrel/core/trainer/practice"
	"pandrel/golden"
)

// Each case of one seed: what is inside, what it shows, and how right and wrong answers are judged.
func TestWhatPracticeSays(t *testing.T) {
	out := map[string]any{}
	for _, c := range practice.Cases() {
		p, err := practice.New(c.Key, 7)
		if err != nil {
			t.Fatal(err)
		}
		points, volts := p.Inside()
		first, err := p.Read(p.Points()[0], p.Points()[1], 0)
		second, _ := p.Read(p.Points()[0], p.Points()[1], 1)
		good := practice.Answer{Series: p.Truth.Series, Negative: p.Truth.MainNegative[0],
			Positive: p.Truth.MainPositive[0], OddGroup: p.Truth.OddGroup, Isolated: p.Truth.Isolation}
		bad := practice.Answer{Series: p.Truth.Series + 1, Negative: good.Positive, Positive: good.Negative,
			OddGroup: 99, Isolated: "x"}
		var judged []any
		for _, a := range []practice.Answer{good, bad} {
			for _, n := range []int{p.Guided(), p.Guided() + 5, 1} {
				right, fs := p.Judge(a, n)
				judged = append(judged, right, fs)
			}
		}
		out[c.Key] = []any{c.Title, c.Level, p.Truth, p.Posts, p.Pins, points, volts, first, second, err, p.Guided(),
			judged, p.AskIsolation}
	}
	golden.Same(t, "cases", golden.Text(out))
}
