package logview_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/golden"
)

func TestWhereViewsChange(t *testing.T) {
	log := worn()
	r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 24, Series: 2})
	if err != nil {
		t.Fatal(err)
	}
	gaps := append(r.Gaps, trace.Gap{FromS: 13000, ToS: 13500, AhLow: 0.1, AhHigh: 0.4})
	thin := logview.Thinned(log, 60)
	thin.Segments = r.Segments
	type cut struct{ From, To float64 }
	var cases []golden.Case[cut]
	for name, c := range map[string]cut{"whole": {0, 1e9}, "the discharge": {12800, 17000}, "between samples": {12803,
		12807}, "backwards": {500, 100}, "after it": {1e8, 1e9}} {
		cases = append(cases, golden.Case[cut]{Name: name, In: c})
	}
	for i := range cases {
		for k := i; k > 0 && cases[k].Name < cases[k-1].Name; k-- {
			cases[k], cases[k-1] = cases[k-1], cases[k]
		}
	}
	golden.Answers(t, "cuts", cases, func(c cut) (any, error) {
		s, err := logview.Between(log, gaps, c.From, c.To)
		return []any{s, logview.ViewOf(log, gaps, c.From, c.To, 20), thin.Discharged(2, c.From, c.To)}, err
	})
	golden.Same(t, "thin", golden.Text(thin))
}
