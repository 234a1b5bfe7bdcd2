package trace_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/module/logfile"

	"pandrel/core/base/chem"
	"pandrel/core/module/trace"
)

// Headers as loggers write them: which column is what, and in which unit.
func TestColumnsAreRecognised(t *testing.T) {
	cases := []struct {
		header, row       string
		volts, amps, temp float64
		groups            int
	}{
		{"time_s,volts,amps", "5,3.9,-2.5", 3.9, -2.5, 0, 0},
		{"Time (s);Voltage (mV);Current (mA);Temp (°C)", "5;3900;-2500;21", 3.9, -2.5, 21, 0},
		{"Elapsed [min]\tU [V]\tI [A]\tT/°C", "0,1\t3,9\t-2,5\t21", 3.9, -2.5, 21, 0},
		{"t/s;U/V;I/A;ϑ (°C)", "5;3,9;-2,5;21", 3.9, -2.5, 21, 0},
		{"Timestamp,Pack Voltage [V],Pack Current [A],Cell 1 [V],Cell 2 [V]", "2026-11-20 10:00:05,7.8,-2.5,3.9,3.9",
			7.8, -2.5, 0, 2},
		{"elapsed_min;voltage_v;current_a;temperature_c;cell01_v;cell02_v;cell03_v", "0.1;11.7;-2.5;21;3.9;3.9;3.9",
			11.7, -2.5, 21, 3},
		{"Time(h),U1(mV),U2(mV),I(mA)", "0.002,3900,3900,-2500", 7.8, -2.5, 0, 2},
		{"\"Time (s)\",\"Voltage (V)\",\"Current (A)\"", "\"5\",\"3.9\",\"-2.5\"", 3.9, -2.5, 0, 0},
		{"No;Clock;Volts;Amps;Energy(Wh)", "1;10:00:05;3,9;-2,5;0,2", 3.9, -2.5, 0, 0},
		{"amps,volts,time_ms", "-2.5,3.9,5000", 3.9, -2.5, 0, 0},
	}
	for _, c := range cases {
		t.Run(c.header, func(t *testing.T) {
			log, err := logfile.Parse([]byte("a logger\n\n" + c.header + "\n" + c.row + "\n"))
			if err != nil {
				t.Errorf("%s: %v", c.header, err)
				return
			}
			temp := 0.0
			if log.TempC != nil {
				temp = log.TempC[0]
			}
			if math.Abs(log.Volts[0]-c.volts) > 1e-9 || math.Abs(log.Amps[0]-c.amps) > 1e-9 || temp != c.temp ||
				len(log.Groups) != c.groups {
				t.Errorf("%s: %v V, %v A, %v °C, %d groups", c.header, log.Volts[0], log.Amps[0], temp, len(log.Groups))
			}
		})
	}
}

// Numbers written with commas or points, with or without leading zeros and signs, are one number.
func TestDecimalMarksAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(61, 61))
	var point, comma strings.Builder
	point.WriteString("time_s;volts;amps\n")
	comma.WriteString("time_s;volts;amps\n")
	for i := range 500 {
		line := fmt.Sprintf("%d;%.4f;%+.3f\n", i, 2+2*rng.Float64(), 20*rng.Float64()-10)
		point.WriteString(line)
		comma.WriteString(strings.ReplaceAll(line, ".", ","))
	}
	a, err1 := logfile.Parse([]byte(point.String()))
	b, err2 := logfile.Parse([]byte(comma.String()))
	if err1 != nil || err2 != nil || len(a.Volts) != 500 || len(b.Volts) != 500 {
		t.Fatal(err1, err2)
	}
	for i := range a.Volts {
		if a.Volts[i] != b.Volts[i] || a.Amps[i] != b.Amps[i] {
			t.Fatalf("line %d: %v and %v", i, a.Volts[i], b.Volts[i])
		}
	}
}

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
