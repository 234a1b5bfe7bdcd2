package condition_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/test/condition"
)

func months(n float64) *float64 { return &n }

func TestPlans(t *testing.T) {
	in := condition.Input{Name: "K", Chemistry: chem.NMC, Series: 7, Ah: 50, TestAmps: 10}
	for name, c := range map[string]struct {
		stored *float64
		cycles int
		n      int
		gentle bool
		first  float64
	}{
		"nobody knows how long": {nil, 0, 5, true, 2.5},
		"a year":                {months(12), 0, 5, true, 2.5},
		"a month":               {months(1), 0, 2, false, 10},
		"as many as asked":      {nil, 7, 8, true, 2.5},
	} {
		t.Run(name, func(t *testing.T) {
			x := in
			x.StoredMonths, x.Cycles = c.stored, c.cycles
			p, err := condition.Make(x)
			if err != nil || len(p.Cycles) != c.n || p.Gentle != c.gentle || p.Cycles[0].Amps != c.first ||
				p.Why == "" || len(p.Rules) < 4 {
				t.Fatalf("%v: %+v", err, p)
			}
			days, kwh := 0.0, 0.0
			for i, k := range p.Cycles {
				days, kwh = days+k.Hours/24, kwh+k.WallKWh
				if i > 0 && k.Amps < p.Cycles[i-1].Amps-1e-9 || k.Measures != (i == len(p.Cycles)-1) ||
					math.Abs(k.DayEnds-days) > 1e-9 {
					t.Errorf("cycle %d: %+v", i+1, k)
				}
				if least := 2 * k.ExpectedAh / k.Amps; k.Hours < least {
					t.Errorf("cycle %d takes %.1f h, its charge alone %.1f h", i+1, k.Hours, least)
				}
			}
			if math.Abs(days-p.Days) > 1e-9 || math.Abs(kwh-p.WallKWh) > 1e-9 {
				t.Errorf("%.2f days of %.2f, %.2f kWh of %.2f", days, p.Days, kwh, p.WallKWh)
			}
		})
	}
	for _, bad := range []func(*condition.Input){func(x *condition.Input) { x.Chemistry = "" },
		func(x *condition.Input) { x.Ah = 0 }, func(x *condition.Input) { x.TestAmps = math.NaN() },
		func(x *condition.Input) { x.HighV = 4.3 }, func(x *condition.Input) { x.LowV = 2.0 },
		func(x *condition.Input) { x.StoredMonths = months(-3) },
		func(x *condition.Input) { x.StoredMonths = months(math.NaN()) },
		func(x *condition.Input) { x.LowV, x.HighV = 4, 3.5 }, func(x *condition.Input) { x.Cycles = 99 }} {
		x := in
		bad(&x)
		if _, err := condition.Make(x); err == nil {
			t.Errorf("%+v is planned", x)
		}
	}
	slow := in
	slow.Ah, slow.TestAmps = 500, 2
	if p, err := condition.Make(slow); err != nil || len(p.Findings) == 0 {
		t.Errorf("%v: weeks on a channel, and no word of it: %+v", err, p)
	}
}

func TestWhetherAnotherCycleIsWorthIt(t *testing.T) {
	done := func(ah ...float64) (out []condition.Done) {
		for _, x := range ah {
			out = append(out, condition.Done{Ah: x, ChargedAh: x / 0.995, Complete: true})
		}
		return out
	}
	part := condition.Done{Ah: 90}
	leaky := done(40, 41)
	leaky[1].ChargedAh = 45
	for name, c := range map[string]struct {
		cycles      []condition.Done
		code        string
		goOn        bool
		first, last float64
	}{
		"none":                   {nil, "", true, 0, 0},
		"one":                    {done(40), "", true, 40, 40},
		"it grows":               {done(40, 41.5), "grows", true, 40, 41.5},
		"settled":                {done(40, 41.5, 41.6), "settled", false, 40, 41.6},
		"it falls":               {done(40, 41, 39.5), "falling", false, 40, 39.5},
		"it leaks":               {leaky, "leaks", false, 40, 41},
		"a part does not count":  {append(done(40, 41.5), part), "grows", true, 40, 41.5},
		"a part before the rest": {append([]condition.Done{part}, done(40)...), "", true, 40, 40},
	} {
		t.Run(name, func(t *testing.T) {
			g := condition.GrowthOf("K", c.cycles)
			if g.GoOn != c.goOn || g.FirstAh != c.first || g.LastAh != c.last || c.code == "" && len(g.Findings) > 0 ||
				c.code != "" && !slices.ContainsFunc(g.Findings, func(f finding.Finding) bool {
					return f.Code == c.code
				}) {
				t.Errorf("%+v", g)
			}
		})
	}
}

func ExampleMake() {
	p, _ := condition.Make(condition.Input{Name: "K", Chemistry: chem.NMC, Series: 7, Ah: 50, TestAmps: 10})
	for _, k := range p.Cycles {
		fmt.Printf("%d: %.1f A, done on day %.1f\n", k.No, k.Amps, k.DayEnds)
	}
	// Output:
	// 1: 2.5 A, done on day 1.3
	// 2: 4.0 A, done on day 2.1
	// 3: 6.3 A, done on day 2.6
	// 4: 10.0 A, done on day 3.0
	// 5: 10.0 A, done on day 3.5
}
