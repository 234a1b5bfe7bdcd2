package shelf

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Kind is how a field is typed.
type Kind string

// The kinds: a number, one of several words, yes or nothing, numbers in a row, and lines of name and numbers.
const (
	Number Kind = "number"
	Choice Kind = "choice"
	Tick   Kind = "tick"
	List   Kind = "list"
	Lines  Kind = "lines"
)

// Field is one input. Start is what stands there where the working is opened from nowhere; it may be empty for what
// need not be known.
type Field struct {
	Key     string
	Label   string
	Unit    string
	Kind    Kind
	Start   string
	Choices [][2]string // value and words
	Help    string
}

// Values are what was typed, by key.
type Values map[string]string

// Line is one number of an answer, as text with its unit.
type Line struct {
	Label string `json:"label"`
	Text  string `json:"text"`
	Unit  string `json:"unit"`
}

// Table is rows under heads; Words says which columns are words and not numbers.
type Table struct {
	Title string     `json:"title"`
	Heads []string   `json:"heads"`
	Rows  [][]string `json:"rows"`
	Words int        `json:"-"` // so many columns from the left are words
}

// Curve is a line of a chart.
type Curve struct {
	Name   string       `json:"name"`
	Points [][2]float64 `json:"points"`
}

// Mark is a level of a chart that means something.
type Mark struct {
	Name  string  `json:"name"`
	At    float64 `json:"at"`
	Level string  `json:"level"` // plain, caution, stop
}

// Chart is curves over one axis; LogX has it in powers of ten. Bars draws the first curve as bars.
type Chart struct {
	Title  string  `json:"title"`
	X      string  `json:"x"`
	Y      string  `json:"y"`
	LogX   bool    `json:"log_x"`
	Bars   bool    `json:"bars"`
	Curves []Curve `json:"curves"`
	Marks  []Mark  `json:"marks"` // of the upright axis
	Band   [2]float64
	Labels []string `json:"labels,omitempty"` // of bars
}

// Layer is one part of a stack, from the top down. Loose marks a gap.
type Layer struct {
	Name string  `json:"name"`
	MM   float64 `json:"mm"`
	Kind string  `json:"kind"` // screw, washer, ring, bar, thread, gap
}

// Grid is a network of s in series by p in parallel.
type Grid struct {
	Series   int    `json:"series"`
	Parallel int    `json:"parallel"`
	Each     string `json:"each"`
}

// Answer is what a working says.
type Answer struct {
	Says     string            `json:"says"`
	Level    finding.Level     `json:"level"`
	Lines    []Line            `json:"lines"`
	Tables   []Table           `json:"tables"`
	Chart    *Chart            `json:"chart,omitempty"`
	Stack    []Layer           `json:"stack,omitempty"`
	Grid     *Grid             `json:"grid,omitempty"`
	Formula  []string          `json:"formula"`
	Findings []finding.Finding `json:"findings"`
	Assumed  []string          `json:"assumed"`
	Uses     map[string]string `json:"uses,omitempty"` // what a bank or a need may take over, by the name of its field
	Result   any               `json:"result"`         // the core's own result
}

// Working is one sum of the trade.
type Working struct {
	Key      string
	Title    string
	Question string // what people ask
	About    string // volts, currents, charge, money
	Fields   []Field
	Source   string
	Not      []string // what is not considered
	solve    func(r *reader, a *Answer) error
}

// Groups of the shelf, in the order in which they stand.
var abouts = []string{"Volts and counts", "Currents and conductors", "Strings, charge and balance", "Tests and joints",
	"Hours and money"}

// Abouts lists the groups of the shelf.
func Abouts() []string { return slices.Clone(abouts) }

// All lists the workings in the order of the shelf.
func All() []Working { return slices.Clone(workings) }

// ByKey finds a working.
func ByKey(key string) (Working, bool) {
	for _, w := range workings {
		if w.Key == key {
			return w, true
		}
	}
	return Working{}, false
}

// Starts are the values that a working begins with, with own ones over them.
func (w Working) Starts(own Values) Values {
	out := Values{}
	for _, f := range w.Fields {
		out[f.Key] = f.Start
	}
	for k, v := range own {
		if _, ok := out[k]; ok {
			out[k] = v
		}
	}
	return out
}

// BadInput names fields that cannot be as they were typed.
type BadInput struct{ Fields map[string]string }

func (b *BadInput) Error() string {
	var parts []string
	for _, k := range slices.Sorted(maps.Keys(b.Fields)) {
		if k == "" {
			parts = append(parts, b.Fields[k])
			continue
		}
		parts = append(parts, k+": "+b.Fields[k])
	}
	return strings.Join(parts, "; ")
}

// longestText bounds what one field may hold.
const longestText = 8000

// Solve answers. Input that cannot be is a *BadInput.
func (w Working) Solve(v Values) (Answer, error) {
	r := &reader{v: v, bad: map[string]string{}, fields: map[string]Field{}}
	for _, f := range w.Fields {
		r.fields[f.Key] = f
		if len(v[f.Key]) > longestText {
			r.bad[f.Key] = fmt.Sprintf("expected at most %d letters", longestText)
		}
	}
	a := Answer{Lines: []Line{}, Tables: []Table{}, Formula: []string{}, Findings: []finding.Finding{},
		Assumed: []string{}, Uses: map[string]string{}}
	if len(r.bad) > 0 {
		return a, &BadInput{r.bad}
	}
	err := w.solve(r, &a)
	if len(r.bad) > 0 {
		return a, &BadInput{r.bad}
	}
	if err != nil {
		return a, &BadInput{map[string]string{"": err.Error()}}
	}
	a.Findings = finding.Sorted(a.Findings)
	a.Level = max(a.Level, finding.Worst(a.Findings))
	return a, nil
}

// reader reads what was typed, and keeps what cannot be.
type reader struct {
	v      Values
	fields map[string]Field
	bad    map[string]string
}

func (r *reader) text(key string) string { return strings.TrimSpace(r.v[key]) }

func (r *reader) given(key string) bool { return r.text(key) != "" }

// opt reads a number that may stay open, within bounds; otherwise stands for it then.
func (r *reader) opt(key string, otherwise, low, high float64) float64 {
	if !r.given(key) {
		return otherwise
	}
	return r.num(key, low, high)
}

// num reads a number that must be there.
func (r *reader) num(key string, low, high float64) float64 {
	n, err := numeral.ParseIn(r.text(key), r.fields[key].Unit)
	if err != nil {
		n, err = numeral.Parse(r.text(key))
	}
	switch {
	case err != nil:
		r.bad[key] = err.Error()
	case n.Value < low || n.Value > high:
		r.bad[key] = fmt.Sprintf("%s: expected %s to %s %s", numeral.Text(n.Value), numeral.Text(low),
			numeral.Text(high), r.fields[key].Unit)
	}
	return n.Value
}

// digit is the last digit of a number as it was typed, 0 where it cannot be read.
func (r *reader) digit(key string) float64 {
	n, err := numeral.ParseIn(r.text(key), r.fields[key].Unit)
	if err != nil {
		return 0
	}
	return n.LastDigit
}

func (r *reader) whole(key string, low, high int) int {
	x := r.num(key, float64(low), float64(high))
	if x != math.Trunc(x) && r.bad[key] == "" {
		r.bad[key] = fmt.Sprintf("%s: expected a whole number", numeral.Text(x))
	}
	return int(x)
}

func (r *reader) optWhole(key string, otherwise, low, high int) int {
	if !r.given(key) {
		return otherwise
	}
	return r.whole(key, low, high)
}

func (r *reader) yes(key string) bool { return r.given(key) && r.text(key) != "no" }

// word reads one of a field's choices, the first where none is given.
func (r *reader) word(key string) string {
	f := r.fields[key]
	t := strings.ToLower(r.text(key))
	var known []string
	for _, c := range f.Choices {
		if c[0] == t {
			return t
		}
		known = append(known, c[0])
	}
	if t == "" && len(f.Choices) > 0 {
		return f.Choices[0][0]
	}
	r.bad[key] = fmt.Sprintf("%.20q: expected %s", t, strings.Join(known, ", "))
	return t
}

func (r *reader) chemistry(key string) chem.Chemistry {
	k, err := chem.Lookup(chem.ID(r.word(key)))
	if err != nil && r.bad[key] == "" {
		r.bad[key] = err.Error()
	}
	return k
}

// list reads numbers separated by blanks, lines or semicolons; 3×2.5 is 2.5 three times.
func (r *reader) list(key string, low, high float64, most int) (out []float64) {
	for i, p := range strings.FieldsFunc(r.v[key], func(c rune) bool {
		return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == ';' || c == '|'
	}) {
		times := 1
		if n, rest, ok := strings.Cut(strings.ReplaceAll(p, "x", "×"), "×"); ok {
			x, err := numeral.Parse(n)
			if err != nil || x.Value < 1 || x.Value > float64(most) || x.Value != math.Trunc(x.Value) {
				r.bad[key] = fmt.Sprintf("value %d, %.20q: expected such as 3×2,5", i+1, p)
				return nil
			}
			times, p = int(x.Value), rest
		}
		x, err := numeral.Parse(strings.TrimSuffix(p, ","))
		if err != nil {
			r.bad[key] = fmt.Sprintf("value %d: %v", i+1, err)
			return nil
		}
		if x.Value < low || x.Value > high {
			r.bad[key] = fmt.Sprintf("value %d, %s: expected %s to %s", i+1, numeral.Text(x.Value), numeral.Text(low),
				numeral.Text(high))
			return nil
		}
		for range times {
			out = append(out, x.Value)
		}
		if len(out) > most {
			r.bad[key] = fmt.Sprintf("expected at most %d values", most)
			return nil
		}
	}
	return out
}

// row is one line of a field of lines: a name, then numbers and words in order.
type row struct {
	name  string
	nums  []float64
	words []string
}

// rows reads lines such as 'name: 12; 3,5; ac'. Least is how many numbers each must have.
func (r *reader) rows(key string, least, most int) (out []row) {
	for i, line := range strings.Split(r.v[key], "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		name, rest, ok := strings.Cut(line, ":")
		if !ok {
			name, rest = fmt.Sprintf("line %d", i+1), line
		}
		x := row{name: strings.TrimSpace(name)}
		for _, p := range strings.FieldsFunc(rest, func(c rune) bool {
			return c == ';' || c == ' ' || c == '\t' || c == '|'
		}) {
			n, err := numeral.Parse(strings.TrimSuffix(p, ","))
			if err != nil && p[0] >= '0' && p[0] <= '9' {
				r.bad[key] = fmt.Sprintf("line %d, %.30q: %v. Expected %s", i+1, line, err, r.fields[key].Help)
				return nil
			}
			if err != nil {
				x.words = append(x.words, strings.ToLower(p))
				continue
			}
			x.nums = append(x.nums, n.Value)
		}
		if len(x.nums) < least {
			r.bad[key] = fmt.Sprintf("line %d, %.30q: expected %s", i+1, line, r.fields[key].Help)
			return nil
		}
		if out = append(out, x); len(out) > most {
			r.bad[key] = fmt.Sprintf("expected at most %d lines", most)
			return nil
		}
	}
	return out
}

// stray refuses a word in a line that means nothing there: a line of another form must not be read as half of one.
func (r *reader) stray(key, name, word string) {
	if r.bad[key] == "" {
		r.bad[key] = fmt.Sprintf("%s: %.20q means nothing here. Expected %s", name, word, r.fields[key].Help)
	}
}

// plain refuses words in lines of numbers.
func (r *reader) plain(key string, rows []row) []row {
	for _, x := range rows {
		for _, w := range x.words {
			r.stray(key, x.name, w)
		}
	}
	return rows
}

// at is the k-th number of a row, 0 where it has none.
func (x row) at(k int) float64 {
	if k < len(x.nums) {
		return x.nums[k]
	}
	return 0
}

// dec writes a number with digits behind the point.
func dec(v float64, digits int) string {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return "–"
	}
	s := fmt.Sprintf("%.*f", digits, v)
	if strings.Trim(s, "-0.") == "" {
		s = strings.TrimPrefix(s, "-")
	}
	return s
}

// to writes an interval, or one number where both ends show the same.
func to(low, high float64, digits int) string {
	a, b := dec(low, digits), dec(high, digits)
	if a == b {
		return a
	}
	return a + " to " + b
}

// digits is how many places a number of its size needs to say three figures.
func digits(v float64) int {
	switch v = math.Abs(v); {
	case v >= 100 || v < 5e-5:
		return 0
	case v >= 10:
		return 1
	case v >= 1:
		return 2
	case v >= 0.1:
		return 3
	}
	return 4
}

// fig writes about three figures, and no zeros behind the point that say nothing.
func fig(v float64) string {
	s := dec(v, digits(v))
	if strings.Contains(s, ".") {
		s = strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
	}
	return s
}

func figs(low, high float64) string { return to(low, high, digits(high)) }

// hours writes a time that people can hold in the head.
func spell(hours float64) string {
	switch {
	case hours < 1.0/60:
		return fmt.Sprintf("%s s", fig(hours*3600))
	case hours < 2:
		return fmt.Sprintf("%.0f min", hours*60)
	case hours < 72:
		return fmt.Sprintf("%.1f h", hours)
	}
	return fmt.Sprintf("%.0f days", hours/24)
}

func (a *Answer) line(label, text, unit string) { a.Lines = append(a.Lines, Line{label, text, unit}) }

func (a *Answer) formula(format string, args ...any) {
	a.Formula = append(a.Formula, fmt.Sprintf(format, args...))
}

func (a *Answer) assume(format string, args ...any) {
	a.Assumed = append(a.Assumed, fmt.Sprintf(format, args...))
}

// Common fields.
var chemistries = [][2]string{{"lfp", "LFP"}, {"nmc", "NMC"}, {"lmo", "LMO blend"}, {"nca", "NCA"}, {"lto", "LTO"}}

func chemField(start string) Field {
	return Field{Key: "chemistry", Label: "Chemistry", Kind: Choice, Choices: chemistries, Start: start}
}

func num(key, label, unit, start, help string) Field {
	return Field{Key: key, Label: label, Unit: unit, Kind: Number, Start: start, Help: help}
}

const notTheCode = "local codes, the maker's data, age and damage of the parts"
