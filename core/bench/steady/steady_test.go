package steady_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"pandrel/core/bench/steady"
)

const every = 150 * time.Millisecond

// run shows the watch one value after the other, and returns the last state with what was taken.
func run(t *testing.T, w *steady.Watch, shown ...float64) (steady.State, float64) {
	t.Helper()
	var at time.Duration
	for i, v := range shown {
		s, got, err := w.See(at, v)
		if err != nil {
			t.Fatal(err)
		}
		if s == steady.Taken || i == len(shown)-1 {
			return s, got
		}
		at += every
	}
	return "", 0
}

func times(v float64, n int) (out []float64) {
	for range n {
		out = append(out, v)
	}
	return out
}

func TestWhatIsTaken(t *testing.T) {
	join := func(parts ...[]float64) (out []float64) {
		for _, p := range parts {
			out = append(out, p...)
		}
		return out
	}
	air, cell := times(0.001, 3), times(3.712, 8)
	for _, c := range []struct {
		name  string
		span  steady.Span
		shown []float64
		state steady.State
		volts float64
	}{
		{"lifted, then on a cell", steady.Volts, join(air, cell), steady.Taken, 3.712},
		{"still on the points of before", steady.Volts, times(3.712, 40), steady.Lift, 0},
		{"from one cell to the next without a lift", steady.Volts, join(cell, times(3.955, 40)), steady.Lift, 0},
		{"swapped probes", steady.Volts, join(air, times(-3.712, 8)), steady.Taken, -3.712},
		{"on, but not for long", steady.Volts, join(air, times(3.712, 4)), steady.Settling, 0},
		{"slipped off again", steady.Volts, join(air, times(3.712, 4), air), steady.Ready, 0},
		{"it climbs: a charger is on it, or the input lets go slowly", steady.Volts,
			join(air, []float64{3.60, 3.61, 3.62, 3.63, 3.64, 3.65, 3.66, 3.67, 3.68, 3.69}), steady.Settling, 0},
		{"bad contact at first", steady.Volts, join(air, []float64{1.2, 2.9, 3.4}, cell), steady.Taken, 3.712},
		{"nothing between two joined posts reads as air", steady.Volts, join(air, times(0, 40)), steady.Ready, 0},
		{"an input that keeps half a volt in the air", steady.Volts, times(0.5, 40), steady.Lift, 0},
		{"a digit more or less stands still", steady.Volts,
			join(air, []float64{3.711, 3.712, 3.713, 3.711, 3.712, 3.712, 3.713, 3.712}), steady.Taken, 3.712},
		{"a whole string", steady.Volts, join(air, times(51.84, 8)), steady.Taken, 51.84},
		{"over its range, then in a higher one", steady.Volts, join(air, times(math.Inf(1), 2), times(51.84, 8)),
			steady.Taken, 51.84},
		{"over its range for ever", steady.Volts, join(air, times(math.Inf(1), 40)), steady.Settling, 0},
		{"a joint", steady.Joint, join(times(0.00001, 3), times(0.0041, 8)), steady.Taken, 0.0041},
		{"a joint too good for this current", steady.Joint, join(times(0.00001, 3), times(0.0003, 40)), steady.Ready,
			0},
	} {
		t.Run(c.name, func(t *testing.T) {
			state, volts := run(t, steady.New(c.span), c.shown...)
			if state != c.state || math.Abs(volts-c.volts) > 1e-9 {
				t.Errorf("%s %v, want %s %v", state, volts, c.state, c.volts)
			}
		})
	}
}

// However a hand goes: what is taken is what the points touched last really have, never the ones before, and never
// anything in between.
func TestOnlyWhatIsTouchedNow(t *testing.T) {
	rng := rand.New(rand.NewPCG(26, 11))
	for trial := range 2000 {
		before, now := 2.5+1.7*rng.Float64(), 2.5+1.7*rng.Float64()
		digit := func(v float64) float64 { return math.Round((v+0.0004*rng.NormFloat64())*1000) / 1000 }
		var shown []float64
		for range rng.IntN(12) { // lingers where it was
			shown = append(shown, digit(before))
		}
		lifts := rng.IntN(4) // 0: slides over
		for range lifts {
			shown = append(shown, digit(0))
		}
		for range rng.IntN(6) { // scratches
			shown = append(shown, digit(now*rng.Float64()))
		}
		for range 14 {
			shown = append(shown, digit(now))
		}
		state, got := run(t, steady.New(steady.Volts), shown...)
		if state == steady.Taken && math.Abs(got-now) > 0.004 {
			t.Fatalf("trial %d: took %v of points with %v, before %v: %v", trial, got, now, before, shown)
		}
		if lifts > 0 && state != steady.Taken {
			t.Fatalf("trial %d: lifted %d times and not taken: %v", trial, lifts, shown)
		}
	}
}

func TestItStandsStillForAWhile(t *testing.T) {
	lifted := func() *steady.Watch {
		w := steady.New(steady.Volts)
		if s, _, err := w.See(0, 0); s != steady.Ready || err != nil {
			t.Fatal(s, err)
		}
		return w
	}
	w := lifted()
	for k := range 100 { // a fast meter: many looks are no time
		if s, _, _ := w.See(time.Duration(k)*time.Millisecond, 3.7); s != steady.Settling {
			t.Fatalf("taken after %d ms", k)
		}
	}
	w = lifted()
	for k := range steady.Looks - 1 { // a slow meter: much time is no proof from two looks
		if s, _, _ := w.See(time.Duration(k)*time.Second, 3.7); s != steady.Settling {
			t.Fatalf("taken after %d looks", k+1)
		}
	}
	if s, v, _ := w.See(10*time.Second, 3.7); s != steady.Taken || v != 3.7 {
		t.Errorf("%s %v", s, v)
	}
	if _, _, err := w.See(11*time.Second, math.NaN()); err == nil {
		t.Error("took what is no number")
	}
}

func TestAnOddOneIsConfirmed(t *testing.T) {
	for _, c := range []struct {
		a, b float64
		same bool
	}{{3.212, 3.214, true}, {3.212, 3.712, false}, {-3.7, 3.7, false}, {51.84, 51.80, true}} {
		if steady.Volts.Same(c.a, c.b) != c.same || steady.Volts.Same(c.b, c.a) != c.same {
			t.Errorf("%v and %v: want %v", c.a, c.b, c.same)
		}
	}
}

func ExampleWatch_See() {
	w := steady.New(steady.Volts)
	for i, shown := range []float64{3.698, 0.001, 2.4, 3.712, 3.712, 3.713, 3.712, 3.712, 3.712, 3.712} {
		state, volts, _ := w.See(time.Duration(i)*200*time.Millisecond, shown)
		if fmt.Println(shown, state); state == steady.Taken {
			fmt.Printf("write down %.3f V\n", volts)
			break
		}
	}
	// Output:
	// 3.698 lift
	// 0.001 ready
	// 2.4 settling
	// 3.712 settling
	// 3.712 settling
	// 3.713 settling
	// 3.712 settling
	// 3.712 taken
	// write down 3.712 V
}

func BenchmarkWatch(b *testing.B) {
	for b.Loop() {
		w := steady.New(steady.Volts)
		for k := range 40 {
			_, _, _ = w.See(time.Duration(k)*every, float64(min(k, 1))*(3+float64(k%2)))
		}
	}
}
