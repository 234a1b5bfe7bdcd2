package standing_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
)

var hut = standing.Bank{NominalVolts: 48, FullVolts: 57.6, Strings: 2, Solar: true, Mains: true, Plug: true,
	CapacitanceMF: 10, PrechargeOhms: 47}

func order(t *testing.T, steps []gates.Step, keys ...string) {
	t.Helper()
	last := -1
	for _, k := range keys {
		at := slices.IndexFunc(steps, func(s gates.Step) bool { return s.Key == k })
		if at <= last {
			t.Errorf("%s stands at %d, expected after %d", k, at, last)
		}
		last = at
	}
}

// The order is what keeps people and devices whole: it must not change by accident.
func TestOrder(t *testing.T) {
	order(t, standing.Down(hut, 52), "owner", "loads", "solar", "mains", "current", "strings", "main", "wait",
		standing.VoltsKey, "isolation", "sense-out", "covers")
	order(t, standing.Up(hut, 52), "links", "volts-back", "sense-steps", "sense-in", "polarity", "precharge",
		"main-in", "strings-in", "mains-in", "solar-in", "loads-in")
}

func TestStepsFollowTheBank(t *testing.T) {
	plain := standing.Bank{NominalVolts: 12, FullVolts: 14.4, Strings: 1}
	for _, k := range []string{"solar", "mains", "strings", "sense-out"} {
		if slices.ContainsFunc(standing.Down(plain, 52), func(s gates.Step) bool { return s.Key == k }) {
			t.Errorf("%s is asked for and the bank has none", k)
		}
	}
	gate := func(b standing.Bank, key string) bool {
		i := slices.IndexFunc(standing.Down(b, 52), func(s gates.Step) bool { return s.Key == key })
		return standing.Down(b, 52)[i].Gate
	}
	high := hut
	high.FullVolts = 67
	for _, c := range []struct {
		name string
		bank standing.Bank
		want bool
	}{{"57.6 V dry", hut, false}, {"67 V dry", high, true},
		{"57.6 V wet", standing.Bank{NominalVolts: 48, FullVolts: 57.6, Strings: 1, WetPlace: true}, true}} {
		t.Run(c.name, func(t *testing.T) {
			if got := gate(c.bank, "person"); got != c.want {
				t.Errorf("%s: second person is a gate: %v", c.name, got)
			}
		})
	}
}

// Coming back at another voltage means a link in the wrong place: one group of sixteen is far
// outside the range, the meter's error is not.
func TestVoltsBack(t *testing.T) {
	up := standing.Up(hut, 52)
	back := up[slices.IndexFunc(up, func(s gates.Step) bool { return s.Key == "volts-back" })]
	for _, c := range []struct {
		volts float64
		ok    bool
	}{{52, true}, {51.8, true}, {52 - 52.0/16, false}, {52 + 52.0/16, false}, {0, false}} {
		t.Run(fmt.Sprint(c.volts), func(t *testing.T) {
			if ok, _ := gates.JudgeReading(back, c.volts); ok != c.ok {
				t.Errorf("%.2f V: %v", c.volts, ok)
			}
		})
	}
	pre := up[slices.IndexFunc(up, func(s gates.Step) bool { return s.Key == "precharge" })]
	if ok, _ := gates.JudgeReading(pre, 52*0.94); ok {
		t.Error("94 % of the bank's voltage passed as pre-charged")
	}
}

// R·C·ln 20: the capacitor's own equation must give 95 % after that time.
func TestPrechargeTime(t *testing.T) {
	s := hut.PrechargeSeconds()
	if got := 1 - math.Exp(-s/(hut.PrechargeOhms*hut.CapacitanceMF/1000)); math.Abs(got-0.95) > 1e-9 {
		t.Errorf("after %.2f s the capacitors are at %.3f", s, got)
	}
}

func TestFindings(t *testing.T) {
	high := hut
	high.FullVolts, high.PrechargeOhms = 67, 0
	var codes []string
	for _, f := range high.Findings() {
		codes = append(codes, f.Code)
		if f.Do == "" || f.Level == finding.Note {
			t.Errorf("%+v", f)
		}
	}
	if !slices.Equal(codes, []string{"touch-voltage", "no-precharge", "strings"}) {
		t.Errorf("%v", codes)
	}
}

func TestUnusable(t *testing.T) {
	for _, b := range []standing.Bank{{}, {NominalVolts: 48, FullVolts: 40, Strings: 1}, {NominalVolts: 48,
		FullVolts: 56}, {NominalVolts: math.NaN(), FullVolts: 1, Strings: 1}, {NominalVolts: 48, FullVolts: 56,
		Strings: 1, CapacitanceMF: -1}, {NominalVolts: 48, FullVolts: 56, Strings: 1, PrechargeOhms: math.Inf(1)}} {
		if field, _ := b.Check(); field == "" {
			t.Errorf("%+v passed", b)
		}
	}
	if f, _ := hut.Check(); f != "" {
		t.Errorf("the hut: %s", f)
	}
}

func ExampleDown() {
	for _, s := range standing.Down(standing.Bank{NominalVolts: 12, FullVolts: 14.4, Strings: 1, Solar: true}, 0)[4:8] {
		fmt.Println(s.Title)
	}
	// Output:
	// Loads off
	// Solar off
	// No current
	// Main switch open
}

// A bank that a bar parts is read on both sides before anything else is touched, each by its share of what stood there.
func TestBothSidesOfAPartedBank(t *testing.T) {
	b := standing.Bank{NominalVolts: 350.4, FullVolts: 403.2, Strings: 1, Groups: 96, PartsAfter: 36,
		OwnPrecharge: true}
	if field, text := b.Check(); field != "" {
		t.Fatal(field, text)
	}
	at := func(list []gates.Step, key string) int {
		return slices.IndexFunc(list, func(s gates.Step) bool { return s.Key == key })
	}
	down, up := standing.Down(b, 349.6), standing.Up(b, 349.6)
	low, high := at(down, "part-low"), at(down, "part-high")
	if low < 0 || high != low+1 || at(down, "isolation") > low || at(down, "covers") < high {
		t.Fatalf("at %d and %d of %+v", low, high, down)
	}
	for k, want := range map[int]float64{low: 349.6 * 36 / 96, high: 349.6 * 60 / 96} {
		if s := down[k]; !s.Must || !(s.Low < want && want < s.High) || s.High-s.Low > 0.07*want ||
			!strings.Contains(s.Do, "still above 60 V") {
			t.Errorf("%s: %v to %v V, expected about %.1f: %s", s.Key, s.Low, s.High, want, s.Do)
		}
	}
	if in, volts := at(up, "part-in"), at(up, "volts-back"); in < 0 || in > volts {
		t.Errorf("the bar goes back at %d, and the whole is read at %d", in, volts)
	}
	for _, f := range b.Findings() {
		if f.Code == "no-precharge" {
			t.Errorf("the load fills its own capacitors: %s", f.Text)
		}
	}
	for _, bad := range []standing.Bank{{NominalVolts: 26, FullVolts: 29, Strings: 1, Groups: 8, PartsAfter: 8},
		{NominalVolts: 26, FullVolts: 29, Strings: 1, PartsAfter: -1},
		{NominalVolts: 26, FullVolts: 29, Strings: 1, OwnPrecharge: true, PrechargeOhms: 33}} {
		if field, _ := bad.Check(); field == "" {
			t.Errorf("%+v was taken", bad)
		}
	}
}
