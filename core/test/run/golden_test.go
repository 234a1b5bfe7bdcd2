package run_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/run"
	"pandrel/golden"
)

func TestWhereRunsChange(t *testing.T) {
	type seen struct {
		Step    run.Step
		Reading run.Reading
	}
	ss := steps(t)
	reads := []run.Reading{{Running: true, Volts: 7.5, Amps: 12, TempC: 25, Groups: []float64{3.74, 3.76}, Ah: 3,
		Seconds: 900}, {Running: true, Volts: 7.8, TempC: 24, Groups: []float64{3.9, 3.91}, Seconds: 600},
		{Running: true, Volts: 7.1, Amps: -11, TempC: 28, Groups: []float64{3.5, 3.52}, Ah: 20, Seconds: 6000}}
	var cases []golden.Case[seen]
	for i, r := range reads {
		cases = append(cases, golden.Case[seen]{Name: ss[i].Kind, In: seen{ss[i], r}})
	}
	cases = append(cases, golden.Case[seen]{Name: "ended by the device", In: seen{ss[0], run.Reading{Ended: "taper",
		Groups: []float64{4.19, 4.19}, Ah: 20, Seconds: 9000}}}, golden.Case[seen]{Name: "paused", In: seen{ss[2],
		run.Reading{Paused: true, Groups: []float64{3.4, 3.4}}}})
	golden.Judged(t, "judge", cases, func(x seen) (any, error) {
		v, fs := run.JudgeReading(x.Step, chem.NMC, x.Reading, run.Against{})
		return []any{v, fs, run.Left(x.Step, x.Reading), x.Step.Attended()}, nil
	})
	type looked struct {
		First, Second run.Reading
		Ours          float64
	}
	golden.Judged(t, "mark", []golden.Case[looked]{{Name: "charging", In: looked{reads[0], run.Reading{Running: true,
		Volts: 7.6,
		Amps:  12, TempC: 25, Groups: []float64{3.8, 3.8}, Ah: 3.2, Seconds: 960}, 60}}}, func(l looked) (any, error) {
		var m run.Mark
		m, first := m.Look(l.First, run.At(0))
		_, then := m.Look(l.Second, run.At(l.Ours))
		return []any{first, then}, nil
	})
	golden.Same(t, "small", golden.Text([]any{ss, run.After(ss, 0), run.After(ss, 1), run.After(ss, 3),
		run.Gaps([]float64{0, 10, 20, 30, 200, 210, 1000}), run.Gaps(nil), string(run.CSV([]run.Sample{{Seconds: 0,
			Step: "charge", Volts: 7.4, Amps: 12, TempC: 21, Groups: []float64{3.7, 3.7}}, {Seconds: 10.5, Step: "rest",
			Volts: 7.41, TempC: 21.25, Ah: 0.033, Groups: []float64{3.705, 3.704}}}))}))
}
