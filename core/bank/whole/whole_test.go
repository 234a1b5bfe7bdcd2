package whole_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
)

func alike(n int, v float64) []float64 { return slices.Repeat([]float64{v}, n) }

func has(fs []finding.Finding, code string) bool {
	return slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == code })
}

func ExampleJudgeSurvey() {
	volts := alike(7, 3.80)
	volts[4] = 3.71
	s, _ := whole.JudgeSurvey(whole.Bank{Name: "kiosk", Series: 7, Chemistry: chem.NMC, Ah: 100}, volts, 120, 0.004,
		survey.DefaultPolicy)
	fmt.Println(s.Lowest, s.Odd, fmt.Sprintf("%.0f mV, as it stands %.0f Ah", s.SpreadMV, s.AsFoundAh))
	// Output:
	// 5 [5] 90 mV, as it stands 90 Ah
}

// Charge is neither made nor lost by balancing: offsets add up around the median, and what a bank gives as it stands
// falls short of its whole by exactly what its groups are apart.
func TestChargeAddsUp(t *testing.T) {
	for _, low := range []float64{3.80, 3.75, 3.71, 3.66} {
		volts := alike(7, 3.80)
		volts[2] = low
		s, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 7, Chemistry: chem.NMC, Ah: 100}, volts, 120, 0.004,
			survey.DefaultPolicy)
		if err != nil {
			t.Fatal(err)
		}
		c, _ := chem.Lookup(chem.NMC)
		apart := 100 * (c.Curve.SoC(3.80) - c.Curve.SoC(low))
		if got := s.BalancedAh - s.AsFoundAh; math.Abs(got-apart) > 1e-6 {
			t.Errorf("%v V: %v Ah lost, %v Ah apart", low, got, apart)
		}
		if math.Abs(s.OffsetsAh[2]+apart) > 1e-6 || s.OffsetsAh[0] != 0 {
			t.Errorf("%v V: offsets %v", low, s.OffsetsAh)
		}
		if math.Abs(s.TotalV-(6*3.80+low)) > 1e-9 {
			t.Errorf("%v V in all", s.TotalV)
		}
	}
}

// Turned end for end a bank is the same bank, its groups counted from the other side.
func TestTurnedRound(t *testing.T) {
	volts := []float64{3.29, 3.30, 3.31, 3.30, 3.30, 3.12, 3.30, 3.29}
	b := whole.Bank{Name: "b", Series: 8, Chemistry: chem.LFP, Ah: 200}
	one, err := whole.JudgeSurvey(b, volts, 120, 0.004, survey.DefaultPolicy)
	if err != nil {
		t.Fatal(err)
	}
	slices.Reverse(volts)
	two, err := whole.JudgeSurvey(b, volts, 120, 0.004, survey.DefaultPolicy)
	if err != nil || two.Lowest != 9-one.Lowest || len(two.Odd) != len(one.Odd) || two.Level != one.Level {
		t.Errorf("%+v, turned %+v (%v)", one.Odd, two.Odd, err)
	}
	if len(one.Odd) != 1 || one.Odd[0] != 6 {
		t.Errorf("odd ones %v, expected group 6", one.Odd)
	}
}

// Of a bank nobody declared only what the voltages say is said.
func TestUndeclared(t *testing.T) {
	s, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 8}, alike(8, 3.30), 60, 0.004, survey.DefaultPolicy)
	if err != nil {
		t.Fatal(err)
	}
	if !has(s.Findings, "bank-chemistry") || s.AsFoundAh != 0 || s.OffsetsAh != nil {
		t.Errorf("%+v", s)
	}
	if !slices.Contains(s.Chemistries, chem.LFP) || !slices.Contains(s.Chemistries, chem.NMC) ||
		slices.Contains(s.Chemistries, chem.LTO) {
		t.Errorf("could be %v", s.Chemistries)
	}
}

func TestABadGroupComesFirst(t *testing.T) {
	volts := alike(16, 3.31)
	volts[8] = 1.6
	s, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 16, Chemistry: chem.LFP, Ah: 100}, volts, 120, 0.004,
		survey.DefaultPolicy)
	if err != nil || s.Level < finding.Stop || !slices.Contains(s.Odd, 9) {
		t.Errorf("%v %v %v: %s", err, s.Level, s.Odd, s.Text)
	}
}

// With a group that stops, nothing is promised of balancing: not of one that must never be recharged, not of a dead
// one, not of one above its limit.
func TestNothingIsPromisedOfABankThatStops(t *testing.T) {
	for name, v := range map[string]float64{"never recharge": 1.5, "dead": 0, "far over": 4.1} {
		volts := alike(4, 3.31)
		volts[2] = v
		s, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 4, Chemistry: chem.LFP, Ah: 100}, volts, 60, 0.004,
			survey.DefaultPolicy)
		if err != nil || s.Level < finding.Stop || s.AsFoundAh != 0 || s.OffsetsAh != nil ||
			strings.Contains(s.Text, "balanced") || strings.Contains(s.Text, "it gives") {
			t.Errorf("%s: %v %+v: %s", name, err, s.Level, s.Text)
		}
	}
}

func TestUnusable(t *testing.T) {
	b := whole.Bank{Name: "b", Series: 4, Chemistry: chem.LFP}
	for _, v := range [][]float64{nil, alike(3, 3.3), alike(5, 3.3), {3.3, 3.3, math.NaN(), 3.3}} {
		if _, err := whole.JudgeSurvey(b, v, 60, 0, survey.DefaultPolicy); err == nil {
			t.Errorf("%v was taken", v)
		}
	}
}

func TestJudgeTest(t *testing.T) {
	e := whole.Expected{Bank: whole.Bank{Name: "b", Series: 7, Chemistry: chem.NMC}, LowAh: 76, HighAh: 84, Parallel: 2}
	full := whole.Test{CapacityAh: 80, FromFull: true, EndedBy: 3, EndVolts: 3.0, Amps: 20}
	with := func(f func(x *whole.Test)) whole.Test {
		x := full
		f(&x)
		return x
	}
	last := full
	last.Complete, last.CapacityAh = true, 90
	for _, c := range []struct {
		name     string
		t        whole.Test
		last     *whole.Test
		complete bool
		want     string
	}{
		{"as its modules", full, nil, true, "as-its-modules"},
		{"less than its modules", with(func(x *whole.Test) { x.CapacityAh = 60 }), nil, true, "less-than-its-modules"},
		{"more than they can", with(func(x *whole.Test) { x.CapacityAh = 99 }), nil, true, "more-than-its-modules"},
		{"not from full", with(func(x *whole.Test) { x.FromFull = false }), nil, false, "part-of-a-discharge"},
		{"the load gave up first", with(func(x *whole.Test) { x.EndedBy, x.EndVolts = 0, 0 }), nil, false,
			"part-of-a-discharge"},
		{"stopped long before the floor", with(func(x *whole.Test) { x.EndVolts = 3.4 }), nil, false,
			"part-of-a-discharge"},
		{"a group driven below what may be charged again", with(func(x *whole.Test) { x.EndVolts = 1.8 }), nil, true,
			"driven-too-low"},
		{"less than the run before", full, &last, true, "less-than-before"},
		{"as the run before", with(func(x *whole.Test) { x.CapacityAh = 89 }), &last, true, "as-before"},
	} {
		t.Run(c.name, func(t *testing.T) {
			e.Last = c.last
			got, fs, err := whole.JudgeTest(c.t, e)
			if err != nil || got.Complete != c.complete || !has(fs, c.want) {
				t.Errorf("%v, complete %v, %+v: expected %s", err, got.Complete, fs, c.want)
			}
			if got.ModuleAh*2 != got.CapacityAh {
				t.Errorf("%v Ah of a module, %v of two", got.ModuleAh, got.CapacityAh)
			}
		})
	}
}

// A bank that was tested as it stood tells what balancing would add, and the run after a balance tells what it did add.
func TestWhatBalancingAdds(t *testing.T) {
	c, _ := chem.Lookup(chem.NMC)
	// Three groups of 100 Ah at 100, 90 and 100 % at the start; the second is empty after 90 Ah.
	found := whole.Test{CapacityAh: 90, AsFound: true, EndedBy: 2, EndVolts: 3.0,
		AtStart: []float64{c.Curve.Volts(1), c.Curve.Volts(0.9), c.Curve.Volts(1)},
		AtRest:  []float64{c.Curve.Volts(0.1), c.Curve.Volts(0), c.Curve.Volts(0.1)}}
	e := whole.Expected{Bank: whole.Bank{Name: "b", Series: 3, Chemistry: chem.NMC}, RatedAh: 120,
		Groups: []string{"group 1 of K-001", "group 2 of K-001", "group 1 of K-002"}}
	got, fs, err := whole.JudgeTest(found, e)
	if err != nil || !got.Complete || got.BalancedAh[0] > 100 || got.BalancedAh[1] < 100 || got.BalancedAh[0] < 95 ||
		got.BalancedAh[1] > 105 || !has(fs, "gain") || !has(fs, "of-rated") {
		t.Fatalf("%v: %v of 100 Ah, %+v", err, got.BalancedAh, fs)
	}
	low, high := got.GainAh()
	if low > 10 || high < 10 || !slices.ContainsFunc(fs, func(f finding.Finding) bool {
		return f.Code == "ended-by" && strings.Contains(f.Text, "group 2 of K-001")
	}) {
		t.Errorf("gain %.1f to %.1f, %+v", low, high, fs)
	}
	if l := got.LeftAh; len(l) != 3 || l[0][0] > 10 || l[0][1] < 9 || l[1][1] > 2 {
		t.Errorf("left: %v", l)
	}
	e.Last = &got
	_, fs, err = whole.JudgeTest(whole.Test{CapacityAh: 99, FromFull: true, EndedBy: 2, EndVolts: 3.0}, e)
	if err != nil || !has(fs, "after-balance") {
		t.Errorf("%v: %+v", err, fs)
	}
	// One group weaker than the others: balancing adds nothing.
	weak := whole.Test{CapacityAh: 80, AsFound: true, EndedBy: 1, EndVolts: 3.0,
		AtStart: []float64{c.Curve.Volts(1), c.Curve.Volts(1), c.Curve.Volts(1)},
		AtRest:  []float64{c.Curve.Volts(0), c.Curve.Volts(0.2), c.Curve.Volts(0.2)}}
	if got, fs, err = whole.JudgeTest(weak, e); err != nil || !has(fs, "no-gain") {
		t.Errorf("%v: %v, %+v", err, got.BalancedAh, fs)
	}
	// On the flat of LFP nothing is promised.
	flat := found
	lfp, _ := chem.Lookup(chem.LFP)
	flat.EndVolts = 2.5
	flat.AtStart = []float64{lfp.Curve.Volts(0.6), lfp.Curve.Volts(0.6), lfp.Curve.Volts(0.6)}
	flat.AtRest = []float64{lfp.Curve.Volts(0.5), lfp.Curve.Volts(0.5), lfp.Curve.Volts(0.5)}
	e.Chemistry, e.Last = chem.LFP, nil
	if got, fs, err = whole.JudgeTest(flat, e); err != nil || got.BalancedAh != [2]float64{} || has(fs, "gain") {
		t.Errorf("%v: %v, %+v", err, got.BalancedAh, fs)
	}
	both := found
	both.FromFull = true
	if _, _, err := whole.JudgeTest(both, e); err == nil {
		t.Error("begun in two ways at once")
	}
}

// What is left in the others lies between what their voltages say, and is nothing where they are empty too.
func TestWhatWasLeft(t *testing.T) {
	e := whole.Expected{Bank: whole.Bank{Name: "b", Series: 3, Chemistry: chem.NMC}}
	_, fs, err := whole.JudgeTest(whole.Test{CapacityAh: 100, FromFull: true, EndedBy: 2, EndVolts: 3,
		AtRest: []float64{
			3.57, 3.25, 3.57}}, e)
	if err != nil || len(fs) == 0 || !slices.ContainsFunc(fs, func(f finding.Finding) bool {
		return f.Code == "ended-by" && strings.Contains(f.Text, "24 to 27 Ah")
	}) {
		t.Errorf("%v %+v: 3.57 V is 20 %%, of groups that hold 100 Ah over 80 %%", err, fs)
	}
}

// Groups of known capacity and charge, discharged until the first is at its floor, by the bank's own curve: what each
// had left and what balancing adds are within what is told.
func TestGainHoldsTheTruth(t *testing.T) {
	rng := rand.New(rand.NewPCG(20, 5))
	typical, _ := chem.Lookup(chem.NMC)
	soc := []float64{0, 0.1, 0.3, 0.5, 0.7, 0.9, 1}
	volts := []float64{3.0, 3.5, 3.62, 3.75, 3.92, 4.06, 4.2}
	own, err := chem.NewCurve(soc, volts)
	if err != nil {
		t.Fatal(err)
	}
	for range 200 {
		n := 3 + rng.IntN(12)
		q, from := make([]float64, n), make([]float64, n)
		flows, first := math.Inf(1), 0
		for i := range q {
			q[i], from[i] = 80+20*rng.Float64(), 0.85+0.15*rng.Float64()
			if i == 0 {
				from[i] = 1
			}
			if a := q[i] * from[i]; a < flows {
				flows, first = a, i
			}
		}
		test := whole.Test{CapacityAh: flows, AsFound: true, EndedBy: first + 1, EndVolts: typical.FloorVolts}
		for i := range q {
			test.AtStart = append(test.AtStart, own.Volts(from[i]))
			test.AtRest = append(test.AtRest, own.Volts(from[i]-flows/q[i]))
		}
		e := whole.Expected{Bank: whole.Bank{Name: "b", Series: n, Chemistry: chem.NMC, Curve: &own}}
		got, _, err := whole.JudgeTest(test, e)
		if err != nil {
			t.Fatal(err)
		}
		if truth := slices.Min(q); got.BalancedAh[0] > truth+1e-6 || got.BalancedAh[1] < truth-1e-6 {
			t.Fatalf("balanced %v Ah, it is %.2f", got.BalancedAh, truth)
		}
		for i, l := range got.LeftAh {
			if left := q[i]*from[i] - flows; l[0] > left+1e-6 || l[1] < left-1e-6 {
				t.Fatalf("group %d had %.2f Ah left: %v", i+1, left, l)
			}
		}
	}
}

// A slip of the point, or a figure of another bank, is asked about in its field; one that was checked is kept.
func TestASlipInABanksTest(t *testing.T) {
	good := whole.Test{CapacityAh: 111.6, EnergyWh: 111.6 * 13 * 3.6, FromFull: true, EndedBy: 3, EndVolts: 3}
	for _, c := range []struct {
		name, field string
		to          func(*whole.Test, *whole.Expected)
	}{
		{"as it should be", "", func(*whole.Test, *whole.Expected) {}},
		{"ten times as much", "capacity_ah", func(t *whole.Test, _ *whole.Expected) {
			t.CapacityAh,
				t.EnergyWh = 1116, 0
		}},
		{"a tenth", "capacity_ah", func(t *whole.Test, _ *whole.Expected) { t.CapacityAh, t.EnergyWh = 11.16, 0 }},
		{"a tenth that was checked", "", func(t *whole.Test, _ *whole.Expected) {
			t.CapacityAh, t.EnergyWh, t.Checked = 11.16, 0, true
		}},
		{"ten times the run before", "capacity_ah", func(t *whole.Test, e *whole.Expected) {
			t.CapacityAh, t.EnergyWh = 1116, 0
			*e = whole.Expected{Bank: e.Bank, Last: &whole.Test{CapacityAh: 110, Complete: true}}
		}},
		{"ten times the energy", "energy_wh", func(t *whole.Test, _ *whole.Expected) { t.EnergyWh *= 10 }},
		{"kWh for Wh", "energy_wh", func(t *whole.Test, _ *whole.Expected) { t.EnergyWh /= 1000 }},
		{"the total for a group", "end_v", func(t *whole.Test, _ *whole.Expected) { t.EndVolts = 39 }},
	} {
		e := whole.Expected{Bank: whole.Bank{Name: "b", Series: 13, Chemistry: chem.NMC}, LowAh: 105, HighAh: 120}
		x := good
		c.to(&x, &e)
		_, _, err := whole.JudgeTest(x, e)
		var slip *whole.SlipError
		if c.field == "" && err != nil || c.field != "" && (!errors.As(err, &slip) || slip.Field != c.field) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

func BenchmarkJudge(b *testing.B) {
	volts := alike(24, 3.31)
	for b.Loop() {
		if _, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 24, Chemistry: chem.LFP, Ah: 100}, volts,
			60, 0.004,
			survey.DefaultPolicy); err != nil {
			b.Fatal(err)
		}
	}
}
