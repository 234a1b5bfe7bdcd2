package times_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/bench/times"
)

func job() times.Job {
	return times.Job{Chemistry: chem.NMC, Series: 7, Ah: 40, Modules: 10, Channels: 2, ChargeAmps: 8,
		LoadAmps: 10, RestH: -1}
}

// By hand: 90 % at 8 A, the last tenth at 3.2 A, rests of an hour, discharge at 10 A, half back at 8 A.
func TestByHand(t *testing.T) {
	h, err := times.Work(job())
	want := 36.0/8 + 4/3.2 + 1 + 4 + 1 + 20.0/8
	if err != nil || math.Abs(h.PerModule-want) > 1e-9 || math.Abs(h.PerPallet-5*want) > 1e-9 {
		t.Errorf("%v h, expected %v: %+v, %v", h.PerModule, want, h, err)
	}
	kwh := 40 * 7 * 3.65 / 1000
	if math.Abs(h.WallKWh-10*1.5*kwh/0.9) > 1e-9 || h.WallStoreKWh != h.WallKWh {
		t.Errorf("%v kWh", h.WallKWh)
	}
}

// A store saves what it gives back and no more; watts lower the current; what is watched takes hands for as long.
func TestWhatChanges(t *testing.T) {
	a, _ := times.Work(job())
	j := job()
	j.StoreKWh = 10
	b, _ := times.Work(j)
	kwh := 40 * 7 * 3.65 / 1000
	if math.Abs(a.WallKWh-b.WallStoreKWh-10*kwh*0.81) > 1e-9 {
		t.Errorf("saves %v kWh", a.WallKWh-b.WallStoreKWh)
	}
	j.StoreKWh = 0.5
	if c, _ := times.Work(j); !c.StoreSmall || c.WallStoreKWh <= b.WallStoreKWh {
		t.Errorf("%+v", c)
	}
	j = job()
	j.LoadWatts = 100
	if c, _ := times.Work(j); c.PerModule <= a.PerModule || !c.Steps[2].ByWat ||
		math.Abs(c.Steps[2].Amps-100/(7*4.2)) > 1e-9 {
		t.Errorf("%+v", c)
	}
	j = job()
	j.AttendedAlone = true
	if c, _ := times.Work(j); c.AttendedH < 5*(a.PerModule-2) {
		t.Errorf("%v h", c.AttendedH)
	}
	for name, change := range map[string]func(*times.Job){"no channel": func(j *times.Job) { j.Channels = 0 },
		"no chemistry": func(
			j *times.Job) {
			j.Chemistry = ""
		}, "no current": func(j *times.Job) { j.ChargeAmps = 0 }} {
		j := job()
		change(&j)
		if _, err := times.Work(j); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

// Whatever is missing, what flows in is what was missing: at the set current below the limit, at 0.4 of it above.
func TestACountedAmpHourIsCountedOnce(t *testing.T) {
	for _, c := range []struct {
		id   chem.ID
		tail float64
	}{{chem.LFP, 0.03}, {chem.NMC, 0.1}, {chem.LTO, 0.1}} {
		for lacks := 0.0; lacks <= 1; lacks += 0.005 {
			flat := times.Charge(c.id, lacks, 80, 20) - min(lacks, c.tail)*80/8
			if into := flat * 20; math.Abs(into+min(lacks, c.tail)*80-lacks*80) > 1e-9 || flat < -1e-9 {
				t.Fatalf("%s lacks %.3f: %v Ah flow in before the limit", c.id, lacks, into)
			}
		}
		if h := times.Charge(c.id, 0, 80, 20); h != 0 {
			t.Errorf("%s, full: %v h", c.id, h)
		}
	}
}

func ExampleWork() {
	h, _ := times.Work(job())
	fmt.Printf("%.1f h each, %.0f h in all\n", h.PerModule, h.PerPallet)
	// Output: 14.2 h each, 71 h in all
}

func BenchmarkWork(b *testing.B) {
	for b.Loop() {
		if _, err := times.Work(job()); err != nil {
			b.Fatal(err)
		}
	}
}

// No rest is no rest: 0 is a number, and not 'not given'.
func TestARestOfNothing(t *testing.T) {
	given, none := job(), job()
	given.RestH, none.RestH = 1, 0
	a, err := times.Work(given)
	if err != nil {
		t.Fatal(err)
	}
	b, err := times.Work(none)
	if err != nil || math.Abs(a.PerModule-b.PerModule-2) > 1e-9 {
		t.Errorf("two rests of an hour: %v h, without them %v h, %v", a.PerModule, b.PerModule, err)
	}
}
