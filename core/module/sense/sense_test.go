package sense_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/sense"
)

// ladder is the potentials of n groups, lowest first.
func ladder(rng *rand.Rand, n int) []float64 {
	out := []float64{0}
	for range n {
		out = append(out, out[len(out)-1]+3.6+0.1*rng.Float64())
	}
	return out
}

// read is what a meter shows of each lead, and of the top one against lead 0.
func read(expected []float64) (out []sense.Measured) {
	for i, v := range expected {
		out = append(out, sense.Measured{BMS: "B1", Input: i, Volts: v})
	}
	top := len(expected) - 1
	return append(out, sense.Measured{BMS: "B1", Input: top, Volts: expected[top] - expected[0], AgainstZero: true})
}

func ExampleJudgeLeads() {
	expected := []float64{0, 3.7, 7.4, 11.1}
	measured := read(expected)
	measured[1].Volts, measured[2].Volts = measured[2].Volts, measured[1].Volts
	v, _ := sense.JudgeLeads("B1", expected, measured, 0.01)
	fmt.Println(v.Kind, v.Inputs)
	// Output: swapped [1 2]
}

// Leads on their taps are good, whatever the charge; every swap of two is seen and named by exactly its two.
func TestEverySwapIsNamed(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 9))
	for _, n := range []int{4, 7, 16} {
		expected := ladder(rng, n)
		shift := 1 + 0.02*rng.Float64() // charged a little since the survey
		good := make([]float64, len(expected))
		for i, v := range expected {
			good[i] = v * shift
		}
		v, err := sense.JudgeLeads("B1", expected, read(good), 0.01)
		if err != nil || v.Kind != sense.Good || !v.Proven() {
			t.Fatalf("%d groups on their taps: %v %+v %v", n, err, v, v.Proven())
		}
		for a := 1; a <= n; a++ {
			for b := a + 1; b <= n; b++ {
				t.Run(fmt.Sprintf("%d of %d with %d", a, n, b), func(t *testing.T) {
					m := read(good)
					m[a].Volts, m[b].Volts = m[b].Volts, m[a].Volts
					v, err := sense.JudgeLeads("B1", expected, m, 0.01)
					if err != nil || v.Kind == sense.Good || v.Proven() {
						t.Fatalf("taken as good: %+v %v", v, err)
					}
					if !slices.Contains(v.Inputs, a) || !slices.Contains(v.Inputs, b) {
						t.Errorf("named %v", v.Inputs)
					}
				})
			}
		}
	}
}

// Without the top lead read against it, lead 0 may hang in the air and every other reading still fit.
func TestLeadZeroIsProvenByTheTopLeadAlone(t *testing.T) {
	expected := ladder(rand.New(rand.NewPCG(1, 2)), 7)
	m := read(expected)
	v, err := sense.JudgeLeads("B1", expected, m[:len(m)-1], 0.01)
	if err != nil || v.Proven() {
		t.Errorf("%+v %v", v, err)
	}
	m[len(m)-1].Volts = 0.3 // it floats
	if v, err = sense.JudgeLeads("B1", expected, m, 0.01); err != nil || v.Proven() {
		t.Errorf("a floating lead 0 was proven: %+v %v", v, err)
	}
}

func TestWhatCannotBeJudged(t *testing.T) {
	for _, c := range []struct {
		name     string
		expected []float64
		measured []sense.Measured
		accuracy float64
	}{
		{"one lead", []float64{0, math.NaN()}, nil, 0},
		{"accuracy below nothing", []float64{0, 3.7, 7.4}, read([]float64{0, 3.7, 7.4}), -1},
		{"accuracy not a number", []float64{0, 3.7, 7.4}, read([]float64{0, 3.7, 7.4}), math.NaN()},
		{"an input that does not exist", []float64{0, 3.7}, []sense.Measured{{BMS: "B1", Input: 9, Volts: 3.7}}, 0},
		{"an input twice", []float64{0, 3.7}, []sense.Measured{{BMS: "B1", Input: 1, Volts: 3.7},
			{BMS: "B1", Input: 1, Volts: 3.7}}, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			if v, err := sense.JudgeLeads("B1", c.expected, c.measured, c.accuracy); err == nil {
				t.Errorf("judged: %+v", v)
			}
		})
	}
}

// A tenth of the smallest group is the coarsest meter that tells neighbours apart.
func TestCoarsest(t *testing.T) {
	if got := sense.CoarsestVolts([]float64{0, 3.7, 7.3, 11.1}); math.Abs(got-0.36) > 1e-9 {
		t.Errorf("%v V", got)
	}
}

func BenchmarkJudge(b *testing.B) {
	expected := ladder(rand.New(rand.NewPCG(1, 2)), 16)
	m := read(expected)
	for b.Loop() {
		if _, err := sense.JudgeLeads("B1", expected, m, 0.01); err != nil {
			b.Fatal(err)
		}
	}
}

// plug is what a meter reads of leads that sit on taps, by input; −1 is an open lead. The last reading is the top lead
// against the end of lead 0.
func plug(ladder []float64, on []int) []sense.Measured {
	volts := func(i int) float64 {
		if on[i] < 0 {
			return 0 // a meter's own resistance pulls what floats to its black lead
		}
		return ladder[on[i]]
	}
	var out []sense.Measured
	for i := range on {
		out = append(out, sense.Measured{BMS: "B1", Input: i, Volts: volts(i)})
	}
	top := len(on) - 1
	against := volts(top) - volts(0)
	if on[0] < 0 || on[top] < 0 {
		against = 0
	}
	return append(out, sense.Measured{BMS: "B1", Input: top, Volts: against, AgainstZero: true})
}

// One mistake is said once, lead 0 and the top one among them.
func TestOneMistakeIsSaidOnce(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	for _, n := range []int{3, 4, 7, 16} {
		l := ladder(rng, n)
		on := make([]int, n+1)
		for i := range on {
			on[i] = i
		}
		one := func(name string, on []int, kind sense.Kind, leads ...int) {
			v, err := sense.JudgeLeads("B1", l, plug(l, on), 0.01)
			if err != nil {
				t.Fatal(err)
			}
			stops := 0
			for _, f := range v.Findings {
				if f.Level >= finding.Stop {
					stops++
				}
			}
			if v.Kind != kind || stops != 1 || !slices.Equal(v.Inputs, leads) || v.Proven() {
				t.Errorf("%d groups, %s: %s, %d stops, %v: %+v", n, name, v.Kind, stops, v.Inputs, v.Findings)
			}
		}
		for a := range on {
			open := slices.Clone(on)
			open[a] = -1
			one(fmt.Sprintf("lead %d open", a), open, sense.OpenLead, a)
			for b := range a {
				swap := slices.Clone(on)
				swap[a], swap[b] = swap[b], swap[a]
				one(fmt.Sprintf("leads %d and %d swapped", b, a), swap, sense.Swapped, b, a)
			}
		}
	}
}

// What is shown of leads that read as expected is not 'good' until lead 0 is proven.
func TestUnprovenIsNotShownAsGood(t *testing.T) {
	l := ladder(rand.New(rand.NewPCG(3, 2)), 7)
	m := plug(l, []int{0, 1, 2, 3, 4, 5, 6, 7})
	for k, want := range map[int]sense.Kind{len(m): sense.Good, len(m) - 1: sense.Unproven} {
		v, err := sense.JudgeLeads("B1", l, m[:k], 0.01)
		if err != nil {
			t.Fatal(err)
		}
		if s := v.Shown(); s.Kind != want || finding.Blocks(s.Findings) != (want == sense.Unproven) {
			t.Errorf("%d readings: %+v", k, s)
		}
	}
}
