package exchange

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"pandrel/core/base/ask"
	"pandrel/core/working"
)

// WriteAnswer writes a working's answer as a short report.
func WriteAnswer(o io.Writer, w working.Working, a ask.Answer) {
	fmt.Fprintln(o, a.Says)
	for _, l := range a.Lines {
		fmt.Fprintf(o, "  %-40s %s %s\n", l.Label, l.Text, l.Unit)
	}
	for _, t := range a.Tables {
		fmt.Fprintf(o, "%s: %s\n", t.Title, strings.Join(t.Heads, " | "))
		for _, r := range t.Rows {
			fmt.Fprintf(o, "  %s\n", strings.Join(r, " | "))
		}
	}
	for _, f := range a.Formula {
		fmt.Fprintln(o, "formula:", f)
	}
	for _, x := range a.Assumed {
		fmt.Fprintln(o, "assumed:", x)
	}
	fmt.Fprintln(o, "source:", w.Source)
	fmt.Fprintln(o, "not considered:", strings.Join(w.Not, "; "))
}

// AnswerCSV is a working's inputs and answer as a table: what, value, unit.
func AnswerCSV(w working.Working, v ask.Values, a ask.Answer) ([]byte, error) {
	var b bytes.Buffer
	c := csv.NewWriter(&b)
	rows := [][]string{{"part", "what", "value", "unit"}, {"answer", w.Title, a.Says, ""}}
	for _, f := range w.Fields {
		if v[f.Key] != "" {
			rows = append(rows, []string{"input", f.Label, v[f.Key], f.Unit})
		}
	}
	for _, l := range a.Lines {
		rows = append(rows, []string{"result", l.Label, l.Text, l.Unit})
	}
	for _, t := range a.Tables {
		for _, r := range t.Rows {
			for i, cell := range r[1:] {
				rows = append(rows, []string{t.Title, r[0] + ", " + t.Heads[i+1], cell, ""})
			}
		}
	}
	for _, f := range a.Findings {
		rows = append(rows, []string{f.Level.String(), f.Subject, f.Text + " " + f.Do, ""})
	}
	for _, x := range a.Assumed {
		rows = append(rows, []string{"assumed", "", x, ""})
	}
	rows = append(rows, []string{"source", "", w.Source, ""}, []string{"not considered", "", strings.Join(w.Not,
		"; "), ""})
	for _, r := range rows {
		for i := range r {
			r[i] = Field(r[i])
		}
		if err := c.Write(r); err != nil {
			return nil, err
		}
	}
	c.Flush()
	return b.Bytes(), c.Error()
}
