package commission_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/sense"
	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/golden"
)

func TestWhereCommissioningChanges(t *testing.T) {
	b := commission.Bank{FullVolts: 58.8, TouchVolts: 60, NowVolts: 52, Strings: 2, FreezesHere: true, FrostAsked: true,
		Cautions: 3, Untested: 2, LowAh: 60, HighAh: 80, DesignAmps: 40, DeviceVolts: 60, TripVolts: 58.5,
		ChargeVolts: 56, Beside: "shed", BesideVolts: 52.3, JoinVolts: 0.1}
	high := b
	high.FullVolts, high.Beside, high.DeviceOpen, high.FrostAsked, high.FreezesHere = 84, "", true, false, false
	golden.Judged(t, "steps", []golden.Case[commission.Bank]{{Name: "48 V beside another", In: b, Words: true},
		{Name: "above the touch limit", In: high}, {Name: "bare", In: commission.Bank{FullVolts: 14.6, TouchVolts: 60,
			NowVolts: 13, Strings: 1, FrostAsked: true}}}, func(b commission.Bank) (any, error) {
		if b.Strings > 100 {
			return nil, nil
		}
		f, ok := commission.Frost(b)
		return []any{commission.Steps(b), b.High(), []finding.Finding{f}, ok}, nil
	})
	golden.Judged(t, "fresh", []golden.Case[map[string]float64]{{Name: "two", In: map[string]float64{"K-1": 2,
		"K-2": 6}},
		{Name: "never", In: map[string]float64{"K-1": -1}}, {Name: "none"}}, func(d map[string]float64) (any, error) {
		f, ok := commission.Fresh(d)
		return []any{[]finding.Finding{f}, ok}, nil
	})
	stop := finding.Finding{Level: finding.Stop, Code: "fuse-far", Text: "t", Do: "d"}
	caution := finding.Finding{Level: finding.Caution, Code: "bond-thin", Text: "t", Do: "d"}
	good := sense.Verdict{BMS: "B1", Kind: sense.Good}
	bad := sense.Verdict{BMS: "B1", Kind: sense.Swapped}
	open := good
	open.ZeroOpen = true
	states := gates.States(commission.Steps(b), nil)
	for i := range states {
		states[i].Done = true
	}
	s := commission.Situation{Bank: b, Leads: []commission.Leads{{"B1", &good}},
		SurveyDays: map[string]float64{"K-1": 2}, States: states}
	with := func(f func(s *commission.Situation)) commission.Situation { x := s; f(&x); return x }
	golden.Judged(t, "open", []golden.Case[commission.Situation]{{Name: "all done", In: s},
		{Name: "nothing done", In: with(func(s *commission.Situation) {
			s.States = gates.States(commission.Steps(b), nil)
		})}, {Name: "a stop of the wiring", In: with(func(s *commission.Situation) {
			s.Wiring = []finding.Finding{stop, caution}
		})},
		{Name: "into service", In: with(func(s *commission.Situation) { s.IntoService = []finding.Finding{stop} })},
		{Name: "a module", In: with(func(s *commission.Situation) { s.Modules = []finding.Finding{stop, caution} })},
		{Name: "leads swapped", In: with(func(s *commission.Situation) { s.Leads = []commission.Leads{{"B1", &bad}} })},
		{Name: "lead 0 open", In: with(func(s *commission.Situation) { s.Leads = []commission.Leads{{"B1", &open}} })},
		{Name: "leads not measured", In: with(func(s *commission.Situation) {
			s.Leads = []commission.Leads{{"B1", nil}}
		})},
		{Name: "surveys old", In: with(func(s *commission.Situation) { s.SurveyDays = map[string]float64{"K-1": 8} })}},
		func(s commission.Situation) (any, error) { return s.Open(), nil })
	var unlike []any
	for _, o := range []struct {
		a, b      chem.ID
		series, n int
	}{{chem.NMC, chem.NMC, 14, 14}, {chem.NMC, chem.LFP, 14, 14}, {chem.NMC, chem.NMC, 14, 13}, {chem.NMC, "", 14, 0}} {
		f, u := commission.Unlike("shed", o.a, o.b, o.series, o.n)
		unlike = append(unlike, []finding.Finding{f}, u, commission.PassedBefore(f))
	}
	golden.Same(t, "unlike", golden.Text(unlike))
}
