package finding_test

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

func ExampleFinding_Parts() {
	f := finding.New(finding.Stop, "low").About("group 3").Reads(1.5, "V").From(known.Measured).Against(2).
		Says("Group %d is at %.2f V, below %.2f V by %.0f mV.", 3, 1.5, 2.0, 500.0).
		Then("Read it again.")
	says, _ := f.Parts()
	for _, p := range says {
		if p.Number.Is() {
			fmt.Printf("[%s %s]", p.Text, p.Number.Mark())
		} else {
			fmt.Print(p.Text)
		}
	}
	// Output: Group 3 is at [1.50 measured] V, below [2.00 limit] V by [500 worked] mV.
}

func joined(parts []finding.Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	return b.String()
}

// The pieces are the sentence, whatever stands in it, and a number in it is the one that was given.
func TestPiecesAreTheSentence(t *testing.T) {
	v := known.Within(41, 38, 44, known.Assumed).In(0, "Ah")
	for _, c := range []struct {
		format string
		args   []any
		marks  string
	}{
		{"", nil, ""},
		{"Nothing.", nil, ""},
		{"%.1f A at %.0f %%, %s and %d.", []any{3.25, 80.0, "words", 4}, "worked worked"},
		{"%+.1f to %-8.2f|%08.3f", []any{1.0, 2.0, 3.0}, "worked worked worked"},
		{"%v holds %v, and %v", []any{"K-1", v, known.Value{}.In(1, "V")}, "assumed"},
		{"%.2f V, %.2f V", []any{7.0, 9.0}, "worked limit"},
		{"%g", []any{math.Inf(1)}, ""},
		{"%.1f", []any{math.NaN()}, ""},
		{"%5s|%-5s|%q|%x", []any{"a", "b", "c", 255}, ""},
		{"100 %", nil, "worked"},
		{"%s", []any{"50 % of %d"}, "worked"},
		{"Above 9 V of a 48 V system, by %d mV.", []any{3}, "limit worked"},
	} {
		f := finding.New(finding.Note, "x").Reads(7, "V").Against(9).Says(c.format, c.args...).Then(c.format, c.args...)
		says, do := f.Parts()
		var marks []string
		for _, p := range says {
			if p.Number.Is() {
				marks = append(marks, p.Number.Mark())
			}
		}
		if joined(says) != f.Text || joined(do) != f.Do || strings.Join(marks, " ") != c.marks {
			if !strings.Contains(f.Text, "%!") {
				t.Errorf("%q: %q, %q of %v, expected %s", f.Text, joined(says), joined(do), marks, c.marks)
			}
		}
	}
}

// Where a number comes from is no stronger than what the finding rests on.
func TestANumberRestsOnWhatItsFindingDoes(t *testing.T) {
	for from, want := range map[known.Source][2]string{known.Unknown: {"worked", "worked"},
		known.Measured: {"measured", "worked"}, known.Typed: {"typed", "worked"}, known.Said: {"said", "said"},
		known.Assumed: {"assumed", "assumed"}} {
		f := finding.New(finding.Note, "x").Reads(7, "V").From(from).Says("%.0f of %.0f", 7.0, 14.0)
		says, _ := f.Parts()
		if got := [2]string{says[0].Number.Mark(),
			says[2].Number.Mark()}; got != want || f.Reading().Mark() != want[0] {
			t.Errorf("%v: %v, and the reading %s: expected %v", from, got, f.Reading().Mark(), want)
		}
	}
	if f := finding.New(finding.Note, "x"); f.Reading().Is() || f.Bound().Is() {
		t.Error("what was not read is known")
	}
}

// A finding that comes from a record says the same; its numbers are found in its text.
func TestAFindingOfARecord(t *testing.T) {
	f := finding.New(finding.Stop, "low").Reads(1.5, "V").From(known.Measured).Against(2).
		Says("At %.2f V.", 1.5).Then("Stop.").
		By("rules §3")
	data, err := json.Marshal(f)
	if err != nil {
		t.Fatal(err)
	}
	var back finding.Finding
	if err := json.Unmarshal(data, &back); err != nil {
		t.Fatal(err)
	}
	says, do := back.Parts()
	if joined(says) != f.Text || joined(do) != "Stop." || len(says) != 3 ||
		says[1].Number.Mark() != "measured" || back.Reading().V() != 1.5 ||
		back.Reading().Mark() != "measured" {
		t.Errorf("%+v", says)
	}
	f.Text, f.Do = "Another sentence of 3 V.", f.Do+" And more."
	if says, do := f.Parts(); joined(says) != f.Text || joined(do) != f.Do {
		t.Errorf("a text that was changed is said as %q, %q", joined(says), joined(do))
	}
	f.Text = ""
	if says, _ := f.Parts(); joined(says) != "" {
		t.Errorf("%+v", says)
	}
	if strings.Contains(string(data), "said") {
		t.Errorf("%s", data)
	}
}
