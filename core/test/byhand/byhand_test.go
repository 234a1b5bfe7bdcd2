package byhand_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/test/byhand"
	"pandrel/core/test/run"
)

var (
	load    = run.Step{Kind: "discharge", Amps: -10, GroupMin: 3.0, Seconds: 6 * 3600, TempMaxC: 60, Groups: 4}
	watched = run.Step{Kind: "discharge", Amps: -10, GroupMin: 3.0, Seconds: 6 * 3600, TempMaxC: 60, Groups: 4,
		Watched: true}
	charge = run.Step{Kind: "charge", Amps: 10, GroupMax: 4.2, TaperAmps: 0.8, Ah: 44, Seconds: 5 * 3600, TempMaxC: 45,
		Groups: 4}
	rest = run.Step{Kind: "rest", Seconds: 3600, Groups: 4}
)

func at(seconds, amps float64, groups ...float64) byhand.Reading {
	r := byhand.Reading{Seconds: seconds, Amps: amps, Groups: groups}
	for _, v := range groups {
		r.Volts += v
	}
	return r
}

func TestWhatAReadingSays(t *testing.T) {
	hot, cold := 61.0, -1.0
	warm := at(600, -10, 3.7, 3.7, 3.7, 3.7)
	warm.TempC = &hot
	frozen := at(60, 10, 3.7, 3.7, 3.7, 3.7)
	frozen.TempC = &cold
	for name, c := range map[string]struct {
		step    run.Step
		last    byhand.Reading
		now     float64
		code    string
		end     bool
		stopped bool
	}{
		"on its way":           {load, at(600, -10, 3.7, 3.7, 3.7, 3.7), 620, "", false, false},
		"a group at its floor": {load, at(9000, -10, 3.2, 3.0, 3.2, 3.2), 9000, "", true, false},
		"the sum alone, whatever it is": {load, byhand.Reading{Seconds: 9000, Amps: -10, Volts: 15.9}, 9000,
			"groups-first", false, true},
		"the sum alone beside a device that reads the groups": {watched, byhand.Reading{Seconds: 9000, Amps: -10,
			Volts: 13.4}, 9000, "", false, false},
		"below never-recharge": {load, at(9000, -10, 3.2, 1.9, 3.2, 3.2), 9000, "never-recharge", true, true},
		"above the limit":      {charge, at(9000, 10, 4.1, 4.26, 4.1, 4.1), 9000, "over", false, true},
		"tapered":              {charge, at(9000, 0.7, 4.19, 4.2, 4.19, 4.19), 9000, "", true, false},
		"too warm":             {load, warm, 600, "hot", false, true},
		"too cold to charge":   {charge, frozen, 60, "cold", false, true},
		"the other way round":  {charge, at(60, -10, 3.7, 3.7, 3.7, 3.7), 60, "direction", false, true},
		"twice the current":    {charge, at(60, 20, 3.7, 3.7, 3.7, 3.7), 60, "too-much", false, true},
		"a full charge by the sum": {charge, byhand.Reading{Seconds: 60, Amps: 10, Volts: 15}, 60, "no-full-charge",
			false, true},
		"some of the groups": {load, at(600, -10, 3.7, 3.7), 600, "groups", false, true},
		"a sum that is none": {load, byhand.Reading{Seconds: 9, Amps: -10, Volts: 12, Groups: []float64{3.7, 3.7, 3.7,
			3.7}}, 10, "groups-apart", false, true},
		"a sum that is none, watched": {watched, byhand.Reading{Seconds: 9, Amps: -10, Volts: 12,
			Groups: []float64{3.7, 3.7, 3.7, 3.7}}, 10, "sum", false, false},
		"a load that fell off": {load, at(600, 0, 3.7, 3.7, 3.7, 3.7), 620, "too-little", false, false},
		"late":                 {watched, at(600, -10, 3.7, 3.7, 3.7, 3.7), 600 + 900 + 61, "late", false, false},
		"late, and nobody else reads the groups": {load, at(600, -10, 3.7, 3.7, 3.7, 3.7), 600 + 900 + 61,
			"groups-old", false, true},
		"past its time":         {load, at(21000, -10, 3.3, 3.3, 3.3, 3.3), 21600, "time", false, true},
		"more charge than fits": {charge, at(16000, 10, 3.9, 3.9, 3.9, 3.9), 16000, "", true, false},
		"rested":                {rest, at(0, 0, 3.7, 3.7, 3.7, 3.7), 3601, "", true, false},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := byhand.Of(c.step, chem.NMC, []byhand.Reading{c.last}, c.now)
			if err != nil {
				t.Fatal(err)
			}
			has := c.code == "" || slices.ContainsFunc(s.Findings, func(f finding.Finding) bool {
				return f.Code == c.code
			})
			if !has || s.EndNow != c.end || s.Over != c.stopped || c.code == "" && len(s.Findings) > 0 {
				t.Errorf("%+v", s)
			}
			for _, f := range s.Findings {
				if f.Do == "" || f.Measured == nil {
					t.Errorf("a finding without what to do or what was measured: %+v", f)
				}
			}
		})
	}
	if _, err := byhand.Of(load, "", nil, 0); err == nil {
		t.Error("a chemistry that nobody declared")
	}
}

// The nearer the end the sooner the next look, never past the end by where the readings lead, and never more than a
// quarter of an hour.
func TestTheNextLookComesSooner(t *testing.T) {
	last := math.Inf(1)
	var rs []byhand.Reading
	for now, v := 0.0, 3.60; v > 3.01; {
		rs = append(rs, at(now, -10, v, v, v, v))
		s, err := byhand.Of(load, chem.NMC, rs, now)
		if err != nil {
			t.Fatal(err)
		}
		wait := s.NextLookS - now
		if wait > 900 || wait < 60 || wait > last+1e-9 && len(rs) > 2 {
			t.Fatalf("at %.3f V: %.0f s, before it %.0f s", v, wait, last)
		}
		if len(rs) > 1 {
			last = wait
		}
		if left := (v - 3.0) / (0.1 / 900); len(rs) > 1 && wait > left && wait > 60 {
			t.Errorf("at %.3f V the next look is after the end", v)
		}
		now += wait
		v -= 0.1 / 900 * wait
	}
	if last > 120 {
		t.Errorf("%.0f s before the end", last)
	}
	if s, _ := byhand.Of(load, chem.NMC, nil, 0); s.NextLookS != 900 || s.HardStopS != 6*3600 {
		t.Errorf("before the first reading: %+v", s)
	}
	if s, _ := byhand.Of(charge, chem.NMC, nil, 0); math.Abs(s.HardStopS-4.4*3600) > 1e-6 {
		t.Errorf("a charge is over when its Ah have flowed: %+v", s)
	}
}

// Charge is that of the readings joined by lines, however many there are on a line.
func TestChargeOfReadings(t *testing.T) {
	few := []byhand.Reading{at(0, -10, 4, 4, 4, 4), at(3600, -8, 3.5, 3.5, 3.5, 3.5)}
	many := []byhand.Reading{}
	for i := range 61 {
		x := float64(i) / 60
		v := 4 - 0.5*x
		many = append(many, at(3600*x, -10+2*x, v, v, v, v))
	}
	a, _ := byhand.Of(load, chem.NMC, few, 3600)
	b, _ := byhand.Of(load, chem.NMC, many, 3600)
	if math.Abs(a.Ah-9) > 1e-9 || math.Abs(b.Ah-9) > 1e-9 {
		t.Errorf("%v and %v Ah: expected 9", a.Ah, b.Ah)
	}
}

func ExampleOf() {
	s, _ := byhand.Of(load, chem.NMC, []byhand.Reading{at(0, -10, 3.7, 3.7, 3.7, 3.7), at(900, -10, 3.6, 3.5, 3.6,
		3.6)}, 900)
	fmt.Printf("%.1f Ah, look again in %.0f min, off by %.1f h\n", s.Ah, (s.NextLookS-900)/60, s.HardStopS/3600)
	// Output: 2.5 Ah, look again in 7 min, off by 6.0 h
}

// Between two readings of all groups the total alone says when to stop, from the first second of the step on.
func TestTheTotalBetweenTwoReadingsOfAllGroups(t *testing.T) {
	storage := run.Step{Kind: "storage", Amps: 10, GroupMax: 4.08, Ah: 22, Seconds: 5 * 3600, TempMaxC: 45, Groups: 4}
	total := func(s, amps, volts float64) byhand.Reading {
		return byhand.Reading{Seconds: s, Amps: amps, Volts: volts}
	}
	first := at(30, -10, 3.9, 3.4, 3.9, 3.9) // group 2 has 0.4 V left
	for name, c := range map[string]struct {
		step run.Step
		rs   []byhand.Reading
		now  float64
		code string
		at   float64 // what was measured
		of   float64 // and the limit
	}{
		"begun a minute ago, nothing read": {load, nil, 61, "groups-first", 0, 4},
		"begun now":                        {load, nil, 0, "", 0, 0},
		"fallen by less":                   {load, []byhand.Reading{first, total(200, -10, 14.71)}, 200, "", 0, 0},
		"fallen by as much": {load, []byhand.Reading{first, total(200, -10, 14.70)}, 200,
			"total-moved", 0.4, 0.4},
		"a lighter load": {load, []byhand.Reading{first, total(200, -9, 15)}, 200,
			"groups-again", 9, 10},
		"read again under the lighter load": {load, []byhand.Reading{first, total(200, -9, 15),
			at(230, -9, 3.9, 3.3, 3.9, 3.9)}, 230, "", 0, 0},
		"a storage charge, risen by as much": {storage, []byhand.Reading{at(30, 10, 3.7, 3.9, 3.7, 3.7),
			total(400, 10, 15.18)}, 400, "total-moved", 0.18, 0.18},
		"a storage charge by the total": {storage, []byhand.Reading{total(400, 10, 15.18)}, 400, "groups-first", 0, 4},
		"one group alone": {run.Step{Kind: "discharge", Amps: -5, Groups: 1, Seconds: 9e4},
			[]byhand.Reading{total(400, -5, 3.4)}, 400, "", 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := byhand.Of(c.step, chem.NMC, c.rs, c.now)
			if err != nil {
				t.Fatal(err)
			}
			stops := finding.Standing(s.Findings)
			if c.code == "" {
				if len(stops) > 0 || s.Over {
					t.Fatalf("%+v", stops)
				}
				return
			}
			if len(stops) != 1 || stops[0].Code != c.code || stops[0].Level != finding.Stop || !s.Over ||
				math.Abs(*stops[0].Measured-c.at) > 0.001 || math.Abs(*stops[0].Limit-c.of) > 0.001 {
				t.Errorf("%+v, expected %s %v of %v", stops, c.code, c.at, c.of)
			}
			if len(s.Held()) == 0 {
				t.Error("the next step would follow")
			}
		})
	}
}
