package working_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/base/known"
	"pandrel/core/working"
)

// Every working answers from its starting values, in words, with numbers, a formula and a source.
func TestEveryWorkingAnswersFromItsStart(t *testing.T) {
	seen := map[string]bool{}
	for _, w := range working.All() {
		t.Run(w.Key, func(t *testing.T) {
			if seen[w.Key] || w.Title == "" || w.Question == "" || w.Source == "" || len(w.Not) == 0 {
				t.Errorf("%+v", w)
			}
			seen[w.Key] = true
			a, err := w.Solve(w.Example(), nil)
			if err != nil {
				t.Fatal(err)
			}
			if a.Says == "" || len(a.Formula) == 0 || len(a.Lines)+len(a.Tables) == 0 || a.Result == nil {
				t.Errorf("%+v", a)
			}
			all := a.Says + fmt.Sprint(a.Lines, a.Tables, a.Formula)
			for _, bad := range []string{"NaN", "Inf", "%!", "safe"} {
				if strings.Contains(all, bad) {
					t.Errorf("it says %s: %s", bad, all)
				}
			}
			for _, f := range a.Findings {
				if f.Text == "" || f.Do == "" || f.Rule == "" {
					t.Errorf("%+v", f)
				}
			}
			t.Log(a.Says)
		})
	}
}

// What cannot be is named by its field, and no text however wild gets further.
func TestWildInput(t *testing.T) {
	for _, w := range working.All() {
		for _, f := range w.Fields {
			for _, bad := range []string{"-7", "0", "1e300", "NaN", "x", "∞", "9;9;9", "a: b\nc: 1 2 3 4",
				strings.Repeat("9", 400), strings.Repeat("1 ", 9000), "1: -5 -5 -5", "99999999"} {
				v := w.Example().Over(ask.Values{f.Key: bad})
				a, err := w.Solve(v, nil)
				var input *ask.BadInput
				if err != nil && !errors.As(err, &input) {
					t.Errorf("%s.%s = %.20q: %v", w.Key, f.Key, bad, err)
				}
				if err != nil {
					continue
				}
				if all := a.Says + fmt.Sprint(a.Lines, a.Tables); strings.Contains(all, "NaN") ||
					strings.Contains(all, "Inf") {
					t.Errorf("%s.%s = %.20q: %s", w.Key, f.Key, bad, all)
				}
			}
		}
	}
}

func Example() {
	w, _ := working.ByKey("volts")
	a, _ := w.Solve(w.Example().Over(ask.Values{"chemistry": "lfp", "series": "8", "volts": "26.00"}), nil)
	fmt.Println(a.Says)
	// Output:
	// 26.00 V on 8 groups of LFP is 3.250 V a group: 19 to 39 % full.
}

// What is typed as people type it: a decimal comma, a unit, so many times.
func TestHowNumbersAreTyped(t *testing.T) {
	w, _ := working.ByKey("volts")
	a, err := w.Solve(w.Example().Over(ask.Values{"volts": "26,4 V", "rest": ""}), nil)
	if err != nil || !strings.HasPrefix(a.Says, "26.40 V") {
		t.Errorf("%q, %v", a.Says, err)
	}
	b, _ := working.ByKey("balance")
	x, err := b.Solve(b.Example().Over(ask.Values{"offsets": "3×0 1,5"}), nil)
	if err != nil || !strings.Contains(fmt.Sprint(x.Lines), "1.50") {
		t.Errorf("%v, %v", x.Lines, err)
	}
	for key, bad := range map[string]ask.Values{"volts": {"soc": "50"}, "balance": {"offsets": "1"},
		"share": {"strings": "S1"}, "load": {"stock": ""}, "count": {"class": "13"}} {
		w, _ := working.ByKey(key)
		var input *ask.BadInput
		if _, err := w.Solve(w.Example().Over(bad), nil); !errors.As(err, &input) || len(input.Fields) == 0 {
			t.Errorf("%s %v: %v", key, bad, err)
		}
	}
}

// A curve of its own replaces the typical one.
func TestAnOwnCurve(t *testing.T) {
	w, _ := working.ByKey("volts")
	own := "0 3.0\n10 3.3\n30 3.5\n50 3.6\n70 3.8\n90 4.0\n100 4.15"
	a, err := w.Solve(w.Example().Over(ask.Values{"chemistry": "nmc", "series": "1", "volts": "", "soc": "50",
		"curve": own}), nil)
	if err != nil || !strings.Contains(a.Says, "3.600 V a group") {
		t.Errorf("%q, %v", a.Says, err)
	}
	if _, err := w.Solve(w.Example().Over(ask.Values{"curve": "0 3.0\n100 2.0"}), nil); err == nil {
		t.Error("a curve that falls")
	}
}

func FuzzSolve(f *testing.F) {
	f.Add(uint8(0), uint8(4), "26")
	f.Add(uint8(9), uint8(2), "S1: 100 12 100\nS2: 1e9 0 -1")
	f.Add(uint8(8), uint8(3), "1e-12")
	f.Fuzz(func(t *testing.T, which, field uint8, text string) {
		all := working.All()
		w := all[int(which)%len(all)]
		k := w.Fields[int(field)%len(w.Fields)].Key
		a, err := w.Solve(w.Example().Over(ask.Values{k: text}), nil)
		var input *ask.BadInput
		if err != nil && !errors.As(err, &input) {
			t.Fatal(err)
		}
		if err == nil && strings.Contains(a.Says+fmt.Sprint(a.Lines), "NaN") {
			t.Fatalf("%s.%s = %q: %s", w.Key, k, text, a.Says)
		}
	})
}

func BenchmarkShelf(b *testing.B) {
	all := working.All()
	for b.Loop() {
		for _, w := range all {
			if _, err := w.Solve(w.Example(), nil); err != nil {
				b.Fatal(err)
			}
		}
	}
}

// Every working at its edges: what is not known is not taken for nothing, what cannot be is refused in its field, and
// what burns is said.
func TestWorkingsAtTheirEdges(t *testing.T) {
	for _, c := range []struct {
		name, key string
		own       ask.Values
		bad       string   // the field that is refused
		says      []string // that stand in the answer
		not       []string // that do not
	}{
		{"breaking, resistance empty", "fuse", ask.Values{"mohm": ""}, "", []string{"not known: the " +
			"resistance is not", "breaks 20 kA"}, nil},
		{"63 J in a quarter watt", "precharge", ask.Values{"volts": "50", "uf": "50400", "hold": "0.25",
			"ohms": "50"}, "", []string{"One filling puts up to 63 J"}, nil},
		{"and an extra load hides nothing", "precharge", ask.Values{"volts": "50", "uf": "50400", "hold": "0.25",
			"ohms": "50", "always": "10"}, "", []string{"One filling puts up to 63 J", "Held for long"}, nil},
		{"a pulse that its data sheet allows", "precharge", ask.Values{"volts": "50", "uf": "10000", "hold": "5",
			"pulse": "200"}, "", nil, []string{"One filling puts"}},
		{"a window of 1.25 V a group", "window", ask.Values{"low": "", "high": "", "low_v": "10", "high_v": "28"},
			"low_v", nil, nil},
		{"a window of 5 V a group", "window", ask.Values{"low": "", "high": "", "low_v": "24", "high_v": "40"},
			"high_v", nil, nil},
		{"a window in volts", "window", ask.Values{"low": "", "high": "", "low_v": "25", "high_v": "28"}, "",
			[]string{"V at rest"}, nil},
		{"sharing without a cut-off", "share", ask.Values{"cutoff": ""}, "", []string{"the cells' floor, 40 V"},
			[]string{"/ 0 V"}},
		{"strings in another form", "share", ask.Values{"strings": "S1: 100Ah 12mΩ 100A\nS2: 100 12 100"}, "strings",
			nil, nil},
		{"strings with words", "share", ask.Values{"strings": "S1: 100 12 about\nS2: 100 12 100"}, "strings",
			nil, nil},
		{"a path in another form", "path", ask.Values{"path": "cable: 110A"}, "path", nil, nil},
		{"two beside each other", "path", ask.Values{"path": "connector: 50 70 x2"}, "", []string{"100"}, nil},
		{"draws with words", "idle", ask.Values{"draws": "meter: 8 always"}, "draws", nil, nil},
		{"watts that are always on", "idle", ask.Values{"draws": "router: 6 w"}, "",
			[]string{"days to the floor"}, nil},
		{"no BMS", "acts", ask.Values{"no_bms": "yes"}, "", []string{"nothing disconnects"}, nil},
		{"a device that is damaged first", "acts", ask.Values{"max": "27"}, "", []string{"damages the device"}, nil},
		{"a device that only the charger saves", "acts", ask.Values{"max": "28.3", "charger_v": "28"}, "",
			[]string{"before anything disconnects"}, nil},
		{"counts above the touch limit", "count", ask.Values{"class": "", "charge_max": "80", "cutoff": "60",
			"abs_max": "100"}, "", []string{"above the touch limit of 60 V"}, nil},
		{"counts below it", "count", ask.Values{"class": "24"}, "", nil, []string{"touch limit"}},
		{"joining with nothing measured", "join", nil, "", []string{"typical"}, []string{"passes"}},
		{"joining below never-recharge", "join", ask.Values{"a_v": "26.6", "b_v": "15"}, "",
			[]string{"below never-recharge"}, []string{"would pass"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			w, ok := working.ByKey(c.key)
			if !ok {
				t.Fatal(c.key)
			}
			a, err := w.Solve(w.Example().Over(c.own), nil)
			var bad *ask.BadInput
			if errors.As(err, &bad); c.bad != "" {
				if bad == nil || bad.Fields[c.bad] == "" {
					t.Fatalf("%v, expected a word at %s", err, c.bad)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			text := fmt.Sprintf("%s %v %v %v %v", a.Says, a.Assumed, a.Findings, a.Tables, a.Formula)
			for _, s := range c.says {
				if !strings.Contains(text, s) {
					t.Errorf("nothing says %q: %s", s, text)
				}
			}
			for _, s := range c.not {
				if strings.Contains(strings.ToLower(text), s) {
					t.Errorf("it says %q: %s", s, text)
				}
			}
		})
	}
}

// What is known may be given as it is, with its source; a struct of another question is refused.
func TestAStructIsAnswered(t *testing.T) {
	w, _ := working.ByKey("path")
	a, err := w.Answer(&working.PathIn{Watts: known.Of(1000, known.Said), Volts: known.Of(20, known.Measured),
		Efficiency: known.Of(100, known.Typed), SurgeW: known.Of(1500, known.Typed)})
	if err != nil || a.From != "said" || !strings.HasPrefix(a.Says, "50.0 A at 20.0 V") {
		t.Errorf("%+v, %v", a, err)
	}
	if _, err := w.Answer(&working.IdleIn{}); err == nil {
		t.Error("another question was answered")
	}
}
