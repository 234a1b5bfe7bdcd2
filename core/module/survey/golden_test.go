package survey_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
	"pandrel/golden"
)

func TestWhereSurveysChange(t *testing.T) {
	change := func(m survey.Module, f func(*survey.Module)) survey.Module { f(&m); return m }
	seven := module(chem.NMC, 3.711, 3.710, 3.709, 3.711, 3.640, 3.710, 3.712)
	flat := module(chem.LFP, 3.291, 3.290, 3.292, 3.291)
	golden.Judged(t, "survey", []golden.Case[survey.Module]{{Name: "one behind", In: seven, Longest: 450},
		{Name: "LFP in its flat part", In: flat}, {Name: "soon after", In: change(module(chem.NMC, 3.70, 3.71,
			3.70), func(m *survey.Module) { m.RestMinutes = 5 })}, {Name: "with the lot", In: change(module(chem.LMO,
			3.80, 3.79), func(m *survey.Module) {
			m.Lot = []float64{3.80, 3.801, 3.799, 3.802, 3.80}
		})}, {Name: "a coarse meter", In: change(module(chem.NMC, 3.7, 3.8, 3.7), func(m *survey.Module) {
			for i := range m.Readings {
				m.Readings[i].LastDigit = 0.1
			}
		})}, {Name: "warm and read twice", In: change(module(chem.LTO, 2.3, 2.3, 0.9, 2.31), func(m *survey.Module) {
			m.Readings[2].Confirmed, m.Readings[2].Repeated, m.Readings[0].TempC = true, true, finding.Of(31)
		})}, {Name: "two read together", In: change(module(chem.NMC, 7.42, 3.71, 3.70), func(m *survey.Module) {
			m.Readings[0].Span, m.Readings[1].Group, m.Readings[2].Group, m.Series = 2, 3, 4, 4
		})}, {Name: "against the main negative", In: module(chem.NMC, 3.71, 7.42, 11.13, 14.84)}, {Name: "chemistry " +
			"not known", In: module("", 3.3, 3.3, 3.3)}, {Name: "swollen", In: change(seven,
			func(m *survey.Module) { m.Swollen = true })}}, func(m survey.Module) (any, error) {
		r, err := survey.JudgeGroups(m, survey.DefaultPolicy)
		if err != nil {
			return nil, err
		}
		return []any{r, survey.OddSoFar(r)}, nil
	})
}

func TestWhereDriftChanges(t *testing.T) {
	type pair struct {
		First, Then []float64
		Days        float64
		Bare        bool
	}
	golden.Judged(t, "drift", []golden.Case[pair]{
		{Name: "one leaks", In: pair{[]float64{3.80, 3.80, 3.80, 3.80}, []float64{3.79, 3.70, 3.79, 3.79}, 30, false}},
		{Name: "one far down", In: pair{[]float64{3.80, 3.80, 3.80, 3.80}, []float64{3.79, 3.79, 3.50, 3.79}, 14,
			false}},
		{Name: "all alike", In: pair{[]float64{3.80, 3.80, 3.80}, []float64{3.79, 3.79, 3.79}, 14, false}},
		{Name: "no siblings", In: pair{[]float64{3.80, 3.80}, []float64{3.79, 3.72}, 10, true}}},
		func(p pair) (any, error) {
			at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
			a, b := module(chem.NMC, p.First...), module(chem.NMC, p.Then...)
			a.TakenAt, b.TakenAt = at, at.Add(time.Duration(p.Days*24)*time.Hour)
			if p.Bare {
				a.RatedAh, b.RatedAh = 0, 0
			}
			first, err := survey.JudgeGroups(a, survey.DefaultPolicy)
			if err != nil {
				return nil, err
			}
			then, err := survey.JudgeGroups(b, survey.DefaultPolicy)
			if err != nil {
				return nil, err
			}
			survey.Drift(&then, first, b, p.Days, survey.DefaultPolicy)
			return then, nil
		})
	type twice struct{ First, Second float64 }
	golden.Judged(t, "twice", []golden.Case[twice]{{Name: "low", In: twice{1.8, 1.82}}, {Name: "over", In: twice{4.33,
		4.32}}, {Name: "fine", In: twice{3.7, 3.7}}}, func(x twice) (any, error) {
		r := survey.Reading{Group: 1, Volts: x.Second}
		return struct {
			Confirms, Alike, Again bool
			Reading                survey.Reading
		}{survey.Confirms(chem.NMC, x.First, x.Second), survey.Alike(x.First, x.Second),
			survey.TakeAgain(chem.NMC, x.First, &r), r}, nil
	})
	var shown []float64
	for _, g := range []survey.GroupResult{{Volts: 3.6, OffsetPct: &[2]float64{-12.4, -9.1}}, {Volts: 3.8,
		OffsetPct: &[2]float64{2.2, 7.7}}, {Volts: 3.7, OffsetPct: &[2]float64{-1, 2}}, {Volts: 3.7}} {
		shown = append(shown, g.ShownOffsetPct(3.7))
	}
	var worse []survey.Verdict
	all := []survey.Verdict{survey.OK, survey.Balance, survey.Suspect, survey.Reread, ""}
	for _, a := range all {
		for _, b := range all {
			worse = append(worse, survey.Worse(a, b))
		}
	}
	golden.Same(t, "small", golden.Text([]any{shown, worse, survey.LeakageMilliamps(2.4, 30), survey.LossAhDay(3, 46),
		survey.WantsLot(2, survey.DefaultPolicy), survey.WantsLot(4, survey.DefaultPolicy),
		survey.WantsLot(3, survey.DefaultPolicy)}))
}

// Each chemistry, and none, from nothing to more than any group holds: where one group among even ones, all of them,
// and readings that climb are judged in another way.
func TestWhatEachVoltageSays(t *testing.T) {
	ids := []chem.ID{""}
	for _, c := range chem.All() {
		ids = append(ids, c.ID)
	}
	var out []string
	for _, id := range ids {
		even := 3.3
		if c, err := chem.Lookup(id); err == nil {
			even = c.NominalVolts
		}
		for _, shape := range []struct {
			name string
			of   func(v float64) []float64
		}{{"one of four", func(v float64) []float64 { return []float64{even, v, even, even} }},
			{"all", func(v float64) []float64 { return []float64{v, v, v, v} }},
			{"climbing", func(v float64) []float64 { return []float64{v, 2 * v, 3 * v, 4 * v} }},
			{"climbing from a group", func(v float64) []float64 { return []float64{even, even + v, even + 2*v} }},
			{"falling", func(v float64) []float64 { return []float64{4 * v, 3 * v, 2 * v, v} }}} {
			last := ""
			for mv := -400; mv <= 5200; mv += 5 {
				said := ""
				r, err := survey.JudgeGroups(module(id, shape.of(float64(mv)/1000)...), survey.DefaultPolicy)
				if err != nil {
					said = "error"
				} else {
					said = string(r.Verdict)
					for _, g := range r.Groups {
						said += " " + string(g.Verdict)
					}
					for _, f := range r.Findings {
						said += ", " + f.Level.String() + " " + f.Code
					}
				}
				if said != last {
					out = append(out, fmt.Sprintf("%s, %s, from %d mV: %s", id, shape.name, mv, said))
				}
				last = said
			}
		}
	}
	golden.Same(t, "voltages", strings.Join(out, "\n")+"\n")
}
