package declare_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/declare"
	"pandrel/golden"
)

func TestWhereDeclaredLayoutsChange(t *testing.T) {
	golden.Judged(t, "declared", []golden.Case[declare.Declared]{
		{Name: "four with a middle", In: declare.Declared{Series: 4, Chemistry: chem.LFP, Posts: []string{"A-", "M",
			"A+"}}},
		{Name: "seven with pins", In: declare.Declared{Series: 7, Chemistry: chem.NMC, Posts: []string{"A-", "A+"},
			Pins: pins(8)}},
		{Name: "inner pins alone", In: declare.Declared{Series: 7, Chemistry: chem.NMC, Posts: []string{"A-", "A+"},
			Pins: pins(6)}},
		{Name: "doubled ends", In: declare.Declared{Series: 4, Chemistry: chem.NMC, Posts: []string{"A-", "A+"},
			Pins: pins(7)}},
		{Name: "a cell", In: declare.Declared{Series: 1, Chemistry: chem.LTO}}}, func(d declare.Declared) (any, error) {
		if d.Series > 300 {
			return nil, nil
		}
		m, err := declare.Layout(d)
		return []any{m, d.Shape(), d.Named(3).PostNames(), d.PinNames()}, err
	})
	m, err := declare.Layout(declare.Declared{Series: 4, Chemistry: chem.LFP, Posts: []string{"A-", "M", "A+"}})
	if err != nil {
		t.Fatal(err)
	}
	type read struct{ Total, Middle *float64 }
	golden.Judged(t, "confirmed", []golden.Case[read]{{Name: "as declared", In: read{finding.Of(13.2),
		finding.Of(6.6)}}, {Name: "reversed", In: read{finding.Of(-13.2), finding.Of(-6.6)}}, {Name: "the total alone",
		In: read{finding.Of(13.2), nil}}, {Name: "the middle is the end", In: read{finding.Of(13.2), finding.Of(13.2)}},
		{Name: "nothing", In: read{}}}, func(r read) (any, error) { return declare.Confirm(m, r.Total, r.Middle), nil })
}
