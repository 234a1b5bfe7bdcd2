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
