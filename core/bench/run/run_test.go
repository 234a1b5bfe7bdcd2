package run_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/kit"
	"pandrel/core/bench/run"
	"pandrel/core/bench/testplan"
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
			run.Stopped,
			"never-recharge"},
		{"hot", charge, run.Reading{Running: true, TempC: 60, Groups: fine}, run.Stopped, "hot"},
		{"another module", charge, run.Reading{Running: true, Groups: []float64{3.3, 3.3, 3.3}}, run.Stopped, "groups"},
		{"no lead", charge, run.Reading{Running: true}, run.Stopped, "groups"},
		{"the device forgot", charge, run.Reading{Groups: fine}, run.Stopped, "forgotten"},
	} {
		v, fs := run.Judge(c.s, chem.NMC, c.r)
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
	b := run.CSV([]run.Sample{{Seconds: 0, Step: "rest", Volts: 7.4, TempC: 21, Groups: []float64{3.7, 3.7}}})
	fmt.Print(strings.ReplaceAll(string(b), "\n", ";"))
	// Output: time_s,step,volts,amps,temp_c,group1_v,group2_v;0.0,rest,7.4000,0.0000,21.0,3.7000,3.7000;
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
