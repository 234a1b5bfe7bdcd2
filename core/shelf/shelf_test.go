package shelf_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"pandrel/core/shelf"
)

// Every working answers from its starting values, in words, with numbers, a formula and a source.
func TestEveryWorkingAnswersFromItsStart(t *testing.T) {
	seen := map[string]bool{}
	for _, w := range shelf.All() {
		t.Run(w.Key, func(t *testing.T) {
			if seen[w.Key] || w.Title == "" || w.Question == "" || w.Source == "" || len(w.Not) == 0 {
				t.Errorf("%+v", w)
			}
			seen[w.Key] = true
			a, err := w.Solve(w.Starts(nil))
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
	for _, w := range shelf.All() {
		for _, f := range w.Fields {
			for _, bad := range []string{"-7", "0", "1e300", "NaN", "x", "∞", "9;9;9", "a: b\nc: 1 2 3 4",
				strings.Repeat("9", 400),
				strings.Repeat("1 ", 9000), "1: -5 -5 -5", "99999999"} {
				v := w.Starts(shelf.Values{f.Key: bad})
				a, err := w.Solve(v)
				var input *shelf.BadInput
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
	w, _ := shelf.ByKey("volts")
	a, _ := w.Solve(w.Starts(shelf.Values{"chemistry": "lfp", "series": "8", "volts": "26"}))
	fmt.Println(a.Says)
	// Output:
	// 26.00 V on 8 groups of LFP is 3.250 V a group: 19 to 39 % full.
}

// What is typed as people type it: a decimal comma, a unit, so many times.
func TestHowNumbersAreTyped(t *testing.T) {
	w, _ := shelf.ByKey("volts")
	a, err := w.Solve(w.Starts(shelf.Values{"volts": "26,4 V", "rest": ""}))
	if err != nil || !strings.HasPrefix(a.Says, "26.40 V") {
		t.Errorf("%q, %v", a.Says, err)
	}
	b, _ := shelf.ByKey("balance")
	x, err := b.Solve(b.Starts(shelf.Values{"offsets": "3×0 1,5"}))
	if err != nil || !strings.Contains(fmt.Sprint(x.Lines), "1.50") {
		t.Errorf("%v, %v", x.Lines, err)
	}
	for key, bad := range map[string]shelf.Values{"volts": {"soc": "50"}, "balance": {"offsets": "1"},
		"share": {"strings": "S1"},
		"load":  {"stock": ""}, "count": {"class": "13"}} {
		w, _ := shelf.ByKey(key)
		var input *shelf.BadInput
		if _, err := w.Solve(w.Starts(bad)); !errors.As(err, &input) || len(input.Fields) == 0 {
			t.Errorf("%s %v: %v", key, bad, err)
		}
	}
}

// A curve of its own replaces the typical one.
func TestAnOwnCurve(t *testing.T) {
	w, _ := shelf.ByKey("volts")
	own := "0 3.0\n10 3.3\n30 3.5\n50 3.6\n70 3.8\n90 4.0\n100 4.15"
	a, err := w.Solve(w.Starts(shelf.Values{"chemistry": "nmc", "series": "1", "volts": "", "soc": "50", "curve": own}))
	if err != nil || !strings.Contains(a.Says, "3.600 V a group") {
		t.Errorf("%q, %v", a.Says, err)
	}
	if _, err := w.Solve(w.Starts(shelf.Values{"curve": "0 3.0\n100 2.0"})); err == nil {
		t.Error("a curve that falls")
	}
}

func FuzzSolve(f *testing.F) {
	f.Add(uint8(0), uint8(4), "26")
	f.Add(uint8(9), uint8(2), "S1: 100 12 100\nS2: 1e9 0 -1")
	f.Add(uint8(8), uint8(3), "1e-12")
	f.Fuzz(func(t *testing.T, which, field uint8, text string) {
		all := shelf.All()
		w := all[int(which)%len(all)]
		k := w.Fields[int(field)%len(w.Fields)].Key
		a, err := w.Solve(w.Starts(shelf.Values{k: text}))
		var input *shelf.BadInput
		if err != nil && !errors.As(err, &input) {
			t.Fatal(err)
		}
		if err == nil && strings.Contains(a.Says+fmt.Sprint(a.Lines), "NaN") {
			t.Fatalf("%s.%s = %q: %s", w.Key, k, text, a.Says)
		}
	})
}

func BenchmarkShelf(b *testing.B) {
	all := shelf.All()
	for b.Loop() {
		for _, w := range all {
			if _, err := w.Solve(w.Starts(nil)); err != nil {
				b.Fatal(err)
			}
		}
	}
}
