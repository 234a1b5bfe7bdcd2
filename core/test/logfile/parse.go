package logfile

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"pandrel/core/base/numeral"
	"pandrel/core/module/stamp"
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
	// Numbers are those of Groups in their names, only where they are not 1, 2, 3 …: a group is missing.
	Numbers []int `json:"group_numbers,omitempty"`
}

// Problem is a line of the file that was not used, or was used with a remark.
type Problem struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// Log is a time series in SI units, columns side by side. Seconds start at 0. Amps are positive
// while charging once Analyse has settled the sign; Parse leaves them as written. TempC, LoggerAh
// and Groups are empty where the file has none; single values that are missing there are NaN. Step is +1,
// −1 or 0 for charge, discharge and rest where the file says so, StepOther where it says something else.
// Parts holds the samples at which a new part of the log begins, after the counter of time started again.
type Log struct {
	Columns  Columns
	Seconds  []float64
	Volts    []float64
	Amps     []float64
	TempC    []float32 // half as wide as the others: no thermometer at a module knows more
	LoggerAh []float64
	Groups   [][]float64 // [group][sample]
	Step     []int8
	lines    []lineRun
	mirror   int // of a log with its newest line first: the sum of a line's number as read and as it stands
	Start    time.Time
	Problems []Problem
	Skipped  int     // lines that were not used
	lost     []int32 // the first of those lines as read, as many as are kept
	Parts    []int
	Table    Table
	Clocked  bool // times of day, which a clock change turns
}

// lineRun says that from a sample on, samples stand in one line after another.
type lineRun struct{ sample, line int32 }

// LineOf returns the line of the file, from 1, in which a sample stands.
func (l *Log) LineOf(sample int) int { return l.stands(l.read(sample)) }

// stands is where a line stands in the file by its number as read.
func (l *Log) stands(line int) int {
	if l.mirror > 0 && line > 0 {
		return l.mirror - line
	}
	return line
}

// LostBetween counts the lines without a sample that stand between two samples.
func (l *Log) LostBetween(first, last int) int {
	if len(l.lost) == 0 {
		return 0
	}
	low, _ := slices.BinarySearch(l.lost, int32(l.read(first)))
	high, _ := slices.BinarySearch(l.lost, int32(l.read(last)))
	return high - low
}

// FirstLost is the line of the file that was left out first, 0 for none.
func (l *Log) FirstLost() int {
	if len(l.lost) == 0 {
		return 0
	}
	return l.stands(int(l.lost[0]))
}

// read is the number of a sample's line in the order in which it was read.
func (l *Log) read(sample int) int {
	k, found := slices.BinarySearchFunc(l.lines, int32(sample), func(r lineRun, s int32) int {
		return int(r.sample) - int(s)
	})
	if !found {
		k--
	}
	return int(l.lines[k].line) + sample - int(l.lines[k].sample)
}

// in notes that the next sample stands in a line.
func (l *Log) in(sample, line int32) {
	if n := len(l.lines); n == 0 || l.lines[n-1].line-l.lines[n-1].sample != line-sample {
		l.lines = append(l.lines, lineRun{sample, line})
	}
}

// Table is how a file was read, to be looked at and put right before anything is kept.
type Table struct {
	Separator    string
	DecimalComma bool
	NewestFirst  bool     // turned round before it was read
	DateOrder    string   // of dates that could be read in more than one order, else empty
	DatesUnsure  bool     // more than one order is left
	TimeUnit     string   // of a counter, how it was found included
	Kinds        []string // of each column
	Names        []string
	Units        []string
	Rows         [][]string // the first lines as the file has them
	Shifts       []Shift
}

// Shift is a place where time went back: a clock change of Seconds, or a new part with 0.
type Shift struct {
	Line    int
	Seconds float64
}

// StepOther marks a step column that says neither charge nor discharge nor rest.
const StepOther int8 = 2

// maxProblems bounds what is listed; all are counted in Skipped.
const maxProblems = 50

// keptLost bounds how many lines that were not used are remembered by number.
const keptLost = 10000

// sampleRows is how many data lines decide what a column holds.
const sampleRows = 400

// Parse reads a log. Separator, decimal mark, header line, units and time format are found from the file itself. It
// returns a *ParseError for an empty or binary file, for a file without a column of time and one of volts, and when no
// line holds a sample. Single bad lines are listed in Log.Problems and left out. Cost is linear; numbers of the usual
// form are read without allocation.
func Parse(data []byte) (*Log, error) { return ParseWith(data, ParseOptions{}) }

// ParseWith is Parse with columns and date order as a person says.
func ParseWith(data []byte, opt ParseOptions) (*Log, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, &ParseError{Text: "the file is empty: expected a log with a header line and a line for each sample"}
	}
	if head := data[:min(len(data), 4096)]; bytes.IndexByte(head, 0) >= 0 {
		return nil, &ParseError{Text: "the file is binary: expected text with columns separated by comma, " +
			"semicolon or tab"}
	}
	if bytes.IndexByte(data, '\n') < 0 && bytes.IndexByte(data, '\r') >= 0 { // lines of an old kind
		data = bytes.ReplaceAll(data, []byte("\r"), []byte("\n"))
	}
	estimate, err := bounded(data)
	if err != nil {
		return nil, err
	}
	data = unquoted(data)
	switch opt.DateOrder {
	case "", stamp.DayFirst, stamp.MonthFirst, stamp.YearFirst:
	default:
		return nil, &ParseError{Text: fmt.Sprintf("date order %q: expected dmy, mdy or ymd", opt.DateOrder)}
	}
	h, err := findHeader(data, opt)
	if err != nil {
		return nil, err
	}
	if err := h.fits(estimate); err != nil {
		return nil, err
	}
	p := &parser{header: h, log: &Log{Columns: h.names()}}
	p.commaDecimal = h.decimalComma(data)
	behind := p.oldestFirst(data[h.end:])
	p.thousands(behind)
	if err := p.times(behind, opt); err != nil {
		return nil, err
	}
	p.describe(behind)
	p.reserve(estimate)
	p.rows(behind, h.line, opt)
	p.flush()
	if len(p.log.Seconds) == 0 {
		text := "no line holds a sample: expected numbers under " + h.text
		if len(p.log.Problems) > 0 {
			text += "; line " + strconv.Itoa(p.log.Problems[0].Line) + ": " + p.log.Problems[0].Text
		}
		return nil, &ParseError{Text: text}
	}
	p.spread()
	p.dropEmpty()
	return p.log, nil
}

type header struct {
	sep     byte
	columns []column
	line    int // number of the last line of the header
	end     int // offset of the first byte behind it
	raw     []byte
	text    string
	units   []byte // the line of units below it, nil where there is none
}

// findHeader looks through the first lines for one that names a time and a voltage, and has a sample below it.
func findHeader(data []byte, opt ParseOptions) (header, error) {
	off, line := 0, 0
	var fallback *header
	for off < len(data) && line < 200 {
		end := bytes.IndexByte(data[off:], '\n')
		next := off + end + 1
		if end < 0 {
			end, next = len(data)-off, len(data)
		}
		raw := bytes.TrimRight(data[off:off+end], "\r")
		line++
		for _, sep := range []byte{';', '\t', ',', '|'} {
			if bytes.IndexByte(raw, sep) < 0 || bytes.Count(raw, []byte{sep}) >= maxColumns {
				continue
			}
			h := header{sep: sep, columns: recognise(raw, sep), line: line, end: next, raw: raw, text: printable(raw)}
			if len(opt.Columns) > 0 {
				if err := assign(h.columns, opt); err != nil {
					if fallback == nil {
						continue
					}
				}
			}
			if !has(h.columns, KTime) && !has(h.columns, kDate) || !has(h.columns, kVolts) && !has(h.columns, kGroup) {
				continue
			}
			h.below(data)
			rows := h.sample(data[h.end:])
			choose(h.columns, rows, h.decimalComma(data))
			if !has(h.columns, KTime) {
				continue
			}
			if len(rows) > 0 && h.holds(rows) {
				return h, nil
			}
			if fallback == nil {
				fallback = &h
			}
		}
		off = next
	}
	if fallback != nil {
		return *fallback, nil
	}
	first, _, _ := bytes.Cut(data, []byte("\n"))
	return header{}, &ParseError{Line: 1, Err: ErrNoColumns,
		Text: fmt.Sprintf("no header with a time and a voltage column found; the file begins %q. Expected columns "+
			"such as time_s, volts, amps", printable(bytes.TrimSpace(first)))}
}

// below takes a line of units under the header into it.
func (h *header) below(data []byte) {
	rest := data[h.end:]
	end := bytes.IndexByte(rest, '\n')
	if end < 0 {
		return
	}
	raw := bytes.TrimRight(rest[:end], "\r")
	if unitsLine(raw, h.sep, h.columns) {
		h.units = raw
		h.end += end + 1
		h.line++
	}
}

// sample splits some of the first data lines into fields.
func (h *header) sample(behind []byte) [][][]byte {
	var out [][][]byte
	for line := range bytes.Lines(behind[:min(len(behind), 1<<20)]) {
		line = bytes.TrimRight(line, "\r\n")
		if len(line) == 0 || bytes.Equal(line, h.raw) {
			continue
		}
		out = append(out, splitLine(line, h.sep))
		if len(out) == sampleRows {
			break
		}
	}
	return out
}

// holds reports whether one of the first lines has a number where the header says volts.
func (h *header) holds(rows [][][]byte) bool {
	for _, r := range rows[:min(len(rows), 20)] {
		for i, c := range h.columns {
			if (c.kind == kVolts || c.kind == kGroup) && i < len(r) {
				if _, ok := c.cell(trim(r[i]), h.sep != ','); ok {
					return true
				}
			}
		}
	}
	return false
}

func printable(b []byte) string {
	s := strings.ToValidUTF8(string(b), "?")
	if utf8.RuneCountInString(s) > 80 {
		s = string([]rune(s)[:80]) + "…"
	}
	return s
}

func has(cols []column, k Kind) bool {
	return slices.ContainsFunc(cols, func(c column) bool { return c.kind == k })
}

func (h header) names() Columns {
	c := Columns{Groups: []string{}}
	for i := range h.columns {
		col := &h.columns[i]
		switch col.kind {
		case KTime:
			c.Time = col.name
		case kVolts:
			c.Volts = col.name
		case KAmps:
			c.Amps = col.name
		case kAmpsIn, kAmpsOut:
			if c.Amps += ", " + col.name; strings.HasPrefix(c.Amps, ", ") {
				c.Amps = col.name
			}
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
		c.Numbers = append(c.Numbers, h.columns[g].group)
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

// decimalComma decides from the first data lines. With comma as separator it is never the decimal mark.
func (h header) decimalComma(data []byte) bool {
	if h.sep == ',' {
		return false
	}
	sample := data[h.end:min(len(data), h.end+20000)]
	commas, dots := 0, 0
	for line := range bytes.Lines(sample) {
		for i, f := range bytes.Split(line, []byte{h.sep}) {
			if i >= len(h.columns) || h.columns[i].kind == kIgnore || h.columns[i].kind == KTime ||
				h.columns[i].kind == kDate {
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
	stamp        stamp.Reader
	last         float64
	shift        float64 // added to stamps after time went back
	started      bool
	first        float64
	step         float64 // the last interval between samples
	pending      *row    // a line whose time went back, until the next one tells what that means
	pendingLine  int
	equal        int // lines with the stamp of the one before
	volts, amps  bool
	dotted       bool // a column parts its thousands by points
	both         bool // charging and discharging stand in two columns
	line         int  // lines of the file before the chunk at hand
	dateAt       int  // the column of a date beside a time, −1 for none
	clocks       bool // the first stamps are times of day or dates
	clockSeen    bool
	lastOfDay    float64 // the last time of day, and
	dayShift     float64 // the days that clocks alone have passed, s
}

// times finds the unit of a counter of time and the order of dates, over the whole log where dates could
// be read in more than one.
//
// In one piece: the ways to write a time are tried in turn, each on what the one before could not read.
func (p *parser) times(data []byte, opt ParseOptions) error {
	at, date := p.stampColumns()
	for _, c := range p.columns {
		switch c.kind {
		case kVolts:
			p.volts = true
		case KAmps:
			p.amps = true
		case kAmpsIn, kAmpsOut: // one of them alone may be said: nothing flows the other way then
			p.amps, p.both = true, true
		}
	}
	p.dateAt = date
	c := &p.columns[at]
	p.stamp.Scale = c.scale
	p.stamp.Order = opt.DateOrder
	unit := c.unit
	if !c.told {
		unit = "s, as nothing else is said"
	}
	rows := p.sample(data)
	var values []float64
	ambiguous := false
	for _, r := range rows {
		if at >= len(r) {
			continue
		}
		f := trim(r[at])
		if v, ok := c.cell(f, p.commaDecimal); ok && date < 0 {
			p.clocks = p.clocks || c.dots
			values = append(values, v)
			continue
		}
		p.clocks = true
		if date >= 0 && date < len(r) {
			f = trim(r[date])
		} else if f, _ = stamp.Split(f); len(f) == 0 {
			continue
		}
		ambiguous = ambiguous || len(f) > 0
	}
	if !c.told && len(values) > 0 {
		low, high := slices.Min(values), slices.Max(values)
		whole := true
		for _, v := range values {
			whole = whole && v == math.Trunc(v)
		}
		switch {
		case low > 20000 && high < 80000 && !whole && high-low < 62:
			p.stamp.Scale, unit = 86400, "days of a spreadsheet, found from the numbers"
		case low > 6e8 && high < 5e9:
			unit = "s since 1970"
		case low > 6e11 && high < 5e12:
			p.stamp.Scale, unit = 1e-3, "ms since 1970"
		}
	}
	p.log.Table.TimeUnit = unit
	if !ambiguous || opt.DateOrder != "" {
		return nil
	}
	dates := p.dates(data, at, date)
	if len(dates) == 0 {
		return nil
	}
	order, sure := stamp.OrderOf(dates)
	p.stamp.Order = order
	p.log.Table.DateOrder, p.log.Table.DatesUnsure = order, !sure
	return nil
}

// maxDates bounds how many different dates are looked at.
const maxDates = 5000

// Of a log from hopFrom bytes on, the dates of a line in every hopBytes are looked at: a log of that size that
// has a day in less than a kilobyte would be years long.
const (
	hopFrom  = 4 << 20
	hopBytes = 1 << 10
)

// dates lists the different dates of a log in the order of its lines.
func (p *parser) dates(data []byte, at, date int) [][]byte {
	want := at
	if date >= 0 {
		want = date
	}
	var out [][]byte
	hops := len(data) > hopFrom
	for len(data) > 0 && len(out) < maxDates {
		if hops && len(data) > 2*hopBytes && len(out) > 0 {
			if k := bytes.IndexByte(data[hopBytes:], '\n'); k >= 0 {
				data = data[hopBytes+k+1:]
			}
		}
		end := bytes.IndexByte(data, '\n')
		raw := data
		if end >= 0 {
			raw, data = data[:end], data[end+1:]
		} else {
			data = nil
		}
		f := p.fieldAt(raw, want)
		if len(out) > 0 {
			// The date of the line before with a blank or a T behind it is that date: nothing to part.
			last := out[len(out)-1]
			if bytes.HasPrefix(f, last) && (len(f) == len(last) || f[len(last)] == ' ' || f[len(last)] == 'T') {
				continue
			}
		}
		if date < 0 {
			f, _ = stamp.Split(f)
		}
		if len(f) == 0 || len(out) > 0 && bytes.Equal(out[len(out)-1], f) {
			continue
		}
		if dated(f) {
			out = append(out, f)
		}
	}
	return out
}

// dated reports whether a field is a date in any order of its parts.
func dated(f []byte) bool {
	_, a := stamp.ParseDate(f, stamp.DayFirst)
	_, b := stamp.ParseDate(f, stamp.MonthFirst)
	_, c := stamp.ParseDate(f, stamp.YearFirst)
	return a || b || c
}

// fieldAt is the field of a line at a place from 0, empty where the line ends before.
func (p *parser) fieldAt(raw []byte, at int) []byte {
	for range at {
		k := bytes.IndexByte(raw, p.sep)
		if k < 0 {
			return nil
		}
		raw = raw[k+1:]
	}
	if k := bytes.IndexByte(raw, p.sep); k >= 0 {
		raw = raw[:k]
	}
	return trim(bytes.TrimRight(raw, "\r"))
}

// describe keeps how the file is read, for a person to look at.
func (p *parser) describe(data []byte) {
	t := &p.log.Table
	t.Separator, t.DecimalComma = map[byte]string{',': "comma", ';': "semicolon", '\t': "tab", '|': "bar"}[p.sep],
		p.commaDecimal
	for _, c := range p.columns {
		k := KindNames[c.kind]
		if c.kind == kGroup {
			k = fmt.Sprintf("group %d", c.group)
		}
		t.Kinds, t.Names, t.Units = append(t.Kinds, k), append(t.Names, c.name), append(t.Units, c.unit)
	}
	for _, r := range p.sample(data) {
		var row []string
		for _, f := range r {
			row = append(row, printable(trim(f)))
		}
		if t.Rows = append(t.Rows, row); len(t.Rows) == 6 {
			break
		}
	}
}

// Peek returns the first lines of a log and what its first line's names would be taken for, for a file that
// Parse cannot read until a person says what its columns hold. It fails for an empty or binary file.
func Peek(data []byte) (Table, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if len(bytes.TrimSpace(data)) == 0 || bytes.IndexByte(data[:min(len(data), 4096)], 0) >= 0 {
		return Table{}, &ParseError{Text: "expected a file of text with columns"}
	}
	var lines [][]byte
	for line := range bytes.Lines(data[:min(len(data), 1<<16)]) {
		if line = bytes.TrimRight(line, "\r\n"); len(bytes.TrimSpace(line)) > 0 && len(line) <= maxLine {
			lines = append(lines, line)
		}
		if len(lines) == 40 {
			break
		}
	}
	if len(lines) == 0 {
		return Table{}, &ParseError{Text: "expected a file of text with columns"}
	}
	sep, first, most := byte(','), 0, 1
	for _, s := range []byte{';', '\t', ',', '|'} {
		for i, l := range lines {
			if n := bytes.Count(l, []byte{s}) + 1; n > most && n <= maxColumns {
				sep, first, most = s, i, n
			}
		}
	}
	p := parser{header: header{sep: sep, columns: recognise(lines[first], sep), raw: lines[first]}, log: &Log{}}
	p.describe(bytes.Join(lines[first+1:], []byte("\n")))
	return p.log.Table, nil
}

func (p *parser) reserve(n int) {
	l := p.log
	l.Seconds, l.Volts, l.Amps = make([]float64, 0, n), make([]float64, 0, n), make([]float64, 0, n)
	p.order = p.groupOrder()
	for range p.order {
		l.Groups = append(l.Groups, make([]float64, 0, n))
	}
	if has(p.columns, kTemp) {
		l.TempC = make([]float32, 0, n)
	}
	if has(p.columns, kAh) {
		l.LoggerAh = make([]float64, 0, n)
	}
	if has(p.columns, kStep) {
		l.Step = make([]int8, 0, n)
	}
}

func (p *parser) problem(line int, format string, args ...any) {
	line = p.log.stands(line)
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

func (p *parser) lost(line int) {
	p.log.Skipped++
	if len(p.log.lost) < keptLost {
		p.log.lost = append(p.log.lost, int32(line))
	}
}

// accept stores r. Where time runs back the line is held until the next one: if that goes on from before,
// the held line is out of order; if not, the clock was changed, or the counter started again.
func (p *parser) accept(r *row, line int) {
	t := r.t + p.shift
	if p.pending != nil {
		held := *p.pending
		if t >= p.last {
			p.pending = nil
			p.problem(p.pendingLine, "time runs back by %s s in this line alone: it is out of order and left out",
				numeral.Text(p.last-held.t-p.shift))
			p.lost(p.pendingLine)
		} else {
			p.turn()
			t = r.t + p.shift
		}
	}
	if t < p.last-1e-9 {
		held := *r
		held.groups = slices.Clone(r.groups)
		p.pending, p.pendingLine = &held, line
		return
	}
	p.store(r, t, line)
}

// turn accepts that time went back at the pending line.
func (p *parser) turn() {
	held := p.pending
	p.pending = nil
	back := p.last - held.t - p.shift
	if p.log.Clocked {
		// The sample was due an interval after the last one.
		due := back + p.step
		halves := math.Round(due / 1800)
		if halves > 0 && halves <= 4 && math.Abs(due-halves*1800) <= max(5, 2*p.step) {
			p.shift += halves * 1800
			p.log.Table.Shifts = append(p.log.Table.Shifts, Shift{p.log.stands(p.pendingLine), halves * 1800})
			p.problem(p.pendingLine, "the clock was set back by %g h: time goes on", halves/2)
			p.store(held, max(held.t+p.shift, p.last), p.pendingLine)
			return
		}
	}
	p.shift = p.last + max(p.step, 1e-3) - held.t
	p.log.Table.Shifts = append(p.log.Table.Shifts, Shift{p.log.stands(p.pendingLine), 0})
	p.problem(p.pendingLine, "time starts again, %s s back: a new part of the log. How long it was off is not known",
		numeral.Text(back))
	p.log.Parts = append(p.log.Parts, len(p.log.Seconds))
	p.store(held, held.t+p.shift, p.pendingLine)
}

// flush settles a line that is still held at the end of the file.
func (p *parser) flush() {
	if p.pending != nil {
		p.problem(p.pendingLine, "time runs back in the last line: it is left out")
		p.lost(p.pendingLine)
		p.pending = nil
	}
}

// Nudge keeps samples of one stamp apart: a logger writes the end of one step and the start of the next
// at the same time.
const Nudge = 1e-5

// store appends a sample at time t.
func (p *parser) store(r *row, t float64, line int) {
	l := p.log
	at := t - p.first
	if n := len(l.Seconds); n > 0 {
		if at <= l.Seconds[n-1] {
			at = max(l.Seconds[n-1]+Nudge, math.Nextafter(l.Seconds[n-1], math.Inf(1)))
			p.equal++
		} else if d := t - p.last; d > 0 {
			p.step = d
		}
	}
	p.last = max(t, p.last)
	if len(l.Seconds) == 0 {
		p.last = t
	}
	l.Seconds = append(l.Seconds, at)
	l.Volts = append(l.Volts, r.v)
	l.Amps = append(l.Amps, r.a)
	l.in(int32(len(l.Seconds)-1), int32(line))
	if l.TempC != nil {
		l.TempC = append(l.TempC, float32(r.temp))
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

// spread puts samples apart evenly that share a stamp because the logger writes no finer ones.
func (p *parser) spread() {
	l := p.log
	n := len(l.Seconds)
	if p.equal*4 < n || n < 8 {
		return
	}
	t := l.Seconds
	for i := 0; i < n; {
		k := i + 1
		for k < n && t[k]-t[k-1] < 2*Nudge {
			k++
		}
		width := 0.0
		if k < n {
			width = t[k] - t[i]
		} else if i > 0 {
			width = t[i] - t[i-1]
			width *= float64(k - i)
		}
		if step := width / float64(k-i); step > 2*Nudge && width < 3600 {
			for m := i + 1; m < k; m++ {
				t[m] = t[i] + float64(m-i)*step
			}
		}
		i = k
	}
	p.problem(0, "several lines share a time stamp: they are spread evenly over the time until the next")
}

// dropEmpty takes out columns that hold nothing.
func (p *parser) dropEmpty() {
	l := p.log
	none := func(v []float64) bool {
		return !slices.ContainsFunc(v, func(x float64) bool { return !math.IsNaN(x) })
	}
	if !slices.ContainsFunc(l.TempC, func(x float32) bool { return x == x }) {
		l.TempC, l.Columns.Temp = nil, nil
	}
	if none(l.LoggerAh) {
		l.LoggerAh, l.Columns.Ah = nil, nil
	}
	var groups [][]float64
	var names []string
	var numbers []int
	plain := true
	for i, g := range l.Groups {
		if !none(g) {
			groups, names = append(groups, g), append(names, l.Columns.Groups[i])
			numbers = append(numbers, l.Columns.Numbers[i])
			plain = plain && l.Columns.Numbers[i] == len(numbers)
		}
	}
	if l.Columns.Numbers = numbers; plain {
		l.Columns.Numbers = nil
	}
	l.Groups = groups
	if names != nil || len(l.Columns.Groups) > 0 {
		l.Columns.Groups = names
	}
	if l.Columns.Groups == nil {
		l.Columns.Groups = []string{}
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

var stepLetters = strings.NewReplacer(" ", "", "-", "", "_", "", ".", "", "/", "", "\"", "")

// stepWord reads a step or state column: +1 charge, −1 discharge, 0 rest, StepOther for anything else,
// such as a number of the step or a bare CC, which is either.
func stepWord(f []byte) int8 {
	if len(f) == 0 {
		return StepOther
	}
	s := stepLetters.Replace(strings.ToLower(string(f)))
	has := func(list ...string) bool {
		return slices.ContainsFunc(list, func(w string) bool { return strings.Contains(s, w) })
	}
	switch {
	case has("dis", "dchg", "dsch", "dchrg", "dch", "entlad") || s == "d" || s == "dc":
		return -1
	case has("chg", "charge", "chrg", "cccv", "lad") || strings.HasPrefix(s, "ch") || s == "c" || s == "cv":
		return 1
	case has("rest", "pause", "idle", "ocv", "wait", "relax", "ruhe", "off", "stop", "standby") || s == "r":
		return 0
	}
	return StepOther
}
