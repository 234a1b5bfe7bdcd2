package logfile

import (
	"bytes"
	"fmt"
	"math"
	"time"

	"pandrel/core/base/numeral"
	"pandrel/core/module/stamp"
)

// chunkBytes is how much of a file is read in one piece. Pieces are read beside each other and put together in
// the order of the file, so that a log reads the same on one core and on many.
const chunkBytes = 256 << 10

// chunk is a piece of a file of whole lines: its samples column by column, and the lines that hold none. Stamps
// are as written; what they mean beside those of the piece before is settled when it is put behind it.
type chunk struct {
	data   []byte
	last   bool // of the file
	lines  int
	n      int // samples
	t      []float64
	way    []stamp.Way
	v, a   []float64
	temp   []float64
	ah     []float64
	step   []int8
	in     []float64 // of a current in two columns
	out    []float64
	groups [][]float64
	line   []int32 // within the chunk, from 1
	ways   stamp.Way
	bad    []badLine

	stamp stamp.Reader
	words stepCache
	into  [][]float64 // where each column goes, nil for none
	plan  []planned   // what plainLines does with each column
}

// badLine is a line without a sample. before is how many samples of the chunk stand above it.
type badLine struct {
	before int
	line   int32
	text   string
}

// size makes room for n lines.
func (c *chunk) size(p *parser, n int) {
	grow := func(v *[]float64) {
		if cap(*v) < n {
			*v = make([]float64, n)
		}
		*v = (*v)[:n]
	}
	grow(&c.t)
	grow(&c.v)
	grow(&c.a)
	if len(c.groups) != len(p.order) {
		c.groups = make([][]float64, len(p.order))
	}
	for i := range c.groups {
		grow(&c.groups[i])
	}
	if p.both {
		grow(&c.in)
		grow(&c.out)
	}
	if p.log.TempC != nil {
		grow(&c.temp)
	}
	if p.log.LoggerAh != nil {
		grow(&c.ah)
	}
	if cap(c.line) < n {
		c.line, c.way, c.step = make([]int32, n), make([]stamp.Way, n), make([]int8, n)
	}
	c.line, c.way, c.step = c.line[:n], c.way[:n], c.step[:n]
	if c.into == nil {
		c.into, c.plan = make([][]float64, len(p.columns)), make([]planned, len(p.columns))
	}
	c.lead(p)
}

// lead says where the fields of each column go.
func (c *chunk) lead(p *parser) {
	for i, col := range p.columns {
		switch col.kind {
		case KTime:
			c.into[i] = c.t
		case kVolts:
			c.into[i] = c.v
		case KAmps:
			c.into[i] = c.a
		case kAmpsIn:
			c.into[i] = c.in
		case kAmpsOut:
			c.into[i] = c.out
		case kTemp:
			c.into[i] = c.temp
		case kAh:
			c.into[i] = c.ah
		}
	}
	for g, i := range p.order {
		c.into[i] = c.groups[g]
	}
	for i, col := range p.columns {
		f := &c.plan[i]
		f.out, f.kind, f.scale, f.zero, f.ends = c.into[i], col.kind, col.scale, col.zero, p.sep
		f.number = f.out != nil && (col.kind != KTime || p.dateAt < 0 && !p.clocks)
		if col.kind == KTime {
			f.scale, f.zero = c.stamp.Scale, 0
		}
	}
	if last := &c.plan[len(c.plan)-1]; bytes.IndexByte(c.data, '\n') > 0 {
		if last.ends = '\n'; c.data[bytes.IndexByte(c.data, '\n')-1] == '\r' {
			last.ends = '\r'
		}
	} else {
		last.ends = '\n'
	}
}

// read reads the lines of a chunk.
func (c *chunk) read(p *parser) {
	c.n, c.lines, c.ways, c.bad = 0, 0, 0, c.bad[:0]
	data := c.data
	c.size(p, bytes.Count(data, []byte("\n"))+1)
	if !p.amps {
		clear(c.a)
	}
	for {
		if !p.dotted {
			data = data[c.plainLines(p, data):]
		}
		if len(data) == 0 {
			break
		}
		end := bytes.IndexByte(data, '\n')
		raw := data
		if end >= 0 {
			raw, data = data[:end], data[end+1:]
		} else {
			data = nil
		}
		c.lines++
		if n := len(raw); n > 0 && raw[n-1] == '\r' {
			raw = raw[:n-1]
		}
		if len(raw) == 0 || len(raw) == len(p.raw) && bytes.Equal(raw, p.raw) ||
			p.units != nil && bytes.Equal(raw, p.units) {
			continue // empty, or the header again
		}
		if text := c.row(p, raw); text != "" {
			if c.last && end < 0 {
				text = "the file ends in the middle of this line: " + text
			}
			c.bad = append(c.bad, badLine{c.n, int32(c.lines), text})
			continue
		}
		c.line[c.n] = int32(c.lines)
		c.n++
	}
}

// row reads one line as the next sample, or says why it holds none. A value that the result does not need may be
// missing in any line.
//
// In one piece: the loop over every line of a log of millions: calls inside it cost more than they tell.
func (c *chunk) row(p *parser, raw []byte) string {
	n := c.n
	start := 0
	var date, clock []byte
	var t float64
	counts := false
	col := 0
	for ; start <= len(raw) && col < len(p.columns); col++ {
		k := p.columns[col].kind
		switch k {
		case kVolts, KAmps, kGroup, kTemp, kAh, kAmpsIn, kAmpsOut:
			v, end, ok := scanNumber(raw, start, p.sep, p.commaDecimal)
			if !ok || p.columns[col].dots {
				end = fieldEnd(raw, start, p.sep)
				f := trim(raw[start:end])
				if v, ok = p.columns[col].cell(f, p.commaDecimal); !ok {
					if k == kVolts || k == KAmps || k == kGroup && !p.volts {
						return c.say("column %s holds %q: expected a number", p.columns[col].name, printable(f))
					}
					v = math.NaN()
				}
			}
			x := &p.columns[col]
			c.into[col][n] = v*x.scale + x.zero
			start = end + 1
			continue
		case KTime:
			if v, end, ok := scanNumber(raw, start, p.sep, p.commaDecimal); ok && p.dateAt < 0 && !c.stamp.Dots {
				t, counts, clock = v, true, raw[start:end]
				start = end + 1
				continue
			}
		}
		end := fieldEnd(raw, start, p.sep)
		f := raw[start:end]
		start = end + 1
		switch k {
		case kDate:
			date = trim(f)
		case KTime:
			clock = trim(f)
		case kStep:
			c.step[n] = c.words.read(trim(f))
		}
	}
	for ; col < len(p.columns); col++ {
		switch k := p.columns[col].kind; k {
		case kIgnore, kStep:
			c.step[n] = 0
		case kTemp, kAh, kAmpsIn, kAmpsOut:
			c.into[col][n] = math.NaN()
		default: // the line is shorter than what is needed
			return c.say("%s: expected %d", numeral.Count(bytes.Count(raw, []byte{p.sep})+1, "column"), len(p.columns))
		}
	}
	if start <= len(raw) && len(bytes.Trim(raw[start:], " ,;\t")) > 0 {
		// Never guess which of the columns is one too many: a decimal comma between commas would
		// turn 3,845 into 3 and 845.
		return c.say("more than %s: expected as many as the header has. If the file has decimal commas, "+
			"its columns must be separated by semicolons", numeral.Count(len(p.columns), "column"))
	}
	way, ok := stamp.Counted, true
	if counts {
		t *= c.stamp.Scale
	} else if t, way, ok = c.stamp.Read(date, clock, p.commaDecimal); !ok {
		return c.say("time %q: expected a number, a clock time or a date with time", printable(clock))
	}
	if p.both && math.IsNaN(c.in[n]) && math.IsNaN(c.out[n]) {
		return c.say("neither of the columns of current holds a number")
	}
	c.keep(p, t, way)
	return ""
}

// keep finishes sample n, whose columns are in place.
func (c *chunk) keep(p *parser, t float64, way stamp.Way) {
	n := c.n
	c.t[n], c.way[n] = t, way
	c.ways |= way
	if p.both {
		c.a[n] = magnitude(c.in[n]) - magnitude(c.out[n])
	}
	if !p.volts {
		sum := 0.0
		for _, g := range c.groups {
			sum += g[n]
		}
		c.v[n] = sum
	}
}

// magnitude is the size of a current in a column of its own; where nothing stands in it, none flows that way.
func magnitude(x float64) float64 {
	if math.IsNaN(x) {
		return 0
	}
	return math.Abs(x)
}

// say words why a line holds no sample, for the first of a chunk; the others are only counted.
func (c *chunk) say(format string, args ...any) string {
	if len(c.bad) >= maxProblems {
		return "not a sample"
	}
	return fmt.Sprintf(format, args...)
}

func fieldEnd(raw []byte, start int, sep byte) int {
	if k := bytes.IndexByte(raw[start:], sep); k >= 0 {
		return start + k
	}
	return len(raw)
}

// stepCache remembers what the last words of a step column mean: a log has a handful of them, a million times.
type stepCache struct {
	word [8][]byte
	step [8]int8
	next int
}

func (s *stepCache) read(f []byte) int8 {
	for i := range s.word {
		if len(s.word[i]) == len(f) && bytes.Equal(s.word[i], f) && len(f) > 0 {
			return s.step[i]
		}
	}
	step := stepWord(f)
	s.word[s.next], s.step[s.next] = f, step
	s.next = (s.next + 1) % len(s.word)
	return step
}

// waveChunks is how many pieces are given away at once.
const waveChunks = 8

// rows reads all lines behind the header: pieces beside each other where the caller can, put together in their order.
func (p *parser) rows(data []byte, line int, opt ParseOptions) {
	p.line = line
	beside := opt.Beside
	if beside == nil {
		beside = func(n int, do func(i int)) {
			for i := range n {
				do(i)
			}
		}
	}
	var wave []*chunk
	for len(data) > 0 {
		n := 0
		for ; n < waveChunks && len(data) > 0; n++ {
			if n == len(wave) {
				wave = append(wave, &chunk{stamp: p.stamp})
			}
			data = wave[n].cut(data)
		}
		beside(n, func(i int) { wave[i].read(p) })
		for _, c := range wave[:n] {
			p.put(c)
		}
		if opt.Passed != nil {
			opt.Passed(len(data))
		}
	}
}

// cut takes the next piece of whole lines and returns what is behind it.
func (c *chunk) cut(data []byte) []byte {
	end := len(data)
	if end > chunkBytes {
		if k := bytes.IndexByte(data[chunkBytes:], '\n'); k >= 0 {
			end = chunkBytes + k + 1
		}
	}
	c.data, c.last = data[:end], end == len(data)
	return data[end:]
}

// put puts a chunk behind what was read before it.
func (p *parser) put(c *chunk) {
	for i := range c.n { // a clock that jumps back by most of a day has passed midnight
		if c.ways&stamp.OfDay == 0 {
			break
		}
		if c.way[i] != stamp.OfDay {
			continue
		}
		sec := c.t[i]
		if p.clockSeen && sec < p.lastOfDay-43200 {
			p.dayShift += 86400
		}
		p.clockSeen, p.lastOfDay = true, sec
		c.t[i] = p.dayShift + sec
	}
	if c.ways&(stamp.OfDay|stamp.Dated) != 0 {
		p.log.Clocked = true
	}
	if !p.started && c.n > 0 {
		p.first, p.started, p.last = c.t[0], true, math.Inf(-1)
		if c.way[0] == stamp.Dated {
			p.log.Start = timeOf(c.t[0])
		}
	}
	if p.pending == nil && p.runsOn(c) {
		p.putAll(c)
	} else {
		p.putEach(c)
	}
	p.line += c.lines
}

func timeOf(seconds float64) time.Time {
	whole, part := math.Modf(seconds)
	return time.Unix(int64(whole), int64(math.Round(part*1e9))).UTC()
}

// runsOn reports whether each stamp of a chunk is later than the one before.
func (p *parser) runsOn(c *chunk) bool {
	if p.shift != 0 {
		return false
	}
	last := p.last - p.first
	for _, t := range c.t[:c.n] {
		if !(t-p.first > last) {
			return false
		}
		last = t - p.first
	}
	return true
}

// putAll appends a chunk whose time runs on, columns at once.
func (p *parser) putAll(c *chunk) {
	for _, b := range c.bad {
		p.leaveOut(b)
	}
	if c.n == 0 {
		return
	}
	l, n := p.log, len(p.log.Seconds)
	l.Seconds = append(l.Seconds, c.t[:c.n]...)
	for i := n; i < len(l.Seconds); i++ {
		l.Seconds[i] -= p.first
	}
	l.Volts, l.Amps = append(l.Volts, c.v[:c.n]...), append(l.Amps, c.a[:c.n]...)
	for i, k := range c.line[:c.n] {
		l.in(int32(n+i), int32(p.line)+k)
	}
	if l.TempC != nil {
		for _, x := range c.temp[:c.n] {
			l.TempC = append(l.TempC, float32(x))
		}
	}
	if l.LoggerAh != nil {
		l.LoggerAh = append(l.LoggerAh, c.ah[:c.n]...)
	}
	if l.Step != nil {
		l.Step = append(l.Step, c.step[:c.n]...)
	}
	for i := range c.groups {
		l.Groups[i] = append(l.Groups[i], c.groups[i][:c.n]...)
	}
	last := c.t[c.n-1]
	if c.n > 1 {
		p.step = c.t[c.n-1] - c.t[c.n-2]
	} else if n > 0 {
		p.step = last - p.last
	}
	p.last = last
}

// putEach appends a chunk line by line, where time repeats or runs back.
func (p *parser) putEach(c *chunk) {
	r := row{groups: make([]float64, len(c.groups))}
	bad := 0
	for i := range c.n {
		for ; bad < len(c.bad) && c.bad[bad].before <= i; bad++ {
			p.leaveOut(c.bad[bad])
		}
		r.t, r.v, r.a, r.step = c.t[i], c.v[i], c.a[i], c.step[i]
		if len(c.temp) > 0 {
			r.temp = c.temp[i]
		}
		if len(c.ah) > 0 {
			r.ah = c.ah[i]
		}
		for g := range c.groups {
			r.groups[g] = c.groups[g][i]
		}
		p.accept(&r, p.line+int(c.line[i]))
	}
	for _, b := range c.bad[bad:] {
		p.leaveOut(b)
	}
}

func (p *parser) leaveOut(b badLine) {
	p.problem(p.line+int(b.line), "%s", b.text)
	p.lost(p.line + int(b.line))
}
