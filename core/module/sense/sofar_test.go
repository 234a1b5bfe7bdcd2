package sense_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/module/sense"
)

func ExampleSoFar() {
	expected := []float64{0, 3.7, 7.4, 11.1}
	odd, left, _ := sense.SoFar("B1", expected, []sense.Measured{{BMS: "B1", Input: 1, Volts: 7.402}}, 0.01)
	for _, o := range odd {
		fmt.Printf("lead %d: %s; %d left\n", o.Input, o.Text, left)
	}
	// Output: lead 1: that is the voltage of lead 2; 3 left
}

func inputs(odd []sense.Odd) (out []int) {
	for _, o := range odd {
		out = append(out, o.Input)
	}
	return out
}

// Leads on their taps are never odd on the way, in whatever order they are read, on a bank charged or discharged since;
// and a lead on another tap is odd as soon as it is read.
func TestOddAsSoonAsItIsRead(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 4))
	for trial := range 400 {
		n := 4 + rng.IntN(13)
		expected := ladder(rng, n)
		shift := 0.030 * (2*rng.Float64() - 1) // each group, since the survey
		var all []sense.Measured
		for i, e := range expected {
			all = append(all, sense.Measured{BMS: "B1", Input: i, Volts: e + shift*float64(i)})
		}
		if trial%2 == 0 {
			rng.Shuffle(len(all), func(a, b int) { all[a], all[b] = all[b], all[a] })
		}
		for k := range all {
			odd, left, err := sense.SoFar("B1", expected, all[:k+1], 0.005)
			if err != nil || len(odd) > 0 || left != len(expected)-k-1 {
				t.Fatalf("%d groups, %.3f V each, %d read: %v, %d left, %v", n, shift, k+1, odd, left, err)
			}
		}
		k := rng.IntN(len(all))
		for all[k].Input == 0 {
			k = rng.IntN(len(all))
		}
		other := (all[k].Input + 1 + rng.IntN(n)) % (n + 1)
		all[k].Volts = expected[other] + shift*float64(other)
		odd, _, err := sense.SoFar("B1", expected, all[:k+1], 0.005)
		if err != nil || !slices.Contains(inputs(odd), all[k].Input) {
			t.Fatalf("lead %d on tap %d: %v, %v", all[k].Input, other, odd, err)
		}
	}
}

func TestWhatIsOdd(t *testing.T) {
	expected := []float64{0, 3.7, 7.4, 11.1, math.NaN(), 11.1}
	for _, c := range []struct {
		name  string
		lead  int
		volts float64
		says  string
	}{
		{"as it must", 2, 7.41, ""},
		{"open", 2, 0.002, "open"},
		{"swapped probes", 2, -7.4, "swapped"},
		{"a neighbour's", 2, 3.7, "lead 1"},
		{"nobody's", 2, 5.5, "no lead's"},
		{"tied to the top", 5, 11.1, ""},
		{"an input without a lead", 4, 11.1, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			odd, _, err := sense.SoFar("B1", expected, []sense.Measured{{BMS: "B1", Input: c.lead, Volts: c.volts}}, 0)
			if err != nil || (c.says == "") != (len(odd) == 0) || len(odd) > 0 && !strings.Contains(odd[0].Text,
				c.says) {
				t.Errorf("%v, %v", odd, err)
			}
		})
	}
	group := []sense.Measured{{BMS: "B1", Input: 1, Volts: 3.7}, {BMS: "B1", Input: 2, Volts: 7.2}}
	if odd, _, _ := sense.SoFar("B1", expected, group, 0.005); len(odd) != 1 || odd[0].Input != 2 {
		t.Errorf("a group that lost 200 mV: %v", odd)
	}
	top := []sense.Measured{{BMS: "B1", Input: 3, Volts: 0.001, AgainstZero: true}}
	if odd, _, _ := sense.SoFar("B1", expected, top, 0.005); len(odd) != 1 || odd[0].Input != -1 {
		t.Errorf("lead 0 open: %v", odd)
	}
	if _, _, err := sense.SoFar("B1", expected[:1], nil, 0); err == nil {
		t.Error("no ladder, no error")
	}
}

// Whatever the whole check calls good was never odd on the way.
func TestGoodIsNeverOdd(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	for range 500 {
		expected := ladder(rng, 4+rng.IntN(12))
		m := read(expected)
		for i := range m {
			m[i].Volts += 0.03 * (2*rng.Float64() - 1)
		}
		v, err := sense.JudgeLeads("B1", expected, m, 0.01)
		if err != nil {
			t.Fatal(err)
		}
		if odd, _, _ := sense.SoFar("B1", expected, m, 0.01); v.Kind == sense.Good && len(odd) > 0 {
			t.Fatalf("good, and odd: %v", odd)
		}
	}
}

func BenchmarkSoFar(b *testing.B) {
	expected := ladder(rand.New(rand.NewPCG(1, 1)), 16)
	m := read(expected)
	for b.Loop() {
		if _, _, err := sense.SoFar("B1", expected, m, 0.005); err != nil {
			b.Fatal(err)
		}
	}
}
