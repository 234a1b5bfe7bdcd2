package run_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/test/run"
)

// Each stop of a running step with what it measures and against what: NMC of two groups (4.20 V, never below 2.00 V), a
// charge, a rest and a discharge with limits of their own.
func TestStopsOfARunningStepAreHeld(t *testing.T) {
	step := func(kind string, amps float64) run.Step {
		s := run.Step{Kind: kind, Amps: amps, Seconds: 3600, Expected: 3000, Groups: 2, Watched: true, TempMaxC: 45}
		if amps > 0 {
			s.GroupMax, s.Ah = 4.2, 10
		}
		if amps < 0 {
			s.GroupMin = 3
		}
		return s
	}
	charge, rest, discharge := step("charge", 10), step("rest", 0), step("discharge", -10)
	blind, other := charge, charge
	blind.Watched, other.GroupMax = false, 4.25
	on := func(amps, ah, seconds float64, groups ...float64) run.Reading {
		if groups == nil {
			groups = []float64{3.7, 3.7}
		}
		return run.Reading{Running: true, Amps: amps, Ah: ah, Seconds: seconds, Groups: groups}
	}
	hot := on(10, 0, 10)
	hot.TempC = 45.1
	late := run.Reading{Ended: "time", Seconds: 3600, Groups: []float64{3.7, 3.7}}
	for _, c := range []struct {
		step              run.Step
		r                 run.Reading
		code              string
		measured, against float64
		unit              string
	}{
		{charge, on(10, 0, 10, 3.7, 4.221), "over", 4.221, 4.2, "V"},
		{discharge, on(-10, 0, 10, 1.999, 3.7), "never-recharge", 1.999, 2, "V"},
		{charge, hot, "hot", 45.1, 45, "°C"},
		{charge, on(10, 0, 10, 3.7, 3.7, 3.7), "groups", 3, 2, "groups"},
		{blind, run.Reading{Running: true, Amps: 10}, "unwatched", 0, 2, "groups"},
		{other, on(10, 0, 10), "planned-otherwise", 4.25, 4.2, "V"},
		{rest, on(0.21, 0, 10), "current-at-rest", 0.21, 0, "A"},
		{charge, on(-0.11, 0, 10), "direction", -0.11, 10, "A"},
		{charge, on(12.06, 0, 10), "more-than-set", 12.06, 10, "A"},
		{charge, on(10, 1.27, 360), "counter-impossible", 1.27, 1.2, "Ah"},
		{charge, on(10, 10.56, 3590), "past-charge", 10.56, 10, "Ah"},
		{charge, on(10, 9, 3800), "past-time", 3800 / 3600.0, 1, "h"},
		{charge, late, "ended-" + "time", 1, 3000 / 3600.0, "h"},
		{charge, run.Reading{Groups: []float64{3.7, 3.7}}, "forgotten", 0, 0, ""},
	} {
		_, fs := run.JudgeReading(c.step, chem.NMC, c.r, run.Against{})
		findingtest.Holds(t, fs, c.code, finding.Stop, c.measured, c.against, c.unit)
	}
	for _, c := range []struct {
		step run.Step
		r    run.Reading
		code string
	}{
		{charge, on(10, 0, 10, 3.7, 4.22), "over"}, {discharge, on(-10, 0, 10, 2, 3.7), "never-recharge"},
		{rest, on(0.2, 0, 10), "current-at-rest"}, {charge, on(-0.1, 0, 10), "direction"},
		{charge, on(10, 1.24, 360), "counter-impossible"}, {charge, on(10, 10.54, 3590), "past-charge"},
		{charge, on(10, 9, 3790), "past-time"},
	} {
		_, fs := run.JudgeReading(c.step, chem.NMC, c.r, run.Against{})
		findingtest.Lacks(t, fs, c.code)
	}
}

// A device's clock is held against ours over a minute and more: slower than half of it ends nothing.
func TestASlowClockIsHeld(t *testing.T) {
	look := func(shown float64) []finding.Finding {
		r := run.Reading{Running: true, Amps: 10}
		m, _ := run.Mark{}.Look(r, run.At(0))
		var fs []finding.Finding
		for s := 10.0; s <= 60; s += 10 {
			r.Seconds, r.Ah = shown*s/60, 10*s/3600
			m, fs = m.Look(r, run.At(s))
		}
		return fs
	}
	findingtest.Holds(t, look(29), "clock", finding.Stop, 29, 60, "s")
	findingtest.Lacks(t, look(30), "clock")
	findingtest.Lacks(t, look(120), "clock")
	findingtest.Holds(t, look(121), "clock", finding.Caution, 121, 60, "s")
}

// A cell that is charged below freezing plates lithium, whatever the room was like when the test was planned.
// Discharging it is another thing.
func TestAColdChargeIsHeld(t *testing.T) {
	ss := steps(t)
	at := func(s run.Step, tempC float64) (run.Verdict, []finding.Finding) {
		return run.JudgeReading(s, chem.NMC, run.Reading{Running: true, Volts: 7.4, Amps: s.Amps, TempC: tempC,
			Groups: []float64{3.7, 3.7}, Seconds: 60}, run.Against{})
	}
	v, fs := at(ss[0], -0.1)
	findingtest.Holds(t, fs, "cold", finding.Refuse, -0.1, 0, "°C")
	if v != run.Stopped {
		t.Errorf("it is %v", v)
	}
	_, fs = at(ss[0], 0)
	findingtest.Lacks(t, fs, "cold")
	_, fs = at(ss[2], -5)
	findingtest.Lacks(t, fs, "cold")
}
