package testplan_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/kit"
	"pandrel/core/test/testplan"
	"pandrel/golden"
)

func TestWherePlansChange(t *testing.T) {
	type asked struct {
		Module testplan.Module
		Kit    kit.Kit
		device string
	}
	small := kit.Small()
	solve := func(a asked) (any, error) {
		p, err := testplan.For(a.Module, a.Kit, a.device)
		if err != nil {
			return nil, err
		}
		var stops []float64
		for _, s := range p.Steps {
			stops = append(stops, s.HardStopHours())
		}
		return []any{p, stops, p.Standing(true), p.Standing(false), p.Attended(), p.Blocks()}, nil
	}
	with := func(f func(m *testplan.Module, k *kit.Kit)) asked {
		m, k := module(), kit.Small()
		f(&m, &k)
		return asked{m, k, ""}
	}
	golden.Judged(t, "plan", []golden.Case[asked]{{Name: "as it is", In: asked{module(), small, ""}}}, solve)
	cases := []golden.Case[asked]{{Name: "in blocks", In: with(func(m *testplan.Module, k *kit.Kit) {
		m.Series, m.Volts, m.Bears = 24, nil, []int{0, 6, 12, 18, 24}
	})}, {Name: "cold, a thin tap", In: with(func(m *testplan.Module, _ *kit.Kit) {
		m.TempC,
			m.ThinTap = finding.Of(4), "X3"
	})}, {Name: "held", In: with(func(m *testplan.Module, _ *kit.Kit) { m.Held = "dented" })}, {Name: "once below",
		In: with(func(m *testplan.Module, _ *kit.Kit) { m.EverBelow = true })}, {Name: "half of it",
		In: with(func(m *testplan.Module, _ *kit.Kit) { m.From, m.To = 0, 4 })}, {Name: "not watched",
		In: with(func(m *testplan.Module, _ *kit.Kit) { m.Monitored = false })}, {Name: "LFP, soon after",
		In: with(func(m *testplan.Module, _ *kit.Kit) {
			m.Chemistry, m.Volts, m.Series, m.RestMinutes = chem.LFP, []float64{3.3, 3.29, 3.3, 3.3}, 4, 5
		})}, {Name: "no volts", In: with(func(m *testplan.Module, _ *kit.Kit) { m.Volts = nil })},
		{Name: "no chemistry", In: with(func(m *testplan.Module, _ *kit.Kit) { m.Chemistry = "" })}}
	for _, d := range small.Devices {
		cases = append(cases, golden.Case[asked]{Name: "on " + d.Name, In: asked{module(), small, d.Name}})
	}
	golden.Answers(t, "plans", cases, solve)
	for i, st := range append(small.Stations(), small.Cyclers()...) {
		p, err := testplan.On(module(), small, st)
		if err != nil {
			golden.Same(t, "station-"+string(rune('a'+i)), err.Error())
			continue
		}
		golden.Same(t, "station-"+string(rune('a'+i)), golden.Text([]any{st, p}))
	}
}
