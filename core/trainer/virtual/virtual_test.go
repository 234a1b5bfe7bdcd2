package virtual_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
)

func rng(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 7)) }

var spec = virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46, SoH: 0.85, CapacitySpread: 0.01, SoC: 0.6,
	SoCSpread: 0.01, ResistanceOhms: 0.002}

func ExampleModule_Probe() {
	m := virtual.New(rng(1), "K-001", spec)
	m.SetSoC(0.5)
	face := virtual.Face{"minus": 0, "plus": 7}
	v, _ := m.Probe(face, "plus", "minus")
	fmt.Printf("%.2f V\n", v)
	// Output: 25.97 V
}

func TestSameSeedSameModule(t *testing.T) {
	a, b := virtual.New(rng(3), "A", spec), virtual.New(rng(3), "A", spec)
	for i := range a.Groups {
		if a.Groups[i] != b.Groups[i] {
			t.Fatal("two modules from one seed differ")
		}
	}
}

func TestSwappedProbesChangeOnlyTheSign(t *testing.T) {
	m := virtual.New(rng(4), "A", spec)
	face := virtual.Face{"a": 1, "b": 5, "dead": virtual.Dead}
	v1, _ := m.Probe(face, "a", "b")
	v2, _ := m.Probe(face, "b", "a")
	if v1 >= 0 || v1 != -v2 {
		t.Errorf("a to b %v, b to a %v", v1, v2)
	}
	if v, _ := m.Probe(face, "a", "dead"); v != 0 {
		t.Errorf("a dead pin read %v", v)
	}
	if _, err := m.Probe(face, "a", "nowhere"); err == nil {
		t.Error("a point that does not exist was read")
	}
}

// The charge taken from every group must be the current times the time, and the test must end on
// the weakest group's floor.
func TestDischargeConservesCharge(t *testing.T) {
	m := virtual.New(rng(5), "A", spec)
	m.SetSoC(1)
	m.Groups[3].CapacityAh *= 0.8
	before := m.Clone()
	log := m.Discharge(virtual.Test{Amps: 15, FloorVolts: 3.0, RestBefore: 600, RestAfter: 1800, EverySecond: 5,
		AmbientC: 21})
	loaded := 0.0
	lowestEnd := math.Inf(1)
	var end virtual.Sample
	for i := 1; i < len(log); i++ {
		if log[i-1].Amps < 0 && log[i].Seconds > log[i-1].Seconds {
			loaded += 15 * 5
			if log[i].Amps < 0 {
				end = log[i]
			}
		}
	}
	// The last loaded sample ends the test without a further step.
	loaded -= 15 * 5
	for i := range m.Groups {
		got := (before.Groups[i].SoC - m.Groups[i].SoC) * m.Groups[i].CapacityAh * 3600
		if math.Abs(got-loaded) > 15*5+1 {
			t.Errorf("group %d gave %.0f As, the log says %.0f", i+1, got, loaded)
		}
		if end.Groups[i] < lowestEnd {
			lowestEnd = end.Groups[i]
		}
	}
	if lowestEnd != end.Groups[3] || lowestEnd > 3.0 {
		t.Errorf("the short group did not end the test: %v", end.Groups)
	}
}

func TestAgeTakesLeakageOnly(t *testing.T) {
	m := virtual.New(rng(6), "A", spec)
	m.Groups[2].LeakageAmps = 0.01
	before := m.Clone()
	m.Age(10)
	for i := range m.Groups {
		lost := (before.Groups[i].SoC - m.Groups[i].SoC) * m.Groups[i].CapacityAh
		want := m.Groups[i].LeakageAmps * 240
		if math.Abs(lost-want) > 1e-9 {
			t.Errorf("group %d lost %.3f Ah, want %.3f", i+1, lost, want)
		}
	}
}

func TestDialectsHoldEverySample(t *testing.T) {
	m := virtual.New(rng(7), "A", spec)
	log := m.Discharge(virtual.Test{Amps: 20, FloorVolts: 3.4, RestBefore: 60, RestAfter: 60, EverySecond: 10,
		AmbientC: 20})
	for d, extra := range map[virtual.Dialect]int{virtual.PlainSeconds: 1, virtual.MinutesMilliamps: 5,
		virtual.ClockTabs: 1} {
		t.Run(fmt.Sprint(d), func(t *testing.T) {
			text := virtual.WriteLog(rng(8), log, d, time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC))
			if lines := bytes.Count(text, []byte("\n")); lines != len(log)+extra {
				t.Errorf("dialect %d: %d lines for %d samples", d, lines, len(log))
			}
		})
	}
	if cut := virtual.DropBetween(log, 100, 200); len(cut) != len(log)-9 {
		t.Errorf("dropping 9 samples left %d of %d", len(cut), len(log))
	}
}

func TestMeterRoundsToItsDigit(t *testing.T) {
	meter := virtual.NewMeter(rng(9), 0, 0.01)
	if v := meter.Read(3.7264); v != 3.73 {
		t.Errorf("read %v", v)
	}
}
