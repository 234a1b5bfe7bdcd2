package survey_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/survey"
	"pandrel/core/trainer/virtual"
)

func sample(rng *rand.Rand, id chem.ID, series int) survey.Module {
	mod := virtual.New(rng, "A", virtual.Spec{Chemistry: id, Series: series, RatedAh: 46, SoH: 1,
		SoC: 0.2 + 0.6*rng.Float64(), SoCSpread: 0.03, ResistanceOhms: 0.002})
	meter := virtual.NewMeter(rng, 0.0003, 0.001)
	m := survey.Module{Name: "A", Chemistry: id, RatedAh: 46, RestMinutes: 60}
	for i, v := range mod.RestVolts() {
		m.Readings = append(m.Readings, survey.Reading{Group: i + 1, Volts: meter.Read(v)})
	}
	return m
}

// The name changes nothing but names; the rating scales Ah and leaves per cent and verdicts alone.
func TestNamesAndRatings(t *testing.T) {
	rng := rand.New(rand.NewPCG(71, 71))
	for range 60 {
		id := chem.All()[rng.IntN(5)].ID
		m := sample(rng, id, 2+rng.IntN(14))
		a := judge(t, m)
		m.Name, m.RatedAh = "another", 92
		b := judge(t, m)
		if a.Verdict != b.Verdict || a.SpreadMV != b.SpreadMV {
			t.Fatalf("%s became %s", a.Verdict, b.Verdict)
		}
		for i := range a.Groups {
			x, y := a.Groups[i], b.Groups[i]
			if x.Verdict != y.Verdict || fmt.Sprint(x.OffsetPct) == "" {
				t.Fatalf("group %d: %s became %s", i+1, x.Verdict, y.Verdict)
			}
			if x.OffsetAh != nil && math.Abs(y.OffsetAh[0]-2*x.OffsetAh[0]) > 0.0201 {
				t.Errorf("group %d: %v Ah at 46, %v at 92", i+1, *x.OffsetAh, *y.OffsetAh)
			}
		}
	}
}

// Moving a group further from its siblings never makes its verdict milder.
func TestVerdictsWorsenWithDistance(t *testing.T) {
	order := []survey.Verdict{survey.OK, survey.Borderline, survey.Balance, survey.Watch, survey.Suspect}
	for _, dir := range []float64{-1, 1} {
		worst := 0
		for mv := 0.0; mv <= 120; mv++ {
			m := module(chem.NMC, 3.80, 3.80, 3.80+dir*mv/1000, 3.80, 3.80, 3.80)
			k := slices.Index(order, judge(t, m).Groups[2].Verdict)
			// An outlier is watched between ok and balance: what counts is that nothing beyond the
			// suspect limit comes back.
			if worst == len(order)-1 && k < worst {
				t.Fatalf("%+.0f mV: %s after suspect", dir*mv, order[k])
			}
			worst = max(worst, k)
		}
		if worst != len(order)-1 {
			t.Errorf("120 mV %+.0f was never suspect", dir)
		}
	}
}

// Every limit of every chemistry, from both sides.
func TestLimitsOfEveryChemistry(t *testing.T) {
	for _, c := range chem.All() {
		at := func(v float64, confirmed bool) survey.Verdict {
			m := module(c.ID, v)
			m.Readings[0].Confirmed = confirmed
			return judge(t, m).Groups[0].Verdict
		}
		cases := []struct {
			name      string
			volts     float64
			confirmed bool
			want      survey.Verdict
		}{
			{"just at never-recharge", c.NeverRechargeVolts, true, survey.Watch},
			{"just below it, once", c.NeverRechargeVolts - 0.001, false, survey.Reread},
			{"just below it, twice", c.NeverRechargeVolts - 0.001, true, survey.Quarantine},
			{"just below look-closer", c.LookCloserVolts - 0.001, false, survey.Watch},
			{"just at look-closer", c.LookCloserVolts, false, survey.OK},
			{"at the charge limit", c.ChargeLimitVolts, false, survey.OK},
			{"20 mV above", c.ChargeLimitVolts + 0.020, false, survey.OK},
			{"21 mV above", c.ChargeLimitVolts + 0.021, false, survey.Over},
			{"100 mV above", c.ChargeLimitVolts + 0.100, false, survey.Over},
			{"101 mV above, once", c.ChargeLimitVolts + 0.101, false, survey.Reread},
			{"101 mV above, twice", c.ChargeLimitVolts + 0.101, true, survey.Quarantine},
			{"below half a volt", 0.49, false, survey.Reread},
		}
		for _, x := range cases {
			t.Run(x.name, func(t *testing.T) {
				if got := at(x.volts, x.confirmed); got != x.want {
					t.Errorf("%s, %s (%.3f V): %s, want %s", c.ID, x.name, x.volts, got, x.want)
				}
			})
		}
	}
}

// The absolute charge interval must hold the truth whatever the rest and the meter were.
func TestChargeIntervalsHoldTheTruth(t *testing.T) {
	rng := rand.New(rand.NewPCG(72, 72))
	for range 300 {
		c := chem.All()[rng.IntN(5)]
		soc := rng.Float64()
		v := c.Curve.Volts(soc)
		rest := []float64{-1, 5, 60}[rng.IntN(3)]
		acc := 0.004 * rng.Float64()
		u := c.RestUncertaintyVolts(acc, rest)
		i := c.Curve.SoCInterval(v+(2*rng.Float64()-1)*u, u)
		if soc < i.Low-1e-6 || soc > i.High+1e-6 {
			t.Errorf("%s at %.3f: interval %.3f to %.3f", c.ID, soc, i.Low, i.High)
		}
	}
}
