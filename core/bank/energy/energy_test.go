package energy_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/energy"
	"pandrel/core/base/finding"
)

func TestHoursAndDays(t *testing.T) {
	s := energy.System{UsableKWh: 4.5, Efficiency: 0.9, StandbyW: 12, Loads: []energy.Load{{Watts: 90, Hours: 10,
		AC: true}, {Watts: 8, Hours: 5}}}
	a, err := energy.Solve(s)
	if err != nil {
		t.Fatal(err)
	}
	if w := 12 + 100 + 8.0; math.Abs(a.HoursLow-4500/w) > 1e-9 {
		t.Errorf("%v h", a.HoursLow)
	}
	if wh := 12*24 + 1000 + 40.0; math.Abs(a.DaysLow-4500/wh) > 1e-9 || a.DaysLow != a.DaysHigh {
		t.Errorf("%v days", a.DaysLow)
	}
	s.Loads[0] = energy.Load{VA: 90, Hours: 10, AC: true} // without a power factor: half to all of it
	b, _ := energy.Solve(s)
	if math.Abs(b.LoadWHigh-a.LoadWHigh) > 1e-9 || math.Abs(b.LoadWLow-(12+50+8)) > 1e-9 || b.HoursLow >= b.HoursHigh {
		t.Errorf("%+v", b)
	}
}

func TestTheFailingMonth(t *testing.T) {
	sun := []float64{1, 2, 3, 4, 5, 6, 6, 5, 4, 3, 2, 1}
	s := energy.System{UsableKWh: 2, PanelW: 500, SunHours: sun, ChargeEff: 0.9, Loads: []energy.Load{{Watts: 30,
		Hours: 24}}}
	a, err := energy.Solve(s) // 720 Wh a day; 450 come in in January and December
	if err != nil || fmt.Sprint(a.Failing) != "[1 12]" || math.Abs(a.Months[0].LastsD-2000.0/270) > 1e-9 {
		t.Errorf("%v %+v %v", a.Failing, a.Months[0], err)
	}
	s.FrostShare = []float64{0, 0.5, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}
	if a, _ = energy.Solve(s); fmt.Sprint(a.Failing) != "[1 2 12]" {
		t.Errorf("with frost: %v", a.Failing)
	}
	s.FrostShare, s.ChargeMaxW = nil, 150
	if a, _ = energy.Solve(s); a.Months[5].GivesWh != 150*6*0.9 {
		t.Errorf("a bank that takes 150 W: %v Wh", a.Months[5].GivesWh)
	}
}

func TestOutages(t *testing.T) {
	s := energy.System{UsableKWh: 2, Loads: []energy.Load{{Watts: 200, Hours: 24}}, OffHours: 6, OnHours: 6,
		ChargerW: 300}
	a, _ := energy.Solve(s) // 1200 Wh out, 1620 Wh back
	if a.OutageOK == nil || !*a.OutageOK || math.Abs(a.BackWh-1620) > 1e-9 {
		t.Errorf("%+v", a)
	}
	s.ChargerW = 200
	if a, _ = energy.Solve(s); *a.OutageOK || a.Findings[0].Code != "recharge-short" {
		t.Errorf("%+v", a)
	}
	s.OffHours = 12
	if a, _ = energy.Solve(s); *a.OutageOK {
		t.Errorf("%+v", a)
	}
	s = energy.System{UsableKWh: 2, WhPerKm: 40}
	if a, _ = energy.Solve(s); a.Km != 50 {
		t.Errorf("%v km", a.Km)
	}
}

func TestIdle(t *testing.T) {
	i := energy.Idle{Ah: 100, Volts: 25.6, From: 0.6, Floor: 0.1, Draws: []energy.Draw{{Name: "meter", MilliAmps: 10},
		{Name: "router", Watts: 2.56}}}
	a, err := energy.Stand(i) // 0.24 + 2.4 Ah a day
	if err != nil || math.Abs(a.Days-50/2.64) > 1e-9 || a.Largest != "router" || a.Findings[0].Code != "idle-short" {
		t.Errorf("%+v, %v", a, err)
	}
	if a, _ = energy.Stand(energy.Idle{Ah: 100, Volts: 25.6, From: 0.6, Floor: 0.1}); !a.Forever {
		t.Errorf("%+v", a)
	}
	if a, _ = energy.Stand(energy.Idle{Ah: 100, Volts: 25.6, From: 0.1, Floor: 0.1,
		SelfPctMonth: 2}); !finding.Blocks(a.Findings) {
		t.Errorf("%+v", a)
	}
}

func TestUnusable(t *testing.T) {
	for name, s := range map[string]energy.System{"nothing usable": {}, "eleven months": {UsableKWh: 1,
		SunHours: make([]float64, 11)}, "a day of 30 hours": {UsableKWh: 1, Loads: []energy.Load{{Watts: 1,
		Hours: 30}}}, "efficiency of 3": {UsableKWh: 1, Efficiency: 3}, "not a number": {UsableKWh: math.NaN()}} {
		if _, err := energy.Solve(s); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExampleStand() {
	a, _ := energy.Stand(energy.Idle{Ah: 100, Volts: 25.6, From: 0.6, Floor: 0.1, SelfPctMonth: 2,
		Draws: []energy.Draw{{Name: "meter", MilliAmps: 8}}})
	fmt.Printf("%.0f days\n", math.Floor(a.Days))
	// Output: 194 days
}

func BenchmarkSolve(b *testing.B) {
	s := energy.System{UsableKWh: 2, PanelW: 500, SunHours: make([]float64, 12), Loads: []energy.Load{{Watts: 30,
		Hours: 24}}}
	for b.Loop() {
		if _, err := energy.Solve(s); err != nil {
			b.Fatal(err)
		}
	}
}
