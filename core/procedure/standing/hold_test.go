package standing_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/standing"
)

// kiosk is a bank of which everything is known that keeps it in work.
var kiosk = standing.Cells{Series: 8, Chemistry: chem.LFP, Ah: 200, BMS: "eight inputs", Opens: standing.OpensYes}

// read is a survey of eight groups of which group 4 stands at v; twice is a second reading of the same.
func read(t *testing.T, v float64, twice bool) survey.Result {
	t.Helper()
	m := survey.Module{Name: "kiosk", Chemistry: chem.LFP, RatedAh: 200, Series: 8, RestMinutes: 120}
	for g := 1; g <= 8; g++ {
		x := survey.Reading{Group: g, Volts: 3.30}
		if g == 4 {
			x.Volts, x.Confirmed = v, twice && survey.Confirms(chem.LFP, v, v)
		}
		m.Readings = append(m.Readings, x)
	}
	r, err := survey.JudgeGroups(m, survey.DefaultPolicy)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// A bank goes by the rules of a module's survey: whatever would hold a module holds it, and a group that was confirmed
// too low holds it for ever.
func TestWhatHoldsABankHoldsItsWayBack(t *testing.T) {
	good := read(t, 3.30, false)
	for _, c := range []struct {
		name   string
		cells  standing.Cells
		list   []survey.Result // newest first
		level  finding.Level
		groups bool
	}{
		{"all is well", kiosk, []survey.Result{good}, finding.Note, false},
		{"never surveyed", kiosk, nil, finding.Note, false},
		{"1.50 V once", kiosk, []survey.Result{read(t, 1.50, false)}, finding.Stop, true},
		{"1.50 V twice", kiosk, []survey.Result{read(t, 1.50, true)}, finding.Refuse, true},
		{"1.50 V twice, and recovered", kiosk, []survey.Result{good, read(t, 1.50, true)}, finding.Refuse, true},
		{"1.50 V once, read again well", kiosk, []survey.Result{good, read(t, 1.50, false)}, finding.Note, false},
		{"0.02 V", kiosk, []survey.Result{read(t, 0.02, false)}, finding.Stop, true},
		{"-1.2 V", kiosk, []survey.Result{read(t, -1.2, false)}, finding.Stop, true},
		{"3.95 V", kiosk, []survey.Result{read(t, 3.95, false)}, finding.Stop, true},
		{"no BMS known", standing.Cells{Series: 8, Chemistry: chem.LFP}, []survey.Result{good}, finding.Refuse, false},
		{"a BMS of which nothing is known", standing.Cells{Series: 8, Chemistry: chem.LFP, BMS: "a board"}, nil,
			finding.Refuse, false},
		{"a monitor that opens nothing", standing.Cells{Series: 8, Chemistry: chem.LFP, Opens: standing.OpensNo}, nil,
			finding.Refuse, false},
		{"chemistry not declared", standing.Cells{Series: 8, Opens: standing.OpensYes}, nil, finding.Stop, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			holds := standing.Holds(c.cells, every(c.list...), nil)
			if finding.Worst(holds) != c.level || (len(standing.OfGroups(holds)) > 0) != c.groups {
				t.Errorf("%+v", holds)
			}
			if (standing.Told(holds) != "") != (c.level > finding.Note) {
				t.Errorf("%q", standing.Told(holds))
			}
			for _, f := range holds {
				if f.Do == "" || f.Rule == "" {
					t.Errorf("%+v", f)
				}
			}
		})
	}
}

// What stopped a test of the whole bank holds it, and what was only noted does not.
func TestWhatStoppedATestHoldsABank(t *testing.T) {
	low := finding.Finding{Level: finding.Stop, Code: "group-too-low", Text: "Group 4 was at 1.50 V.", Do: "Read it."}
	note := finding.Finding{Level: finding.Note, Code: "ended-by", Text: "Group 4 ended it.", Do: "Balance."}
	holds := standing.Holds(kiosk, every(read(t, 3.30, false)), []finding.Finding{note, low})
	if len(holds) != 1 || holds[0].Code != low.Code || len(standing.OfGroups(holds)) != 1 {
		t.Errorf("%+v", holds)
	}
	if told := standing.Told(holds); told != "Group 4 was at 1.50 V. Read it." {
		t.Error(told)
	}
}

// every are sittings in which each group was read, newest first.
func every(list ...survey.Result) (out []standing.Sitting) {
	for _, r := range list {
		out = append(out, standing.Sitting{Survey: r, Findings: r.Findings, Every: true})
	}
	return out
}

// A sitting that left groups out holds a bank by what it stopped, and frees it of nothing.
func TestWhatLeftGroupsOutFreesNothing(t *testing.T) {
	dead, good, confirmed := read(t, 0.02, false), read(t, 3.30, false), read(t, 1.50, true)
	part := func(r survey.Result) standing.Sitting { return standing.Sitting{Survey: r, Findings: r.Findings} }
	total := standing.Sitting{}
	for _, c := range []struct {
		name     string
		sittings []standing.Sitting
		level    finding.Level
	}{
		{"a total after a dead group", append([]standing.Sitting{total}, every(dead)...), finding.Stop},
		{"some groups after a dead one", append([]standing.Sitting{part(good)}, every(dead)...), finding.Stop},
		{"a dead one among some", append([]standing.Sitting{part(dead)}, every(good)...), finding.Stop},
		{"and a total after it", append([]standing.Sitting{total, part(dead)}, every(good)...), finding.Stop},
		{"every group read again", append(every(good), part(dead)), finding.Note},
		{"one confirmed in part, and all read well since", append(every(good), part(confirmed)), finding.Refuse},
		{"a total alone", []standing.Sitting{total}, finding.Note},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := finding.Worst(standing.OfGroups(standing.Holds(kiosk, c.sittings, nil))); got != c.level {
				t.Errorf("%v, expected %v", got, c.level)
			}
		})
	}
}

func ExampleHolds() {
	fmt.Println(standing.Holds(standing.Cells{Series: 8, Chemistry: chem.LFP}, nil, nil)[0].Text)
	// Output: No BMS is known of this bank that opens the circuit by itself.
}

// A bank that was read at more than its groups can hold has more of them: taken for less, it would be handled as if it
// stood below the limit of touch.
func TestWhatWasReadContradictsTooFewGroups(t *testing.T) {
	for _, c := range []struct {
		name   string
		cells  standing.Cells
		volts  float64
		denied bool
	}{
		{"eight groups, full", standing.Cells{Series: 8, Chemistry: chem.LFP}, 29.2, false},
		{"eight groups, and the meter's share more", standing.Cells{Series: 8, Chemistry: chem.LFP}, 29.78, false},
		{"more than that", standing.Cells{Series: 8, Chemistry: chem.LFP}, 29.80, true},
		{"half the groups", standing.Cells{Series: 10, Chemistry: chem.LFP}, 66, true},
		{"of a chemistry that is not known", standing.Cells{Series: 10}, 42.8, false},
		{"of a chemistry that is not known, more", standing.Cells{Series: 10}, 42.9, true},
		{"never read", standing.Cells{Series: 10, Chemistry: chem.LFP}, 0, false},
		{"groups not known", standing.Cells{}, 66, false},
	} {
		if got := c.cells.Contradicts(c.volts); (got != "") != c.denied {
			t.Errorf("%s: %q", c.name, got)
		}
	}
}

// What hangs on a bank is judged by what it is; where it can freeze, something must keep it from being charged.
func TestWhatHangsOnIt(t *testing.T) {
	c := standing.Cells{Series: 4, Chemistry: chem.LFP, Ah: 105, Opens: standing.OpensYes, Freezes: "yes", DayAh: 4.5,
		Ways: "second: at the cells; fuse 10 A; outlet 10 A"}
	fs := c.Hangs(12.3, 14.6)
	findingtest.Holds(t, fs, "charged-below-freezing", finding.Stop, findingtest.None, findingtest.None, "")
	findingtest.Holds(t, fs, "way-around-switch", finding.Stop, findingtest.None, findingtest.None, "")
	if got := c.Days(&[2]float64{4, 7}); !strings.Contains(got, "at most 23 days") || !strings.Contains(got,
		"at most 1.6") {
		t.Error(got)
	}
	if v := c.FloorVolts(); v != 4*2.5 {
		t.Errorf("at its floor it reads %.2f V", v)
	}
	if v := (standing.Cells{May: []int{7, 8}, ReadV: 26.6}).FloorVolts(); v != 13.3 {
		t.Errorf("nobody counted its groups, and at least %.2f V are expected", v)
	}
	inWh := c // 4 × 3.2 V × 105 Ah are 1 344 Wh
	inWh.DayAh, inWh.DayWh = 0, 57.6
	if got := inWh.Days(nil); !strings.Contains(got,
		"At 57.6 Wh a day it lasts at most 23 days from full, by the 1344 Wh") {
		t.Error(got)
	}
	inWh.Chemistry, inWh.Ah, inWh.Wh = "", 0, 2000
	if got := inWh.Days(nil); !strings.Contains(got, "at most 34 days from full, by the 2000 Wh") {
		t.Error(got)
	}
	for _, by := range []string{standing.FrostBMS, standing.FrostSwitch, standing.FrostRule, standing.FrostIndoors} {
		c.FrostBy = by
		findingtest.Lacks(t, c.Hangs(12.3, 14.6), "charged-below-freezing")
		if field, text := c.Check(); field != "" || c.Frost() == "" {
			t.Errorf("%s: %s %s", by, field, text)
		}
	}
	if (standing.Cells{Series: 4}).Days(nil) != "" {
		t.Error("it lasts for days that nobody can know")
	}
}

// Where the groups were not counted the volts say which counts fit, and the highest that it may reach holds.
func TestCountsThatFit(t *testing.T) {
	c := standing.Cells{May: []int{14, 16}, ReadV: 53.2, ReadDigit: 0.1}
	text := c.Fits(0.1, -1)
	for _, want := range []string{"14 × 3.800 V: NMC, LMO blend or NCA", "16 × 3.325 V: LFP, NMC", "58.4 to 67.2 V",
		"3.80 V says 14, 3.33 V says 16"} {
		if !strings.Contains(text, want) {
			t.Errorf("not %q: %s", want, text)
		}
	}
	if _, full := c.Volts(53.2); math.Abs(full-67.2) > 1e-9 {
		t.Errorf("full %v", full)
	}
	if (standing.Cells{Series: 16, ReadV: 53.2}).Fits(0.1, -1) != "" {
		t.Error("a count that is known is asked for")
	}
}

// Whoever chose a BMS is not told to look for one; nothing is taken to be fitted before somebody says so.
func TestAChosenBMSIsNotFittedYet(t *testing.T) {
	c := standing.Cells{Series: 8, Chemistry: chem.LFP, Chosen: "T16-150"}
	f := standing.Holds(c, nil, nil)[0]
	if f.Level != finding.Refuse || !strings.Contains(f.Text, "T16-150 is to be fitted") ||
		strings.Contains(f.Do, "Find out") {
		t.Errorf("%+v", f)
	}
	c.Opens = standing.OpensYes
	for _, f := range standing.Holds(c, nil, nil) {
		if strings.Contains(f.Text, "BMS") {
			t.Errorf("said to open, and still %+v", f)
		}
	}
}
