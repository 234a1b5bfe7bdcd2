package onegroup_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/base/known"
	"pandrel/core/bench/onegroup"
)

func of(t testing.TB, id chem.ID, ah, ends, amps, volts float64) onegroup.Charge {
	t.Helper()
	k, err := chem.Lookup(id)
	if err != nil {
		t.Fatal(err)
	}
	return onegroup.Charge{Chemistry: k, Ah: known.Of(ah, known.Typed), EndVolts: ends, Amps: amps, Volts: volts,
		AccuracyV: 0.005, RestMinutes: 60}
}

func judged(t testing.TB, c onegroup.Charge) onegroup.Time {
	t.Helper()
	r, err := onegroup.Judge(c)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// A group of 60 Ah of which nothing was read takes at most 12 h at 5 A and is off after 14.4 h.
func ExampleJudge() {
	k, _ := chem.Lookup(chem.NMC)
	r, _ := onegroup.Judge(onegroup.Charge{Chemistry: k, Ah: known.Of(60, known.Typed), EndVolts: 4.2, Amps: 5})
	fmt.Printf("at most %.1f h, off after %.1f h\n", r.MostHours, r.HardStopHours)
	// Output: at most 12.0 h, off after 14.4 h
}

// What is read makes it shorter and never longer; what flows is what it lacks; twice the amps take half the hours.
func TestHoursAreWhatItLacks(t *testing.T) {
	unread := judged(t, of(t, chem.NMC, 60, 4.2, 5, 0))
	for _, v := range []float64{3.3, 3.5, 3.6, 3.7, 3.8, 3.9, 4.0, 4.1} {
		c := of(t, chem.NMC, 60, 4.2, 5, v)
		r := judged(t, c)
		if r.MostHours > unread.MostHours || r.LeastHours > r.MostHours || r.HardStopHours != 1.2*r.MostHours {
			t.Errorf("%v V: %v to %v h, off after %v", v, r.LeastHours, r.MostHours, r.HardStopHours)
		}
		i := c.Chemistry.Curve.SoCInterval(v, c.Chemistry.RestUncertaintyVolts(c.AccuracyV, c.RestMinutes))
		if math.Abs(r.ReturnsAh.High-60*(1-i.Low)) > 1e-9 || math.Abs(r.ReturnsAh.Low-60*(1-i.High)) > 1e-9 {
			t.Errorf("%v V returns %v Ah, expected what it lacks", v, r.ReturnsAh)
		}
		c.Amps = 10
		if fast := judged(t, c); math.Abs(2*fast.MostHours-r.MostHours) > 1e-9 {
			t.Errorf("%v V: %v h at 10 A, %v h at 5 A", v, fast.MostHours, r.MostHours)
		}
	}
	if low := judged(t, of(t, chem.NMC, 60, 4.0, 5, 0)); low.MostHours >= unread.MostHours {
		t.Errorf("a charger that ends at 4.00 V takes %v h, one that ends at 4.20 V %v h", low.MostHours,
			unread.MostHours)
	}
	unknown, fine := of(t, chem.NMC, 60, 4.2, 5, 3.7), judged(t, of(t, chem.NMC, 60, 4.2, 5, 3.7))
	unknown.AccuracyV = 0
	if r := judged(t, unknown); r.MostHours <= fine.MostHours {
		t.Errorf("a meter of which nothing is known: %v h, one of 5 mV: %v h", r.MostHours, fine.MostHours)
	}
	open := of(t, chem.NMC, 0, 4.2, 5, 0)
	open.Ah = known.Within(45, 30, 60, known.Assumed)
	if r := judged(t, open); r.MostHours != 12 {
		t.Errorf("of 30 to 60 Ah: %v h at most, expected 12", r.MostHours)
	}
}

// What may never begin, and what stands over it.
func TestWhatIsNotBegun(t *testing.T) {
	for _, c := range []struct {
		name            string
		charge          onegroup.Charge
		code            string
		level           finding.Level
		measured, limit float64
		unit            string
	}{
		{"no end of its own", of(t, chem.NMC, 60, 0, 5, 3.6), "charger-without-end", finding.Refuse, 0, 4.2, "V"},
		{"ends for another chemistry", of(t, chem.LFP, 60, 4.2, 5, 3.2), "charger-ends-high", finding.Refuse, 4.2, 3.65,
			"V"},
		{"a charger of a whole bank", of(t, chem.NMC, 60, 14.4, 5, 3.6), "charger-ends-high", finding.Refuse, 14.4, 4.2,
			"V"},
		{"more than 0.3 C", of(t, chem.NMC, 10, 4.2, 5, 3.6), "charge-fast", finding.Stop, 5, 3, "A"},
		{"below never-recharge", of(t, chem.NMC, 60, 4.2, 5, 1.9), "never-recharge", finding.Refuse, 1.9, 2, "V"},
		{"above its limit", of(t, chem.LFP, 60, 3.6, 5, 3.7), "group-over", finding.Stop, 3.7, 3.65, "V"},
		{"deep", of(t, chem.NMC, 60, 4.2, 5, 2.9), "look-closer", finding.Caution, 2.9, 3.2, "V"},
		{"full", of(t, chem.NMC, 60, 4.1, 5, 4.15), "group-full", finding.Note, 4.15, 4.1, "V"},
	} {
		t.Run(c.name, func(t *testing.T) {
			findingtest.Holds(t, judged(t, c.charge).Findings, c.code, c.level, c.measured, c.limit, c.unit)
		})
	}
	cold, five := of(t, chem.NMC, 40, 4.2, 5, 3.6), 5.0
	findingtest.Lacks(t, judged(t, cold).Findings, "charge-fast")
	cold.TemperatureC = &five
	findingtest.Holds(t, judged(t, cold).Findings, "charge-fast", finding.Stop, 5, 4, "A")
	for v, want := range map[float64]finding.Finding{-1: finding.New(finding.Refuse, "charge-cold").Against(0),
		46: finding.New(finding.Stop, "charge-hot").Against(45)} {
		cold.TemperatureC = &v
		findingtest.Holds(t, judged(t, cold).Findings, want.Code, want.Level, v, *want.Limit, "°C")
	}
	if fs := judged(t, of(t, chem.NMC, 60, 4.2, 5, 0)).Findings; len(fs) != 1 || fs[0].Code != "group-not-read" {
		t.Errorf("not read: %v", fs)
	}
	if _, err := onegroup.Judge(of(t, chem.NMC, 60, 4.2, 0, 0)); err == nil {
		t.Error("a charge of no amps was worked out")
	}
}
