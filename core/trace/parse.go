package trace

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// ErrNoColumns is returned inside a ParseError when no header was recognised.
var ErrNoColumns = errors.New("no column of time and no column of volts recognised")

// ParseError says where a log cannot be read and what was expected.
type ParseError struct {
	Line int
	Text string
	Err  error
}

func (e *ParseError) Error() string {
	if e.Line > 0 {
		return fmt.Sprintf("line %d: %s", e.Line, e.Text)
	}
	return e.Text
}

// Unwrap returns the cause, if there is one.
func (e *ParseError) Unwrap() error { return e.Err }

// Columns names the columns that were used, as the file names them; empty where there is none.
type Columns struct {
	Time   string   `json:"time"`
	Volts  string   `json:"volts"`
	Amps   string   `json:"amps"`
	Temp   *string  `json:"temp"`
	Step   *string  `json:"step,omitempty"`
	Ah     *string  `json:"ah,omitempty"`
	Groups []string `json:"groups"`
}

// Problem is a line of the file that was not used, or was used with a remark.
type Problem struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// Log is a time series in SI units, columns side by side. Seconds start at 0. Amps are positive
// while charging once Analyse has settled the sign; Parse leaves them as written. TempC, LoggerAh
// and Groups are empty where the file has none. Step is +1, −1 or 0 for charge, discharge and
// rest where the file says so.
type Log struct {
	Columns  Columns
	Seconds  []float64
	Volts    []float64
	Amps     []float64
	TempC    []float64
	LoggerAh []float64
	Groups   [][]float64 // [group][sample]
	Step     []int8
	Line     []int32 // the file's line of each sample
	Start    time.Time
	Problems []Problem
	Skipped  int // lines that were not used
}

// maxProblems bounds what is listed; all are counted in Skipped.
const maxProblems = 50

// kind of a column.
type kind int

const (
	kIgnore kind = iota
	kTime
	kDate
	kVolts
	kAmps
	kTemp
	kGroup
	kStep
	kAh
)

type column struct {
	kind  kind
	scale float64
	group int
	name  string
}

// Parse reads a log. Separator, decimal mark, header line, units and time format are found from
// the file itself. It returns a *ParseError for an empty or binary file, for a file without a
// column of time and one of volts, and when no line holds a sample. Single bad lines are listed in
// Log.Problems and left out. Cost is linear; numbers of the usual form are read without
// allocation.
func Parse(data []byte) (*Log, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, &ParseError{Text: "the file is empty: expected a log with a header line and a line for each sample"}
	}
	if head := data[:min(len(data), 4096)]; bytes.IndexByte(head, 0) >= 0 {
		return nil, &ParseError{Text: "the file is binary: expected text with columns separated by comma, semicolon or tab"}
	}
	h, err := findHeader(data)
	if err != nil {
		return nil, err
	}
	p := &parser{header: h, log: &Log{Columns: h.names()}}
	p.commaDecimal = h.decimalComma(data)
	estimate := bytes.Count(data[h.end:], []byte("\n")) + 1
	p.reserve(estimate)
	p.rows(data[h.end:], h.line)
	if len(p.log.Seconds) == 0 {
		text := "no line holds a sample: expected numbers under " + h.text
		if len(p.log.Problems) > 0 {
			text += "; line " + strconv.Itoa(p.log.Problems[0].Line) + ": " + p.log.Problems[0].Text
		}
		return nil, &ParseError{Text: text}
	}
	return p.log, nil
}

type header struct {
	sep     byte
	columns []column
	line    int // number of the header line
	end     int // offset of the first byte behind it
	raw     []byte
	text    string
}

// findHeader looks through the first lines for one that names a time and a voltage.
func findHeader(data []byte) (header, error) {
	off, line := 0, 0
	for off < len(data) && line < 200 {
		end := bytes.IndexByte(data[off:], '\n')
		next := off + end + 1
		if end < 0 {
			end, next = len(data)-off, len(data)
		}
		raw := bytes.TrimRight(data[off:off+end], "\r")
		line++
		for _, sep := range []byte{';', '\t', ','} {
			if bytes.IndexByte(raw, sep) < 0 {
				continue
			}
			cols := recognise(raw, sep)
			if has(cols, kTime) && (has(cols, kVolts) || has(cols, kGroup)) {
				return header{sep: sep, columns: cols, line: line, end: next, raw: raw, text: printable(raw)}, nil
			}
		}
		off = next
	}
	first, _, _ := bytes.Cut(data, []byte("\n"))
	return header{}, &ParseError{Line: 1, Err: ErrNoColumns,
		Text: fmt.Sprintf("no header with a time and a voltage column found; the file begins %q. Expected columns such as time_s, volts, amps", printable(bytes.TrimSpace(first)))}
}

func printable(b []byte) string {
	s := strings.ToValidUTF8(string(b), "?")
	if utf8.RuneCountInString(s) > 80 {
		s = string([]rune(s)[:80]) + "…"
	}
	return s
}

func has(cols []column, k kind) bool {
	return slices.ContainsFunc(cols, func(c column) bool { return c.kind == k })
}

var (
	unitIn    = regexp.MustCompile(`[\[(/]\s*([^\])/]+?)\s*[\])]?\s*$`)
	groupName = regexp.MustCompile(`^(?:cell|group|grp|zelle|c|g|v|u)[ _#.-]*0*(\d{1,3})(?:[ _-]*(?:voltage|volts|volt|v))?$`)
)

// recognise names the columns of a header line by word and unit.
func recognise(raw []byte, sep byte) []column {
	fields := bytes.Split(raw, []byte{sep})
	cols := make([]column, len(fields))
	taken := map[kind]bool{}
	for i, f := range fields {
		name := strings.Trim(strings.TrimSpace(string(f)), `"'`)
		c := classify(name)
		c.name = strings.ToValidUTF8(name, "?")
		if c.kind != kIgnore && c.kind != kGroup {
			if taken[c.kind] {
				c.kind = kIgnore // the first of its kind counts
			}
			taken[c.kind] = true
		}
		cols[i] = c
	}
	// A date column beside no time column is the time.
	if taken[kDate] && !taken[kTime] {
		for i := range cols {
			if cols[i].kind == kDate {
				cols[i].kind = kTime
			}
		}
	}
	return cols
}

var timeUnits = map[string]float64{"s": 1, "sec": 1, "secs": 1, "second": 1, "seconds": 1, "ms": 1e-3, "min": 60, "mins": 60, "minute": 60, "minutes": 60, "h": 3600, "hr": 3600, "hour": 3600, "hours": 3600}

// classify finds what a column holds from its name, and the factor to SI units.
func classify(name string) column {
	s := strings.ToLower(strings.TrimSpace(name))
	unit, base := "", s
	if m := unitIn.FindStringSubmatchIndex(s); m != nil && m[0] > 0 {
		unit, base = s[m[2]:m[3]], strings.TrimSpace(s[:m[0]])
	} else if i := strings.LastIndexByte(s, '_'); i > 0 {
		unit, base = s[i+1:], s[:i]
	}
	words := strings.FieldsFunc(base, func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' })
	any := func(list ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(list, w) })
	}
	scaleOf := func(milli string) float64 {
		if unit == milli {
			return 1e-3
		}
		return 1
	}
	if m := groupName.FindStringSubmatch(base); m != nil && (unit == "" || unit == "v" || unit == "mv" || unit == "volts" || unit == "volt") {
		n, _ := strconv.Atoi(m[1])
		if n > 0 {
			return column{kind: kGroup, group: n, scale: scaleOf("mv")}
		}
	}
	switch {
	case any("date") && any("time") || base == "datetime" || base == "timestamp":
		return column{kind: kTime, scale: 1}
	case any("date"):
		return column{kind: kDate, scale: 1}
	case any("time", "elapsed", "zeit", "t") && timeUnits[unit] > 0:
		return column{kind: kTime, scale: timeUnits[unit]}
	case any("time", "elapsed", "zeit", "clock"):
		return column{kind: kTime, scale: 1}
	case unit == "ah" || unit == "mah":
		return column{kind: kAh, scale: scaleOf("mah")}
	case any("temp", "temperature", "temperatur") || strings.Contains(unit, "°c") || unit == "degc" || unit == "c" && any("t"):
		return column{kind: kTemp, scale: 1}
	case any("volts", "volt", "voltage", "spannung", "u", "v") || unit == "v" || unit == "mv" || unit == "volts":
		return column{kind: kVolts, scale: scaleOf("mv")}
	case any("amps", "amp", "current", "strom", "i", "a") || unit == "a" || unit == "ma" || unit == "amps":
		return column{kind: kAmps, scale: scaleOf("ma")}
	case any("step", "state", "status", "mode", "phase"):
		return column{kind: kStep}
	case timeUnits[s] > 0 && len(s) > 1:
		return column{kind: kTime, scale: timeUnits[s]}
	}
	return column{}
}

func (h header) names() Columns {
	c := Columns{Groups: []string{}}
	for i := range h.columns {
		col := &h.columns[i]
		switch col.kind {
		case kTime:
			c.Time = col.name
		case kVolts:
			c.Volts = col.name
		case kAmps:
			c.Amps = col.name
		case kTemp:
			c.Temp = &col.name
		case kStep:
			c.Step = &col.name
		case kAh:
			c.Ah = &col.name
		}
	}
	for _, g := range h.groupOrder() {
		c.Groups = append(c.Groups, h.columns[g].name)
	}
	return c
}

// groupOrder lists the columns of groups, group 1 first.
func (h header) groupOrder() []int {
	var out []int
	for i, c := range h.columns {
		if c.kind == kGroup {
			out = append(out, i)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int { return h.columns[a].group - h.columns[b].group })
	return out
}

// decimalComma decides from the first data lines. With comma as separator it is never the decimal
// mark.
func (h header) decimalComma(data []byte) bool {
	if h.sep == ',' {
		return false
	}
	sample := data[h.end:min(len(data), h.end+20000)]
	commas, dots := 0, 0
	for line := range bytes.Lines(sample) {
		for i, f := range bytes.Split(line, []byte{h.sep}) {
			if i >= len(h.columns) || h.columns[i].kind == kIgnore || h.columns[i].kind == kTime || h.columns[i].kind == kDate {
				continue
			}
			commas += bytes.Count(f, []byte(","))
			dots += bytes.Count(f, []byte("."))
		}
	}
	if commas == 0 && dots == 0 { // only the time column can tell
		return bytes.Count(sample, []byte(",")) > 0
	}
	return commas > dots
}

type parser struct {
	header
	commaDecimal bool
	log          *Log
	order        []int
	stamp        stampReader
	last         float64
	first        float64
	started      bool
}

func (p *parser) reserve(n int) {
	l := p.log
	l.Seconds, l.Volts, l.Line = make([]float64, 0, n), make([]float64, 0, n), make([]int32, 0, n)
	l.Amps = make([]float64, 0, n)
	p.order = p.groupOrder()
	for range p.order {
		l.Groups = append(l.Groups, make([]float64, 0, n))
	}
	if has(p.columns, kTemp) {
		l.TempC = make([]float64, 0, n)
	}
	if has(p.columns, kAh) {
		l.LoggerAh = make([]float64, 0, n)
	}
	if has(p.columns, kStep) {
		l.Step = make([]int8, 0, n)
	}
}

func (p *parser) problem(line int, format string, args ...any) {
	if len(p.log.Problems) < maxProblems {
		p.log.Problems = append(p.log.Problems, Problem{line, fmt.Sprintf(format, args...)})
	}
}

// row is one line's values before they are accepted.
type row struct {
	t, v, a, temp, ah float64
	step              int8
	groups            []float64
}

func (p *parser) rows(data []byte, line int) {
	groupAt := make([]int, len(p.columns))
	for n, i := range p.order {
		groupAt[i] = n
	}
	r := row{groups: make([]float64, len(p.order))}
	var date []byte
	for len(data) > 0 {
		end := bytes.IndexByte(data, '\n')
		raw := data
		if end >= 0 {
			raw, data = data[:end], data[end+1:]
		} else {
			data = nil
		}
		line++
		if n := len(raw); n > 0 && raw[n-1] == '\r' {
			raw = raw[:n-1]
		}
		if len(raw) == 0 || bytes.Equal(raw, p.raw) {
			continue // empty, or the header again
		}
		if !p.row(raw, line, &r, groupAt, &date) {
			p.log.Skipped++
			continue
		}
		p.accept(&r, line)
	}
}

// row reads one line into r and reports whether it holds a sample.
func (p *parser) row(raw []byte, line int, r *row, groupAt []int, date *[]byte) bool {
	col, start := 0, 0
	*date = nil
	var clock []byte
	for ; start <= len(raw) && col < len(p.columns); col++ {
		end := start
		for end < len(raw) && raw[end] != p.sep {
			end++
		}
		f := trim(raw[start:end])
		start = end + 1
		c := &p.columns[col]
		switch c.kind {
		case kIgnore:
			continue
		case kDate:
			*date = f
			continue
		case kTime:
			clock = f
			continue
		case kStep:
			r.step = stepWord(f)
			continue
		}
		v, ok := number(f, p.commaDecimal)
		if !ok {
			p.problem(line, "column %s holds %q: expected a number", c.name, printable(f))
			return false
		}
		v *= c.scale
		switch c.kind {
		case kVolts:
			r.v = v
		case kAmps:
			r.a = v
		case kTemp:
			r.temp = v
		case kAh:
			r.ah = v
		case kGroup:
			r.groups[groupAt[col]] = v
		}
	}
	if col < len(p.columns) {
		p.problem(line, "%d columns: expected %d", col, len(p.columns))
		return false
	}
	if start <= len(raw) && len(bytes.Trim(raw[start:], " ,;\t")) > 0 {
		// Never guess which of the columns is one too many: a decimal comma between commas would
		// turn 3,845 into 3 and 845.
		p.problem(line, "more than %d columns: expected as many as the header has. If the file has decimal commas, its columns must be separated by semicolons", len(p.columns))
		return false
	}
	scale := 1.0
	for i := range p.columns {
		if p.columns[i].kind == kTime {
			scale = p.columns[i].scale
			break
		}
	}
	t, ok := p.stamp.read(*date, clock, scale, p.commaDecimal)
	if !ok {
		p.problem(line, "time %q: expected a number, a clock time or a date with time", printable(clock))
		return false
	}
	r.t = t
	return true
}

// accept stores r unless time stands still or runs backwards.
func (p *parser) accept(r *row, line int) {
	if !p.started {
		p.first, p.last, p.started = r.t, r.t-1, true
		p.log.Start = p.stamp.start
	}
	switch {
	case r.t < p.last:
		p.problem(line, "time runs backwards by %.3g s: the line is left out", p.last-r.t)
		p.log.Skipped++
		return
	case r.t == p.last:
		p.problem(line, "the time stamp is repeated: the line is left out")
		p.log.Skipped++
		return
	}
	p.last = r.t
	l := p.log
	l.Seconds = append(l.Seconds, r.t-p.first)
	if len(p.order) > 0 && !has(p.columns, kVolts) {
		r.v = 0
		for _, g := range r.groups {
			r.v += g
		}
	}
	l.Volts = append(l.Volts, r.v)
	l.Amps = append(l.Amps, r.a)
	l.Line = append(l.Line, int32(line))
	if l.TempC != nil {
		l.TempC = append(l.TempC, r.temp)
	}
	if l.LoggerAh != nil {
		l.LoggerAh = append(l.LoggerAh, r.ah)
	}
	if l.Step != nil {
		l.Step = append(l.Step, r.step)
	}
	for i, g := range r.groups {
		l.Groups[i] = append(l.Groups[i], g)
	}
}

func trim(f []byte) []byte {
	for len(f) > 0 && (f[0] == ' ' || f[0] == '"' || f[0] == '\t') {
		f = f[1:]
	}
	for len(f) > 0 && (f[len(f)-1] == ' ' || f[len(f)-1] == '"' || f[len(f)-1] == '\t') {
		f = f[:len(f)-1]
	}
	return f
}

// stepWord reads a step or state column: +1 charge, −1 discharge, 0 rest or anything else.
func stepWord(f []byte) int8 {
	s := strings.ToLower(string(f))
	switch {
	case strings.Contains(s, "dis") || s == "d" || s == "dchg" || s == "dch":
		return -1
	case strings.Contains(s, "chg") || strings.Contains(s, "charge") || strings.HasPrefix(s, "ch") || s == "c" || s == "cc" || s == "cv" || s == "cccv":
		return 1
	}
	return 0
}

var pow10 = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// number reads a decimal number. Up to 15 digits are exact in a float64 and are read without
// allocation; anything else goes through strconv. NaN, infinities and over-range marks fail.
func number(f []byte, comma bool) (float64, bool) {
	neg, i := false, 0
	if i < len(f) && (f[i] == '-' || f[i] == '+') {
		neg = f[i] == '-'
		i++
	}
	var mant uint64
	digits, frac, point := 0, 0, false
	for ; i < len(f); i++ {
		c := f[i]
		switch {
		case c >= '0' && c <= '9':
			mant = mant*10 + uint64(c-'0')
			digits++
			if point {
				frac++
			}
		case !point && (c == '.' || comma && c == ','):
			point = true
		default:
			return slowNumber(f, comma)
		}
		if digits > 15 {
			return slowNumber(f, comma)
		}
	}
	if digits == 0 {
		return 0, false
	}
	v := float64(mant) / pow10[frac]
	if neg {
		v = -v
	}
	return v, true
}

func slowNumber(f []byte, comma bool) (float64, bool) {
	s := string(f)
	if comma {
		s = strings.Replace(s, ",", ".", 1)
	}
	s = strings.ReplaceAll(s, "−", "-")
	v, err := strconv.ParseFloat(s, 64)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0) && !strings.ContainsAny(s, "xX_pP")
}
