package trace_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/trace"
)

// profile builds a log from stretches of constant current, with a voltage that answers to it.
func profile(dt float64, stretches ...[2]float64) []byte {
	var b strings.Builder
	b.WriteString("time_s,volts,amps\n")
	now, charge := 0.0, 0.0
	for _, s := range stretches {
		for end := now + s[0]; now < end-1e-9; now += dt {
			charge += s[1] * dt / 3600
			fmt.Fprintf(&b, "%.1f,%.4f,%.3f\n", now, 3.7+0.05*charge+0.01*s[1], s[1])
		}
	}
	return []byte(b.String())
}

func TestSegmentsHoldEveryAmpHour(t *testing.T) {
	rng := rand.New(rand.NewPCG(62, 62))
	for n := range 40 {
		var st [][2]float64
		var in, out float64
		sign := 1.0
		for range 2 + rng.IntN(4) {
			amps := sign * (1 + 9*rng.Float64())
			sec := 300 + 60*float64(rng.IntN(30))
			st = append(st, [2]float64{600, 0}, [2]float64{sec, amps})
			if amps > 0 {
				in += amps * sec / 3600
			} else {
				out -= amps * sec / 3600
			}
			sign = -sign
		}
		st = append(st, [2]float64{600, 0})
		r := analyse(t, profile(5, st...), trace.Options{Chemistry: chem.NMC})
		var gotIn, gotOut, u float64
		for _, s := range r.Segments {
			switch s.Kind {
			case "charge":
				gotIn += s.Ah
			case "discharge":
				gotOut += s.Ah
			}
		}
		u = 10.0 * 5 / 3600 * float64(len(st)) // a sampling interval at each switching
		if math.Abs(gotIn-in) > u || math.Abs(gotOut-out) > u {
			t.Errorf("case %d: in %.3f of %.3f, out %.3f of %.3f Ah, sign %s", n, gotIn, in, gotOut, out, r.Sign)
		}
		if len(r.Segments) != len(st) {
			t.Errorf("case %d: %d segments of %d", n, len(r.Segments), len(st))
		}
	}
}

func TestShortDropoutsDoNotCutASegment(t *testing.T) {
	text := string(profile(5, [2]float64{600, 0}, [2]float64{3000, -8}, [2]float64{600, 0}))
	lines := strings.Split(text, "\n")
	for _, i := range []int{200, 201, 400} { // two and one samples of nothing, as a bouncing contact
		f := strings.Split(lines[i], ",")
		lines[i] = f[0] + "," + f[1] + ",0.000"
	}
	r := analyse(t, []byte(strings.Join(lines, "\n")), trace.Options{Chemistry: chem.NMC})
	if len(r.Segments) != 3 || r.Segments[1].Kind != "discharge" {
		t.Errorf("%d segments", len(r.Segments))
	}
	if want := 8 * 3000 / 3600.0; math.Abs(r.Segments[1].Ah-want) > 0.1 {
		t.Errorf("%.3f Ah of %.3f", r.Segments[1].Ah, want)
	}
}

func TestFullFromATaperedCharge(t *testing.T) {
	taper := [][2]float64{{600, 0}}
	for amps := 10.0; amps > 1; amps *= 0.8 {
		taper = append(taper, [2]float64{300, amps})
	}
	whole := append(taper, [2]float64{600, 0}, [2]float64{3600, -10})
	opt := trace.Options{Chemistry: chem.NMC, RatedAh: 10, FloorVolts: 3.3}
	if r := analyse(t, profile(5, whole...), opt); r.Capacity == nil ||
		!strings.Contains(fmt.Sprint(r.Findings), "floor") && !r.Capacity.Complete {
		t.Errorf("after a taper: %+v, %+v", r.Capacity, r.Findings)
	}
	cut := append([][2]float64{{600, 0}, {2400, 10}}, [2]float64{600, 0}, [2]float64{3600, -10})
	r := analyse(t, profile(5, cut...), opt)
	if r.Capacity == nil || r.Capacity.Complete || !strings.Contains(fmt.Sprint(r.Findings), "did not taper") {
		t.Errorf("after a charge that was cut: %+v, %+v", r.Capacity, r.Findings)
	}
}

// A shunt with a gain error and a logger that stops before the end must show in the figures.
func TestUncertaintyGrowsWithTimeAndCharge(t *testing.T) {
	short := analyse(t, profile(5, [2]float64{600, 0}, [2]float64{1800, -10}, [2]float64{600, 0}),
		trace.Options{Chemistry: chem.NMC})
	long := analyse(t, profile(5, [2]float64{600, 0}, [2]float64{18000, -1}, [2]float64{600, 0}),
		trace.Options{Chemistry: chem.NMC})
	if math.Abs(short.Capacity.Ah-long.Capacity.Ah) > 0.02 {
		t.Fatalf("%.3f and %.3f Ah", short.Capacity.Ah, long.Capacity.Ah)
	}
	if long.Capacity.UncertaintyAh <= short.Capacity.UncertaintyAh {
		t.Errorf("10 mA of zero error over 5 h gave ± %.3f Ah, over half an hour ± %.3f", long.Capacity.UncertaintyAh,
			short.Capacity.UncertaintyAh)
	}
}
