package virtual_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
)

func onChannel(soc float64) *virtual.Running {
	m := virtual.New(rand.New(rand.NewPCG(4, 4)), "K-1", virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46,
		SoH: 0.85, CapacitySpread: 0.01, SoC: soc, SoCSpread: 0.005, ResistanceOhms: 0.0019})
	return virtual.NewRunning(&m, 21)
}

func until(t *testing.T, r *virtual.Running) {
	t.Helper()
	for n := 0; r.On; n++ {
		if r.Step(1); n > 200_000 {
			t.Fatal("it never ends")
		}
	}
}

// What flows in is what the groups hold more, each the same amp hours.
func TestChargeIsConserved(t *testing.T) {
	r := onChannel(0.4)
	before := r.Module.Clone()
	r.Begin(virtual.Limits{Amps: 13.8, GroupMax: 4.1, TaperAmps: 0.9, Seconds: 1e6})
	until(t, r)
	if r.Ended != virtual.EndTaper || r.Ah < 15 {
		t.Fatalf("ended by %s after %v Ah", r.Ended, r.Ah)
	}
	for i, g := range r.Module.Groups {
		if d := (g.SoC - before.Groups[i].SoC) * g.CapacityAh; math.Abs(d-r.Ah) > 1e-9 {
			t.Errorf("group %d took %v Ah of %v", i+1, d, r.Ah)
		}
	}
	for i, v := range r.Volts() {
		if v > 4.1+1e-6 {
			t.Errorf("group %d at %v V after the current went", i+1, v)
		}
	}
}

// No group passes its ceiling on the way, and the first at the floor ends a discharge.
func TestTheFirstGroupCounts(t *testing.T) {
	r := onChannel(0.9)
	r.Begin(virtual.Limits{Amps: 20, GroupMax: 4.1, TaperAmps: 0.5, Seconds: 1e6})
	for r.On {
		r.Step(1)
		for i, v := range r.Volts() {
			if v > 4.1+0.002 { // what the pair gains within a second
				t.Fatalf("group %d at %v V", i+1, v)
			}
		}
	}
	r.Begin(virtual.Limits{Amps: -20, GroupMin: 3.0, Seconds: 1e6})
	lowest := 5.0
	for r.On {
		lowest = 5
		for _, v := range r.Volts() {
			lowest = min(lowest, v)
		}
		r.Step(1)
	}
	if r.Ended != virtual.EndFloor || lowest < 2.99 {
		t.Errorf("ended by %s at %v V", r.Ended, lowest)
	}
}

func TestLimits(t *testing.T) {
	for name, c := range map[string]struct {
		l    virtual.Limits
		want string
	}{
		"time":        {virtual.Limits{Amps: 5, Seconds: 60}, virtual.EndTime},
		"a rest":      {virtual.Limits{Seconds: 60}, virtual.EndTime},
		"charge":      {virtual.Limits{Amps: -10, Ah: 0.5}, virtual.EndAh},
		"temperature": {virtual.Limits{Amps: -40, TempMaxC: 21.5}, virtual.EndTemp},
	} {
		r := onChannel(0.5)
		r.Begin(c.l)
		until(t, r)
		if r.Ended != c.want || r.Amps != 0 {
			t.Errorf("%s: ended by %s with %v A", name, r.Ended, r.Amps)
		}
	}
	r := onChannel(0.5)
	r.Begin(virtual.Limits{Amps: 10, Seconds: 100})
	for range 40 {
		r.Step(1)
	}
	r.Pause()
	at := r.Ah
	r.Step(600)
	if r.Ah != at || r.Seconds != 40 {
		t.Errorf("paused it counts on: %v Ah, %v s", r.Ah, r.Seconds)
	}
	r.Resume()
	until(t, r)
	if r.Seconds != 100 {
		t.Errorf("%v s in all", r.Seconds)
	}
}

func BenchmarkRunning(b *testing.B) {
	r := onChannel(0.5)
	r.Begin(virtual.Limits{Amps: 0.001})
	for b.Loop() {
		r.Step(1)
	}
}
