package whole_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/survey"
)

func ExampleJudgeRead() {
	b := whole.Bank{Name: "observatory", Series: 96, Chemistry: chem.NMC}
	s, _ := whole.JudgeRead(b, whole.Read{TotalV: 349.6, TotalDigit: 0.1}, 1440, 0, survey.DefaultPolicy)
	fmt.Println(s.SoCPct[0], s.SoCPct[1], s.Unread)
	// Output: 29 42 96
}

// What a total, some groups, or a spread by word says, and that nothing is said of what was not read.
func TestWhatIsReadInPart(t *testing.T) {
	of := func(series int, id chem.ID) whole.Bank { return whole.Bank{Name: "b", Series: series, Chemistry: id} }
	for _, c := range []struct {
		name   string
		b      whole.Bank
		r      whole.Read
		unread int
		says   []string
	}{
		{"end to end on a plateau", of(8, chem.LFP), whole.Read{TotalV: 26.4, TotalDigit: 0.1}, 8,
			[]string{"3.300 V for each of 8 groups", "voltage cannot tell the charge there", "none of its 8"}},
		{"end to end, low", of(4, chem.LFP), whole.Read{TotalV: 12.3, TotalDigit: 0.01}, 4, []string{"4 to 7 % full"}},
		{"of a chemistry that is read best", of(10, chem.LTO), whole.Read{TotalV: 23.4, TotalDigit: 0.1}, 10,
			[]string{"60 to 72 % full"}},
		{"how far apart, by word", of(84, chem.NMC), whole.Read{TotalV: 330.1, TotalDigit: 0.1, Count: 82,
			ApartV: 0.005}, 2, []string{"70 to 76 % full", "82 of 84 groups were read, 5 mV apart at most",
			"2 of its 84"}},
		{"some groups", of(4, chem.NMC), whole.Read{Groups: []whole.GroupRead{{Group: 1, Volts: 3.7}, {Group: 3,
			Volts: 3.71}}}, 2, []string{"highest is group 3 with 3.710 V", "lowest group 1", "2 of its 4"}},
		{"all but one", of(4, chem.NMC), whole.Read{Groups: []whole.GroupRead{{Group: 1, Volts: 3.7}, {Group: 2,
			Volts: 3.7}, {Group: 4, Volts: 3.7}}}, 1, []string{"1 of its 4 groups was not read"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s, err := whole.JudgeRead(c.b, c.r, 1440, 0, survey.DefaultPolicy)
			if err != nil || s.Unread != c.unread {
				t.Fatalf("%d unread, %v", s.Unread, err)
			}
			for _, text := range c.says {
				if !strings.Contains(s.Text, text) {
					t.Errorf("%q is not in %q", text, s.Text)
				}
			}
			if s.AsFoundAh != 0 || s.BalancedAh != 0 || s.OffsetsAh != nil || len(c.r.Groups) == 0 && s.Highest != 0 ||
				len(c.r.Groups) == 0 && c.r.ApartV == 0 && s.SpreadMV != 0 {
				t.Errorf("something is said of what nobody read: %+v", s)
			}
			findingtest.Holds(t, s.Findings, "groups-not-read", finding.Caution, float64(c.unread), 0, "groups")
		})
	}
}

// Where nobody declared a chemistry the interval runs over each that the volts allow, and no other is named.
func TestFullOverAllThatItMayBe(t *testing.T) {
	volts := slices.Repeat([]float64{3.92}, 20)
	s, err := whole.JudgeSurvey(whole.Bank{Name: "b", Series: 20}, volts, 1440, 0, survey.DefaultPolicy)
	if err != nil || s.SoCPct == nil || *s.SoCPct != [2]float64{53, 76} || slices.Contains(s.Chemistries, chem.LFP) ||
		slices.Contains(s.Chemistries, chem.LTO) || len(s.Chemistries) != 3 {
		t.Errorf("%v of %v, %v", s.SoCPct, s.Chemistries, err)
	}
	s, err = whole.JudgeRead(whole.Bank{Name: "b", Series: 4, Chemistry: chem.LFP}, whole.Read{TotalV: 13.9,
		TotalDigit: 0.1}, -1, 0, survey.DefaultPolicy)
	if err != nil || s.SoCPct != nil { // above the curve: no rest voltage
		t.Errorf("%v, %v", s.SoCPct, err)
	}
}

func TestATotalThatNoBankHas(t *testing.T) {
	for _, c := range []struct {
		name              string
		total             float64
		measured, against float64
	}{{"a group too few", 30.4, 3.8, 3.65}, {"an empty one", 15.2, 1.9, 2.5}} {
		t.Run(c.name,
			func(t *testing.T) {
				s, err := whole.JudgeRead(whole.Bank{Name: "b", Series: 8, Chemistry: chem.LFP},
					whole.Read{TotalV: c.total},
					1440, 0, survey.DefaultPolicy)
				if err != nil || s.Level != finding.Stop {
					t.Fatalf("%v, %v", s.Level, err)
				}
				findingtest.Holds(t, s.Findings, "mean-out", finding.Stop, c.measured, c.against, "V")
			})
	}
}

// What was read of some leaves so much for the others: a dead or a reversed one does not hide behind a total.
func TestTheDifferenceIsJudged(t *testing.T) {
	groups := func(n int) (out []whole.GroupRead) {
		for g := range n {
			out = append(out, whole.GroupRead{Group: g + 1, Volts: 3.3})
		}
		return out
	}
	for _, c := range []struct {
		name     string
		id       chem.ID
		read     int
		total    float64
		measured float64
		limit    float64 // 0 for no stop
	}{
		{"as the others", chem.LFP, 7, 26.4, 0, 0},
		{"one is dead", chem.LFP, 7, 23.1, 0, 2.5},
		{"one is reversed", chem.LFP, 7, 21.9, -1.2, 2.5},
		{"one is full of nothing that exists", chem.LFP, 7, 28.1, 5, 3.65},
		{"two, one of them dead", chem.LFP, 6, 23.1, 1.65, 2.5},
		{"near the floor, as far as can be told", chem.LFP, 7, 25.6, 0, 0},
		{"dead, of no known chemistry", "", 7, 23.1, 0, survey.DeadVolts},
		{"low, of no known chemistry", "", 7, 25.1, 0, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			s, err := whole.JudgeRead(whole.Bank{Name: "b", Series: 8, Chemistry: c.id},
				whole.Read{Groups: groups(c.read),
					TotalV: c.total, TotalDigit: 0.1}, 1440, 0, survey.DefaultPolicy)
			if err != nil {
				t.Fatal(err)
			}
			if c.limit == 0 {
				findingtest.Lacks(t, s.Findings, "unread-out")
				return
			}
			findingtest.Holds(t, s.Findings, "unread-out", finding.Stop, c.measured, c.limit, "V")
			if len(s.Stops()) == 0 {
				t.Error("it stops nothing")
			}
		})
	}
	s, err := whole.JudgeRead(whole.Bank{Name: "b", Series: 8, Chemistry: chem.NMC}, whole.Read{TotalV: 30,
		Groups: []whole.GroupRead{{Group: 1, Volts: 3.9}, {Group: 2, Volts: 3.9}}}, 1440, 0.002, survey.DefaultPolicy)
	if err != nil || s.SoCPct == nil || s.SoCPct[0] < 65 { // by the groups, not by a mean of 3.75 V
		t.Errorf("%v, %v", s.SoCPct, err)
	}
}

func TestSittingsThatCannotBe(t *testing.T) {
	for _, c := range []struct {
		name, field string
		series      int
		r           whole.Read
	}{
		{"no count", "series", 0, whole.Read{TotalV: 26.4}},
		{"nothing", "total_v", 8, whole.Read{}},
		{"turned round", "total_v", 8, whole.Read{TotalV: -26.4}},
		{"more than there are", "read_count", 8, whole.Read{TotalV: 26.4, Count: 9}},
		{"another count than values", "read_count", 8, whole.Read{Count: 3, Groups: []whole.GroupRead{{Group: 1,
			Volts: 3.3}}}},
		{"a spread of one", "apart_mv", 8, whole.Read{TotalV: 26.4, Count: 1, ApartV: 0.005}},
		{"a group that is not there", "grid", 8, whole.Read{Groups: []whole.GroupRead{{Group: 9, Volts: 3.3}}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := whole.JudgeRead(whole.Bank{Name: "b", Series: c.series}, c.r, -1, 0, survey.DefaultPolicy)
			slip, ok := err.(*whole.SlipError)
			if !ok || slip.Field != c.field || slip.Text == "" {
				t.Errorf("%v, expected one of %s", err, c.field)
			}
		})
	}
}

// What was read of the whole stands beside its groups only where it can.
func TestATotalBesideItsGroups(t *testing.T) {
	volts := slices.Repeat([]float64{3.3}, 8)
	for _, c := range []struct {
		name, field string
		r           whole.Read
	}{
		{"their sum", "", whole.Read{TotalV: 26.4, TotalDigit: 0.1}},
		{"as near as its digit tells", "", whole.Read{TotalV: 27, TotalDigit: 1}},
		{"another", "total_v", whole.Read{TotalV: 29.7, TotalDigit: 0.1}},
		{"another count", "read_count", whole.Read{TotalV: 26.4, Count: 7}},
		{"less apart than they are", "", whole.Read{ApartV: 0.005}},
	} {
		t.Run(c.name, func(t *testing.T) {
			if field, _ := c.r.Beside(volts); field != c.field {
				t.Errorf("%q, expected %q", field, c.field)
			}
		})
	}
	volts[3] = 3.32
	if field, _ := (whole.Read{ApartV: 0.005}).Beside(volts); field != "apart_mv" {
		t.Errorf("20 mV are 5 mV at most: %q", field)
	}
}
