package balance_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/balance"
)

// The closed forms of rules §13.
func TestPlan(t *testing.T) {
	w := balance.Work{MissingAh: []float64{0, 1, 3, 2}, Ah: 100, BMSAmps: 0.1, ChargerAmps: 10, SupplyAmps: 20}
	p, err := balance.Plan(w)
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(p.BMSDays-3/(24*0.1*0.08)) > 1e-9 || p.WorstAh != 3 || p.TotalAh != 6 || p.NowAh != 97 || p.DoneAh !=
		100 {
		t.Errorf("%+v", p)
	}
	if math.Abs(p.HandHours-(0.1+0.3+0.2+1.5)) > 1e-9 || p.HandGroups != 3 ||
		math.Abs(p.HardStopHand[2]-1.2*0.8) > 1e-9 {
		t.Errorf("by hand %v h, stops %v", p.HandHours, p.HardStopHand)
	}
	w.Alternating = true
	if q, _ := balance.Plan(w); math.Abs(q.BMSDays/p.BMSDays-2) > 1e-9 {
		t.Errorf("alternating: %v days", q.BMSDays)
	}
	w.Alternating, w.Active = false, true
	if q, _ := balance.Plan(w); math.Abs(q.BMSDays-2/(24*0.1*0.08)) > 1e-9 { // |−1.5|, |−0.5|, 1.5, 0.5: half of 4
		t.Errorf("active: %v days", q.BMSDays)
	}
	if p.HardStopPar != 1.2*p.ParallelH || p.ParallelH < 6.0/20 {
		t.Errorf("in parallel %v h, stop %v", p.ParallelH, p.HardStopPar)
	}
}

// Offsets against the median say the same as what each lacks; order and names do not matter.
func TestPlanInvariants(t *testing.T) {
	a, _ := balance.Plan(balance.Work{MissingAh: []float64{0, 1, 3, 2}, Ah: 100, BMSAmps: 0.1})
	for _, m := range [][]float64{{-1.5, -0.5, 1.5, 0.5}, {3, 0, 2, 1}, {10, 11, 13, 12}} {
		if b, _ := balance.Plan(balance.Work{MissingAh: m, Ah: 100,
			BMSAmps: 0.1}); math.Abs(b.BMSDays-a.BMSDays) > 1e-9 || b.NowAh != a.NowAh {
			t.Errorf("%v: %+v", m, b)
		}
	}
	b, _ := balance.Plan(balance.Work{MissingAh: []float64{0, 2, 6, 4}, Ah: 200, BMSAmps: 0.2})
	if math.Abs(b.BMSDays-a.BMSDays) > 1e-9 {
		t.Errorf("twice of all: %v and %v days", a.BMSDays, b.BMSDays)
	}
	if p, _ := balance.Plan(balance.Work{MissingAh: []float64{0, 0.1}, Ah: 100}); !p.Done {
		t.Errorf("%+v", p)
	}
	for name, w := range map[string]balance.Work{"one group": {MissingAh: []float64{1}, Ah: 10},
		"no capacity": {MissingAh: []float64{
			0, 1}}, "more than it holds": {MissingAh: []float64{0, 30}, Ah: 20}, "a duty of 8": {MissingAh: []float64{0,
			1}, Ah: 10, Duty: 8}} {
		if _, err := balance.Plan(w); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExamplePlan() {
	p, _ := balance.Plan(balance.Work{MissingAh: []float64{0, 1, 4, 2}, Ah: 100, BMSAmps: 0.2})
	fmt.Println(p.Advice)
	// Output: Wait 10.4 days at full charge: each gains 0.38 Ah. A test now would miss 4.0 Ah.
}
