package noted_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/noted"
	"pandrel/golden"
)

// word is a text that is part of the judgement.
type word string

func TestWhereNotedResultsChange(t *testing.T) {
	full := noted.Result{FromFull: true, LowestEndVolts: 3.02, EndVolts: 21.6, Series: 7, Chemistry: chem.NMC, Ah: 39,
		RatedAh: 46, EnergyWh: 1010, MilliOhm: 13, Amps: 12}
	bare := noted.Result{Ah: 39}
	lfp := noted.Result{FromFull: true, EndVolts: 10.1, Series: 4, Chemistry: chem.LFP, Ah: 160, RatedAh: 200}
	golden.Judged(t, "noted", []golden.Case[noted.Result]{{Name: "all given", In: full}, {Name: "bare", In: bare},
		{Name: "LFP by its total", In: lfp}, {Name: "checked",
			In: func() noted.Result { r := full; r.Checked = true; return r }()}}, func(r noted.Result) (any, error) {
		field, text := noted.Slip(r, r.Ah)
		return struct {
			Complete, OnlySaid bool
			Lacks, Field       word
			Text               string
		}{noted.Complete(r), noted.OnlySaid(r), word(noted.Lacks(r)), word(field), text}, nil
	})
}
