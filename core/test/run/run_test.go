package run_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/kit"
	"pandrel/core/test/run"
	"pandrel/core/test/testplan"
)

func steps(t *testing.T) []run.Step {
	t.Helper()
	m := testplan.Module{Name: "K-1", Chemistry: chem.NMC, Series: 2, Ah: 46, Monitored: true}
	p, err := testplan.For(m, kit.Small(), "")
	if err != nil {
		t.Fatal(err)
	}
	s, err := run.Of(m, p)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Every step with a current has an end of its own, and limits on time and temperature.
func TestEveryStepEndsByItself(t *testing.T) {
	ss := steps(t)
	if len(ss) != 5 {
		t.Fatalf("%+v", ss)
	}
	for _, s := range ss {
		if s.Seconds <= 0 || s.Amps != 0 && s.TempMaxC <= 0 || s.Amps > 0 && (s.GroupMax <= 0 || s.Ah <= 0) ||
			s.Amps < 0 && s.GroupMin <= 0 {
			t.Errorf("%+v", s)
		}
	}
	if _, err := run.Of(testplan.Module{Name: "x", Chemistry: chem.NMC}, testplan.Plan{Refused: true}); err == nil {
		t.Error("a refused plan runs")
	}
}

func TestJudge(t *testing.T) {
	ss := steps(t)
	charge, rest, discharge := ss[0], ss[1], ss[2]
	fine := []float64{3.7, 3.7}
	at := func(amps, ah, seconds float64) run.Reading {
		return run.Reading{Running: true, Groups: fine, Amps: amps, Ah: ah, Seconds: seconds}
	}
	lfp, blind := discharge, discharge
	lfp.GroupMin, blind.Watched = 2.5, false
	for _, c := range []struct {
		name string
		s    run.Step
		r    run.Reading
		want run.Verdict
		code string
	}{
		{"it runs", charge, run.Reading{Running: true, Groups: fine}, run.GoesOn, ""},
		{"it is paused", charge, run.Reading{Paused: true, Groups: fine}, run.GoesOn, ""},
		{"full", charge, run.Reading{Ended: "taper", Groups: fine}, run.Next, ""},
		{"rested", rest, run.Reading{Ended: "time", Groups: fine}, run.Next, ""},
		{"empty", discharge, run.Reading{Ended: "floor", Groups: fine}, run.Next, ""},
		{"too long", charge, run.Reading{Ended: "time", Groups: fine}, run.Stopped, "ended-time"},
		{"too much", charge, run.Reading{Ended: "charge", Groups: fine}, run.Stopped, "ended-charge"},
		{"warm", discharge, run.Reading{Ended: "temperature", Groups: fine}, run.Stopped, "ended-temperature"},
		{"a group over", charge, run.Reading{Running: true, Groups: []float64{3.7, 4.25}}, run.Stopped, "over"},
		{"a group below never-recharge", discharge, run.Reading{Running: true, Groups: []float64{1.5, 3.7}},
			run.Stopped, "never-recharge"},
		{"hot", charge, run.Reading{Running: true, TempC: 60, Groups: fine}, run.Stopped, "hot"},
		{"another module", charge, run.Reading{Running: true, Groups: []float64{3.3, 3.3, 3.3}}, run.Stopped, "groups"},
		{"no lead", charge, run.Reading{Running: true}, run.Stopped, "groups"},
		{"the device forgot", charge, run.Reading{Groups: fine}, run.Stopped, "forgotten"},
		{"the other way round", charge, at(-20, 0, 10), run.Stopped, "direction"},
		{"noise of a current that is off", charge, at(-0.04, 0, 10), run.GoesOn, ""},
		{"1.47 times what was set", charge, at(1.47*charge.Amps, 0, 10), run.Stopped, "more-than-set"},
		{"1.2 times what was set", charge, at(1.19*charge.Amps, 0, 10), run.GoesOn, ""},
		{"500 000 Ah after ten seconds", charge, at(charge.Amps, 5e5, 10), run.Stopped, "counter-impossible"},
		{"as much as its time holds", charge, at(charge.Amps, charge.Amps*1000/3600, 1000), run.GoesOn, ""},
		{"past its charge", charge, at(charge.Amps, charge.Ah*1.06+0.1, 9*3600), run.Stopped, "past-charge"},
		{"past its time", charge, at(charge.Amps, 10, charge.Seconds*1.06+10), run.Stopped, "past-time"},
		{"a current at rest", rest, at(0.3, 0, 10), run.Stopped, "current-at-rest"},
		{"a load that gives less", discharge, at(0.7*discharge.Amps, 0, 10), run.GoesOn, ""},
		{"charged while it discharges", discharge, at(13, 0, 10), run.Stopped, "direction"},
		{"another chemistry since", lfp, run.Reading{Running: true, Groups: fine}, run.Stopped, "planned-otherwise"},
		{"nothing reads the groups", blind, run.Reading{Running: true}, run.Stopped, "unwatched"},
	} {
		v, fs := run.JudgeReading(c.s, chem.NMC, c.r, run.Against{})
		found := c.code == ""
		for _, f := range fs {
			found = found || f.Code == c.code && f.Level >= finding.Stop && f.Do != ""
		}
		if v != c.want || !found {
			t.Errorf("%s: %s, %+v", c.name, v, fs)
		}
	}
}

func ExampleCSV() {
	b := run.CSV([]run.Sample{{Seconds: 0, Step: "rest", Volts: 7.4, TempC: 21, Ah: 0.5, Groups: []float64{3.7, 3.7}}})
	fmt.Print(strings.ReplaceAll(string(b), "\n", ";"))
	// Output: time_s,step,volts,amps,temp_c,ah,group1_v,group2_v;0.0,rest,7.4000,0.0000,21.0,0.5000,3.7000,3.7000;
}

func TestLeft(t *testing.T) {
	d := run.Step{Kind: "discharge", Amps: -10, Expected: 3600}
	if s := run.Left(d, run.Reading{Amps: -10, Ah: -4}); s != 6*360 {
		t.Errorf("%v s left", s)
	}
	if s := run.Left(d, run.Reading{Amps: -10, Ah: -40}); s != 0 {
		t.Errorf("%v s left", s)
	}
}

func TestGaps(t *testing.T) {
	log := []float64{0, 2, 4, 6, 40, 42, 44, 46}
	if g := run.Gaps(log); len(g) != 1 || g[0] != (run.Gap{FromS: 6, ToS: 40}) {
		t.Errorf("%+v", g)
	}
	for _, fine := range [][]float64{log[:4], log[:1], nil} {
		if g := run.Gaps(fine); len(g) > 0 {
			t.Errorf("%v: %+v", fine, g)
		}
	}
}

// What the card tells a person to set is what the device is told.
func TestTheCardSaysWhatTheDeviceIsTold(t *testing.T) {
	m := testplan.Module{Name: "K-1", Chemistry: chem.NMC, Series: 2, Ah: 46, Monitored: true}
	p, err := testplan.For(m, kit.Small(), "")
	if err != nil {
		t.Fatal(err)
	}
	charge, seen := steps(t)[0], 0
	want := map[string]string{"group ceiling": fmt.Sprintf("%.2f V", charge.GroupMax),
		"volts in all": fmt.Sprintf("%.2f V", 2*charge.GroupMax), "charge current": fmt.Sprintf("%.1f A", charge.Amps),
		"charge limit": fmt.Sprintf("%.1f Ah", charge.Ah)}
	for _, l := range p.Card {
		if w, ok := want[l.Setting]; ok {
			seen++
			if l.Value != w {
				t.Errorf("%s: the card says %s, the device is told %s", l.Setting, l.Value, w)
			}
		}
	}
	if seen != len(want) {
		t.Errorf("%d of %d settings on the card", seen, len(want))
	}
}

// What is found of the module while it is tested: a refusal ends it, a stop makes it wait, a caution is only shown.
func TestWhatTheRecordHoldsAgainstWhatRuns(t *testing.T) {
	charge := steps(t)[0]
	r := run.Reading{Running: true, Groups: []float64{3.7, 3.7}, Amps: charge.Amps}
	ended := run.Reading{Ended: "taper", Groups: []float64{4.2, 4.2}}
	for _, c := range []struct {
		name  string
		r     run.Reading
		level finding.Level
		want  run.Verdict
	}{
		{"a note", r, finding.Note, run.GoesOn},
		{"a caution", r, finding.Caution, run.GoesOn},
		{"a stop", r, finding.Stop, run.Waits},
		{"a refusal", r, finding.Refuse, run.Stopped},
		{"a stop at the end of a step", ended, finding.Stop, run.Waits},
		{"a refusal at the end of a step", ended, finding.Refuse, run.Stopped},
		{"a caution at the end of a step", ended, finding.Caution, run.Next},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := finding.Finding{Level: c.level, Code: "found", Subject: "test", Text: "hot"}
			v, fs := run.JudgeReading(charge, chem.NMC, c.r, run.Against{Record: []finding.Finding{f}})
			if v != c.want || c.level >= finding.Stop && (len(fs) == 0 || fs[0].Code != "found") {
				t.Errorf("%s: %+v", v, fs)
			}
		})
	}
}

// Clock and counter of a device are held against ours: twice a minute is enough to see it, a pause or a hole is none of
// its faults.
func TestADeviceThatContradictsItself(t *testing.T) {
	type look struct{ ours, seconds, ah, amps float64 }
	steady := func(n int, each, shown, ah, amps float64) (out []look) {
		for i := range n {
			k := float64(i)
			out = append(out, look{k * each, k * shown, k * ah, amps})
		}
		return out
	}
	for _, c := range []struct {
		name string
		in   []look
		code string
		lvl  finding.Level
	}{
		{"all is well", steady(40, 30, 30, 20.0*30/3600, 20), "", 0},
		{"a discharge", steady(40, 30, 30, -20.0*30/3600, -20), "", 0},
		{"a clock that stands", steady(10, 30, 0, 20.0*30/3600, 20), "clock", finding.Stop},
		{"a clock at a third", steady(10, 30, 10, 20.0*30/3600, 20), "clock", finding.Stop},
		{"a clock that runs away", steady(10, 30, 90, 20.0*30/3600, 20), "clock", finding.Caution},
		{"a counter that stands", steady(40, 30, 30, 0, 20), "counter", finding.Stop},
		{"a counter of half", steady(40, 30, 30, 10.0*30/3600, 20), "counter", finding.Stop},
		{"a counter of 0.8", steady(40, 30, 30, 16.0*30/3600, 20), "counter", finding.Caution},
		{"a counter of twice", steady(40, 30, 30, 40.0*30/3600, 20), "counter", finding.Stop},
		{"nobody looked for an hour", []look{{0, 0, 0, 20}, {30, 30, 1. / 6, 20}, {3630, 3630, 12, 2}}, "", 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			var m run.Mark
			var worst finding.Finding
			for _, x := range c.in {
				var fs []finding.Finding
				r := run.Reading{Running: true, Seconds: x.seconds, Ah: x.ah, Amps: x.amps}
				if m, fs = m.Look(r, run.At(x.ours)); len(fs) > 0 && (worst.Code == "" || fs[0].Level > worst.Level) {
					worst = fs[0]
				}
			}
			if worst.Code != c.code || c.code != "" && (worst.Level != c.lvl || worst.Measured == nil) {
				t.Errorf("%+v", worst)
			}
		})
	}
	t.Run("a pause begins anew", func(t *testing.T) {
		var m run.Mark
		for i := range 10 {
			s := float64(i) * 30
			var fs []finding.Finding
			if m, fs = m.Look(run.Reading{Running: i < 3 || i > 6, Paused: i >= 3 && i <= 6, Seconds: min(s, 90)},
				run.At(s)); len(fs) > 0 && i <= 7 {
				t.Errorf("look %d: %+v", i, fs)
			}
		}
	})
}

// A machine may be so busy that seconds pass between asking a device, its answer, and reading our clock. A good device
// contradicts itself at none of the moments at which it may have been read; a clock that stands does in all.
func TestLookAllowsForTheTimeThatAnAnswerTakes(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 11))
	for i := range 400 {
		var good, stands, half run.Mark
		var stopped, short bool
		truth, ah, amps := 0.0, 0.0, 20.0
		for range 60 {
			dt := 5 + rng.Float64()*40
			next := amps
			if rng.IntN(4) == 0 {
				next = 20 * rng.Float64()
			}
			ah += (amps + next) / 2 * dt / 3600 // a ramp, which is what the trapezium adds up without error
			truth, amps = truth+dt, next
			asked := run.Asked{From: truth - rng.Float64(), To: truth + rng.Float64()}
			if rng.IntN(8) == 0 { // it stalls now and then
				asked.From, asked.To = asked.From-100*rng.Float64(), asked.To+100*rng.Float64()
			}
			r := run.Reading{Running: true, Seconds: truth, Ah: ah, Amps: amps}
			var fs []finding.Finding
			if good, fs = good.Look(r, asked); len(fs) > 0 {
				t.Fatalf("device %d after %.0f s: %+v", i, truth, fs)
			}
			r.Seconds = 3
			stands, fs = stands.Look(r, asked)
			stopped = stopped || finding.Blocks(fs)
			r.Seconds, r.Ah = truth, ah/3
			half, fs = half.Look(r, asked)
			short = short || finding.Blocks(fs)
		}
		if !stopped || !short {
			t.Fatalf("device %d: a clock that stands was found: %v, a counter of a third: %v", i, stopped, short)
		}
	}
}
