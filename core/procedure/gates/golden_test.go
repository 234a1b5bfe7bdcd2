package gates_test

import (
	"errors"
	"fmt"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
	"pandrel/golden"
)

func TestWhereGatesChange(t *testing.T) {
	type asked struct {
		Step  gates.Step
		Input gates.Input
	}
	plain := gates.Step{Key: "k", Title: "T", Do: "D", Gate: true, Rule: "r"}
	with := func(f func(s *gates.Step)) gates.Step { s := plain; f(&s); return s }
	read := func(v float64) gates.Input { return gates.Input{Reading: &v, By: "AB"} }
	other := read(52.2)
	other.Other = finding.Of(5.2)
	insulated := gates.Input{Case: &isolation.Readings{PackVolts: 52, PositiveVolts: 9, NegativeVolts: 2,
		MeterOhms: 1e7}, By: "AB"}
	solve := func(a asked) (any, error) {
		d, err := gates.Take(gates.States([]gates.Step{a.Step}, nil), a.Step.Key, a.Input, nil)
		if err != nil {
			var open *gates.OpenError
			if errors.As(err, &open) {
				return []any{"open", []finding.Finding{open.Finding}}, nil
			}
			return nil, err
		}
		return []any{d.OK, d.Value, d.Reading, d.Found, d.Override, d.Text(), a.Step.Range()}, nil
	}
	cases := []golden.Case[asked]{{Name: "confirmed", In: asked{plain, gates.Input{Confirm: true, By: "AB"}}},
		{Name: "overridden", In: asked{plain, gates.Input{Override: "the meter is at the calibration", By: "AB"}}}}
	for _, ask := range []string{gates.AskConfirm, gates.AskIsolation, gates.AskVolts, gates.AskReading,
		gates.AskName, gates.AskTotals, gates.AskJoint} {
		for _, f := range []struct {
			name string
			in   gates.Input
		}{{"52.2", read(52.2)}, {"with another", other}, {"to the case", insulated}, {"a name", gates.Input{Name: "CD",
			By: "AB"}}, {"a yes", gates.Input{Confirm: true, By: "AB"}}} {
			cases = append(cases, golden.Case[asked]{Name: fmt.Sprintf("asks %q, %s", ask, f.name),
				In: asked{with(func(s *gates.Step) {
					s.Ask, s.ExpectVolts, s.Low, s.High, s.Unit, s.OtherVolts, s.DesignAmps, s.Other, s.Signed = ask,
						52,
						50, 54, "V", 5, 40,
						"sum", true
				}), f.in}})
		}
	}
	golden.Answers(t, "take", cases, solve)
	golden.Judged(t, "range", []golden.Case[asked]{{Name: "between", In: asked{with(func(s *gates.Step) {
		s.Ask, s.Low, s.High, s.Unit = gates.AskReading, 50, 54, "V"
	}), read(52)}}, {Name: "near", In: asked{with(func(s *gates.Step) {
		s.Ask, s.ExpectVolts,
			s.Must = gates.AskVolts, 52, true
	}), read(52)}}}, func(a asked) (any, error) {
		ok, f := gates.JudgeReading(a.Step, *a.Input.Reading)
		out := []any{ok, []finding.Finding{f}, a.Step.Range(), gates.MayOverride(a.Step), gates.Expected(a.Step,
			*a.Input.Reading)}
		if x, err := solve(a); err == nil {
			out = append(out, x)
		}
		return out, nil
	})
	steps := []gates.Step{plain, with(func(s *gates.Step) { s.Key, s.Must = "m", true }), with(func(s *gates.Step) {
		s.Key, s.Gate = "n", false
	}), with(func(s *gates.Step) { s.Key, s.Title = "last", "Last" })}
	type rec struct{ Records []gates.Record }
	golden.Judged(t, "states", []golden.Case[rec]{{Name: "none"}, {Name: "one", In: rec{[]gates.Record{{Key: "k",
		OK: true, Reading: "52 V"}}}}, {Name: "two", In: rec{[]gates.Record{{Key: "k", OK: true}, {Key: "m",
		OK: true}}}}, {Name: "overridden", In: rec{[]gates.Record{{Key: "k", Override: "why"}, {Key: "m",
		Override: "why"}}}}}, func(r rec) (any, error) {
		states := gates.States(steps, r.Records)
		var may []any
		for _, s := range steps {
			st, f, err := gates.MayRecord(states, s.Key)
			may = append(may, []any{st.Key, f, fmt.Sprint(err)})
		}
		return []any{states, may, gates.Next(states, ""), gates.Next(states, "n"), gates.PeopleOpen(states)}, nil
	})
	var people []any
	for _, v := range []float64{12, 29.9, 30, 30.1, 59.9, 60, 60.1, 400} {
		people = append(people, gates.People("the bank", v, "r"))
	}
	golden.Same(t, "people", golden.Text(struct{ People, Texts any }{people, []any{gates.ReasonText("ab", "AB"),
		gates.ReasonText(
			"the meter is at the calibration", ""), gates.ReasonText("the meter is at the calibration", "AB"),
		gates.NameText(""), gates.NameText("C"), gates.NameText("CD"), gates.SamePerson("ab", "AB "),
		gates.SamePerson("AB", "CD"), gates.SamePerson("", "")}}))
}
