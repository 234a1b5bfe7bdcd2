package trace_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
	"pandrel/core/trainer/virtual"
)

var when = time.Date(2026, 11, 20, 22, 30, 0, 0, time.UTC)

func source() *rand.Rand { return rand.New(rand.NewPCG(3, 3)) }

func module(series int) virtual.Module {
	m := virtual.New(source(), "A", virtual.Spec{Chemistry: chem.NMC, Series: series, RatedAh: 46, SoH: 0.85,
		CapacitySpread: 0.01, ResistanceOhms: 0.0016})
	m.SetSoC(1)
	return m
}

var test = virtual.Test{Amps: 14, FloorVolts: 3.0, RestBefore: 2400, RestAfter: 2400, EverySecond: 5, AmbientC: 22}

func analyse(t testing.TB, text []byte, opt trace.Options) trace.Result {
	t.Helper()
	log, err := logfile.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	r, err := trace.Analyse(log, opt)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func ExampleAnalyse() {
	log,
		_ := logfile.Parse(
		[]byte("t [h];U/V;I(mA)\n0;4,19;0\n0,5;4,19;0\n0,6;3,9;-5000\n0,7;3,8;-5000\n0,8;3,7;-5000\n0,9;3,0;-5000\n"))
	r, _ := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 2})
	fmt.Printf("%.2f Ah complete %v, %s\n", r.Capacity.Ah, r.Capacity.Complete, r.Sign)
	// Output: 1.75 Ah complete true, as written: positive charges
}

// One test written in three dialects must give one result, and that result is the truth of the simulated module.
// resistanceAt is the first resistance after so many seconds.
func resistanceAt(r trace.Result, after float64) (x trace.Resistance) {
	for _, x := range r.Resistance {
		if x.AfterS == after {
			return x
		}
	}
	return x
}

func TestDialectsAgreeWithTheTruth(t *testing.T) {
	m := module(7)
	m.Groups[4].CapacityAh *= 0.93
	truth := m.Clone()
	samples := m.Discharge(test)
	for d, groups := range map[virtual.Dialect]bool{virtual.PlainSeconds: true, virtual.MinutesMilliamps: false,
		virtual.ClockTabs: true} {
		t.Run(fmt.Sprint(d), func(t *testing.T) {
			r := analyse(t, virtual.WriteLog(source(), samples, d, when), trace.Options{Series: 7, Chemistry: chem.NMC,
				RatedAh: 46})
			gave := (truth.Groups[0].SoC - m.Groups[0].SoC) * truth.Groups[0].CapacityAh
			if r.Samples != len(samples) || r.Skipped != 0 {
				t.Errorf("dialect %d: %d samples of %d, %d lines left out: %v", d, r.Samples, len(samples), r.Skipped,
					r.Problems)
			}
			if r.Capacity == nil || math.Abs(r.Capacity.Ah-gave) > 0.03 {
				t.Fatalf("dialect %d: capacity %+v, truth %.3f; sign %s", d, r.Capacity, gave, r.Sign)
			}
			if r.Capacity.Complete != (r.Capacity.SoH != nil) || r.Capacity.Complete &&
				math.Abs(*r.Capacity.SoH-numeral.AmpHours(r.Capacity.Ah)/46) > 1e-9 {
				t.Errorf("dialect %d: complete %v, state of health %v", d, r.Capacity.Complete, r.Capacity.SoH)
			}
			// R at 10 s of the model: R0·(1 + 0.6·(1 − e^(−10/40))) for each group, plus what the
			// charge moved in 10 s does to the rest voltage.
			want := 0.0
			for _, g := range truth.Groups {
				ocv := truth.Chemistry.Curve.Volts(1) - truth.Chemistry.Curve.Volts(1-14.0*10/3600/g.CapacityAh)
				want += g.ResistanceOhms*(1+0.6*(1-math.Exp(-0.25))) + ocv/14
			}
			// When within 5 s the load came on the log does not tell: the interval says so, and holds the truth.
			if got := resistanceAt(r, 10); math.Abs(got.MilliO-want*1000) > got.UMilliO+0.02 || got.UMilliO > 0.8 {
				t.Errorf("dialect %d: %+v at 10 s, the model has %.2f", d, got, want*1000)
			}
			if _, ok := r.ResistanceAt(1); ok {
				t.Errorf("dialect %d: a resistance at 1 s from samples 5 s apart", d)
			}
			if groups {
				if r.LimitingGroup == nil || *r.LimitingGroup != 5 || !r.Capacity.Complete {
					t.Errorf("dialect %d: limiting group %v, complete %v, %+v", d, r.LimitingGroup, r.Capacity.Complete,
						r.Findings)
				}
				if r.AsFoundAh == nil || math.Abs(*r.AsFoundAh-gave) > 0.6 || *r.BalancedAh < *r.AsFoundAh-1e-9 {
					t.Errorf("dialect %d: as found %v, balanced %v, gave %.2f", d, r.AsFoundAh, r.BalancedAh, gave)
				}
			}
		})
	}
}

func TestGapIsNotBridged(t *testing.T) {
	m := module(4)
	samples := m.Discharge(test)
	whole := analyse(t, virtual.WriteLog(source(), samples, virtual.PlainSeconds, when),
		trace.Options{Chemistry: chem.NMC, RatedAh: 46})
	holed := analyse(t, virtual.WriteLog(source(), virtual.DropBetween(samples, 5000, 5900), virtual.PlainSeconds,
		when), trace.Options{Chemistry: chem.NMC, RatedAh: 46})
	lost := 14 * 900.0 / 3600
	if len(holed.Gaps) != 1 || math.Abs(holed.Gaps[0].AhHigh-lost) > 0.05 || holed.Gaps[0].AhLow != 0 {
		t.Fatalf("gaps %+v", holed.Gaps)
	}
	if d := whole.Capacity.Ah - holed.Capacity.Ah; math.Abs(d-lost) > 0.05 {
		t.Errorf("the gap of %.2f Ah was counted as %.2f", lost, lost-d)
	}
	if holed.Capacity.Complete {
		t.Error("a log with a gap was called complete")
	}
}

// A counter of the logger's own that ran through a gap tells what flowed in it, to its last digit; one that began anew
// in it, stood still while current flowed, or does not agree with the samples tells nothing.
func TestACounterRunsThroughAGap(t *testing.T) {
	m := module(4)
	samples := m.Discharge(test)
	opt := trace.Options{Chemistry: chem.NMC, RatedAh: 46}
	whole := analyse(t, virtual.WriteLog(source(), samples, virtual.PlainSeconds, when), opt).Capacity.Ah
	for _, c := range []struct {
		name    string
		counter func(ah, s float64) float64 // what it shows where so much was drawn
		tells   bool
	}{
		{"counts up", func(ah, _ float64) float64 { return ah }, true},
		{"counts down from full", func(ah, _ float64) float64 { return 46 - ah }, true},
		{"below nothing", func(ah, _ float64) float64 { return -ah }, true},
		{"began anew in the gap", func(ah, s float64) float64 {
			if s > 5500 {
				return ah - 15
			}
			return ah + 12
		}, false},
		{"off by a tenth", func(ah, _ float64) float64 { return 1.1 * ah }, false},
		{"stands still", func(float64, float64) float64 { return 3 }, false},
		{"jumps in the gap", func(ah, s float64) float64 {
			if s > 5500 {
				return ah + 6
			}
			return ah
		}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := bytes.NewBufferString("time_s,volts,amps,ah\n")
			ah, before := 0.0, 0.0
			for i, x := range samples {
				if i > 0 {
					ah -= x.Amps * (x.Seconds - before) / 3600
				}
				before = x.Seconds
				if x.Seconds <= 5000 || x.Seconds >= 5900 {
					fmt.Fprintf(b, "%.0f,%.3f,%.3f,%.3f\n", x.Seconds, x.Volts, x.Amps, c.counter(ah, x.Seconds))
				}
			}
			r := analyse(t, b.Bytes(), trace.Options{Chemistry: opt.Chemistry, RatedAh: 46, Series: 4})
			if r.Capacity == nil || len(r.Gaps) != 1 {
				t.Fatalf("%+v", r)
			}
			g, off := r.Gaps[0], whole-r.Capacity.Ah
			const lost = 14 * 900.0 / 3600
			if c.tells && (math.Abs(off) > 0.06 || g.AhHigh-g.AhLow > 0.2 || g.AhLow > lost+0.02 ||
				g.AhHigh < lost-0.02) ||
				!c.tells && (math.Abs(off-lost) > 0.06 || g.AhLow != 0 || math.Abs(g.AhHigh-lost) > 0.05) {
				t.Errorf("%.2f Ah of %.2f, gap %+v", r.Capacity.Ah, whole, g)
			}
			if hidden := r.Capacity.GapAh; math.Abs(hidden-(g.AhHigh-g.AhLow)) > 1e-9 {
				t.Errorf("%.3f Ah are said to be hidden by %+v", hidden, g)
			}
		})
	}
}

func TestSigns(t *testing.T) {
	m := module(4)
	samples := m.Discharge(test)
	opt := trace.Options{Chemistry: chem.NMC, RatedAh: 46}
	plain := virtual.WriteLog(source(), samples, virtual.PlainSeconds, when)
	want := analyse(t, plain, opt).Capacity.Ah
	unsigned := bytes.ReplaceAll(plain, []byte(",-14.000"), []byte(",14.000"))
	for name, text := range map[string][]byte{"unsigned": unsigned, "reversed": virtual.WriteLog(source(), samples,
		virtual.ClockTabs, when)} {
		t.Run(name, func(t *testing.T) {
			r := analyse(t, text, opt)
			if r.Capacity == nil || math.Abs(r.Capacity.Ah-want) > 0.01 {
				t.Errorf("%s: %+v", name, r.Capacity)
			}
		})
	}
	flip := opt
	flip.FlipCurrent = true
	if r := analyse(t, plain, flip); r.Capacity != nil {
		t.Errorf("flipped by hand there is no discharge, got %+v", r.Capacity)
	}
}

// Charge scales with the current and energy with the voltage; splitting intervals changes nothing.
func TestConservation(t *testing.T) {
	build := func(scaleI, dt float64) string {
		var b strings.Builder
		b.WriteString("time_s,volts,amps\n")
		for s := 0.0; s <= 3600; s += dt {
			i := 0.0
			if s >= 600 {
				i = -10 * scaleI
			}
			fmt.Fprintf(&b, "%g,%g,%g\n", s, 4.0, i)
		}
		return b.String()
	}
	one := analyse(t, []byte(build(1, 10)), trace.Options{Chemistry: chem.NMC})
	two := analyse(t, []byte(build(2, 10)), trace.Options{Chemistry: chem.NMC})
	fine := analyse(t, []byte(build(1, 1)), trace.Options{Chemistry: chem.NMC})
	if math.Abs(two.Capacity.Ah-2*one.Capacity.Ah) > 1e-9 {
		t.Errorf("twice the current gave %v for %v", two.Capacity.Ah, one.Capacity.Ah)
	}
	if math.Abs(one.Capacity.Wh-4*one.Capacity.Ah) > 1e-9 {
		t.Errorf("at 4 V %v Wh for %v Ah", one.Capacity.Wh, one.Capacity.Ah)
	}
	exact := 10 * 3000 / 3600.0
	for _, r := range []trace.Result{one, fine} {
		if math.Abs(r.Capacity.Ah-exact) > r.Capacity.UncertaintyAh {
			t.Errorf("%v ± %v Ah, exact %v", r.Capacity.Ah, r.Capacity.UncertaintyAh, exact)
		}
	}
}

func TestFindings(t *testing.T) {
	cases := []struct {
		name, text, want string
	}{
		{"no current", "time_s,volts\n0,4\n1,4\n", "no-current"},
		{"only rest", "time_s,volts,amps\n0,4,0\n1,4,0\n", "no-discharge"},
		{"a part", "time_s,volts,amps\n0,3.8,0\n60,3.8,0\n120,3.7,-5\n180,3.69,-5\n240,3.68,-5\n300,3.67,-5\n",
			"part-discharge"},
		{"bad lines",
			"time_s,volts,amps\n0,4.19,0\n60,OL,0\n120,3.7,-5\n110,3.7,-5\n120,3.7,-5\n180,3.69,-5\n240,3.68,-5\n" +
				"300,3.67,-5\n", "lines-left-out"},
		{"driven too low", "time_s,group1,group2,amps\n0,4.19,4.19,0\n60,4.1,3.9,-5\n120,3.7,1.5,-5\n180,3.7,1.2,-5\n",
			"driven-below"},
		{"counter disagrees", "t [s];U/V;I/A;Q (Ah)\n0;4,19;0;0\n600;4,1;-5;0\n1200;4,0;-5;2,0\n1800;3,0;-5;4,0\n",
			"counter-disagrees"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r := analyse(t, []byte(c.text), trace.Options{Chemistry: chem.NMC, RatedAh: 2})
			if !slices.ContainsFunc(r.Findings, func(f finding.Finding) bool {
				return f.Code == c.want && f.Do != ""
			}) {
				t.Errorf("%s: %+v", c.name, r.Findings)
			}
		})
	}
}

func FuzzParse(f *testing.F) {
	m := module(2)
	samples := m.Discharge(virtual.Test{Amps: 30, FloorVolts: 3.6, RestBefore: 20, RestAfter: 20, EverySecond: 60,
		AmbientC: 20})
	for _, d := range []virtual.Dialect{virtual.PlainSeconds, virtual.MinutesMilliamps, virtual.ClockTabs} {
		f.Add(virtual.WriteLog(source(), samples, d, when))
	}
	f.Add([]byte("time_s,volts\n1,2\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		log, err := logfile.Parse(data)
		if err != nil {
			return
		}
		for i := 1; i < len(log.Seconds); i++ {
			if !(log.Seconds[i] > log.Seconds[i-1]) {
				t.Fatal("time does not increase")
			}
		}
		r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 10})
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range r.Segments {
			if s.Ah < 0 || s.EndS < s.StartS {
				t.Fatalf("segment %+v", s)
			}
		}
	})
}

// millionRows is a log of a million samples in six columns.
func millionRows() []byte {
	var t bytes.Buffer
	t.WriteString("time_s,volts,amps,temp_c,group1_v,group2_v\n")
	for i := range 1_000_000 {
		amps := -14.000
		if i < 2000 || i > 990_000 {
			amps = 0
		}
		v := 4.19 - 1.19e-6*float64(i)
		fmt.Fprintf(&t, "%d,%.3f,%.3f,%.1f,%.3f,%.3f\n", i, 2*v, amps, 22.5, v, v+0.002)
	}
	return t.Bytes()
}

// A million samples in six columns: parse and judge. With GOMAXPROCS=1 it is the rate of one core.
func BenchmarkMillionSamples(b *testing.B) {
	data := millionRows()
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		log, err := logfile.Parse(data)
		if err != nil {
			b.Fatal(err)
		}
		r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 4000})
		if err != nil || r.Samples != 1_000_000 || r.Capacity == nil {
			b.Fatal(r.Samples, err)
		}
	}
	b.ReportMetric(1_000_000/(b.Elapsed().Seconds()/float64(b.N)), "rows/s")
}

// What the standard library takes to part the same lines into fields, without reading a number: the yardstick.
func BenchmarkMillionSamplesAsTextAlone(b *testing.B) {
	data := millionRows()
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		r := csv.NewReader(bytes.NewReader(data))
		for {
			if _, err := r.Read(); err != nil {
				break
			}
		}
	}
	b.ReportMetric(1_000_000/(b.Elapsed().Seconds()/float64(b.N)), "rows/s")
}

// Without the group that met its floor first the others hold at least what was drawn; on a curve that falls it comes
// near to what they do hold, and it is never more.
func TestWhatTheOthersHold(t *testing.T) {
	for _, weak := range []float64{0.6, 0.8, 0.95} {
		m := module(7)
		for i := range m.Groups {
			m.Groups[i].CapacityAh = 46
		}
		m.Groups[4].CapacityAh *= weak
		m.SetSoC(1)
		r := analyse(t, virtual.WriteLog(source(), m.Discharge(test), virtual.PlainSeconds, when),
			trace.Options{Series: 7, Chemistry: chem.NMC, RatedAh: 46})
		if r.OthersAh == nil || *r.OthersAh > 46*1.01 || *r.OthersAh < 46*0.88 || *r.OthersAh <= r.Capacity.Ah {
			t.Errorf("weak to %.2f: %v at least, of 46 Ah", weak, r.OthersAh)
		}
	}
}
