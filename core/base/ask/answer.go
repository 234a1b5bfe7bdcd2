package ask

import (
	"fmt"
	"strings"

	"pandrel/core/base/chart"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// Line is one number of an answer, as text with its unit, and where it comes from.
type Line struct {
	Label string `json:"label"`
	Text  string `json:"text"`
	Unit  string `json:"unit"`
	From  string `json:"from"`
}

// Table is rows under heads; Words says which columns are words and not numbers.
type Table struct {
	Title string     `json:"title"`
	Heads []string   `json:"heads"`
	Rows  [][]string `json:"rows"`
	Words int        `json:"-"` // so many columns from the left are words
}

func (t *Table) Row(cells ...any) {
	var row []string
	for _, c := range cells {
		row = append(row, fmt.Sprint(c))
	}
	t.Rows = append(t.Rows, row)
}

// Answer is what a working says.
type Answer struct {
	Says     string            `json:"says"`
	Level    finding.Level     `json:"level"`
	Lines    []Line            `json:"lines"`
	Tables   []Table           `json:"tables"`
	Chart    *chart.Chart      `json:"chart,omitempty"`
	Stack    []chart.Layer     `json:"stack,omitempty"`
	Grid     *chart.Grid       `json:"grid,omitempty"`
	Formula  []string          `json:"formula"`
	Findings []finding.Finding `json:"findings"`
	Assumed  []string          `json:"assumed"`
	Uses     map[string]string `json:"uses,omitempty"` // what a bank or a need may take over, by the name of its field
	Result   any               `json:"result"`         // the core's own result
	From     string            `json:"from"`           // the weakest that it rests on

	said  []sentence
	rests known.Source
}

// sentence is a text that was written with numbers: Says, a formula, an assumption.
type sentence struct {
	text   string
	format string
	args   []any
}

// settle gives every number of the answer the weakest source that it rests on.
func (a *Answer) settle() {
	if len(a.Assumed) > 0 {
		a.rests = min(a.rests, known.Assumed)
	}
	if a.rests == known.Limit { // of lists and lines alone
		a.rests = known.Typed
	}
	a.From = mark(a.rests)
	for i := range a.Lines {
		if a.Lines[i].From == "" {
			a.Lines[i].From = a.From
		}
	}
}

// mark is the word for what was worked out from numbers of a source.
func mark(s known.Source) string { return known.Of(1, s).Times(1).Mark() }

// Sentence is what it says, with what was taken for what nobody gave: a record that holds the one holds the other.
func (a Answer) Sentence() string {
	if len(a.Assumed) == 0 {
		return a.Says
	}
	return a.Says + " Assumed: " + strings.Join(a.Assumed, "; ") + "."
}

// Parts is a sentence of the answer in pieces: its numbers with where they come from.
func (a Answer) Parts(text string) (out []finding.Part) {
	number := func(v float64) known.Value { return known.Of(v, a.rests).Times(1) }
	for text != "" {
		first, next := len(text), sentence{}
		for _, s := range a.said {
			if at := strings.Index(text, s.text); s.text != "" && at >= 0 && (at < first || at == first &&
				len(s.text) > len(next.text)) {
				first, next = at, s
			}
		}
		out = append(out, finding.Split(number, text[:first])...)
		out = append(out, finding.Pieces(number, next.format, next.args...)...)
		text = text[first+len(next.text):]
	}
	return out
}

// Text writes a text with numbers, and keeps which they are.
func (a *Answer) Text(format string, args ...any) string {
	s := sentence{fmt.Sprintf(format, args...), format, args}
	a.said = append(a.said, s)
	return s.text
}

// Say sets the first sentence of an answer; also goes on.
func (a *Answer) Say(format string, args ...any) { a.Says = a.Text(format, args...) }

func (a *Answer) Also(format string, args ...any) { a.Says += a.Text(format, args...) }

// Line adds a number. It rests on all that the answer rests on, or on some of it alone where those are named.
func (a *Answer) Line(label string, text any, unit string, on ...known.Value) {
	l := Line{Label: label, Text: fmt.Sprint(text), Unit: unit}
	if len(on) > 0 {
		rests := known.Limit
		for _, v := range on {
			rests = min(rests, v.From())
		}
		l.From = mark(rests)
	}
	a.Lines = append(a.Lines, l)
}

func (a *Answer) Works(format string, args ...any) {
	a.Formula = append(a.Formula, a.Text(format, args...))
}

func (a *Answer) Assume(format string, args ...any) {
	a.Assumed = append(a.Assumed, a.Text(format, args...))
}

// Use hands a number to the field of that name of a bank or a need.
func (a *Answer) Use(field string, v figure.Text) { a.Uses[field] = string(v) }

// Without says what is taken where a number is not known.
func (a *Answer) Without(v known.Value, format string, args ...any) {
	if !v.Is() {
		a.Assume(format, args...)
	}
}

func (a *Answer) Find(f finding.Finding) { a.Findings = append(a.Findings, f) }
