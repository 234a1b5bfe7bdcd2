package logfile

import (
	"bytes"
	"math"
	"strings"

	"pandrel/core/base/digits"
	"pandrel/core/module/stamp"
)

// stampColumns are those of the time and of a date beside it, −1 for none.
func (h header) stampColumns() (at, date int) {
	at, date = -1, -1
	for i, c := range h.columns {
		switch c.kind {
		case KTime:
			at = i
		case kDate:
			date = i
		}
	}
	return at, date
}

// oldestFirst returns the lines of a log in the order of time: turned round where its newest line stands first.
func (p *parser) oldestFirst(data []byte) []byte {
	at, date := p.stampColumns()
	later, earlier, last, day := 0, 0, math.NaN(), ""
	for _, r := range p.sample(data) {
		if at >= len(r) {
			continue
		}
		on, clock := []byte(nil), trim(r[at])
		if date >= 0 && date < len(r) {
			on = trim(r[date])
		} else if bytes.IndexByte(clock, ':') >= 0 {
			on, clock = stamp.Split(clock)
		}
		now, ok := p.columns[at].cell(clock, p.commaDecimal)
		if !ok {
			if now, ok = stamp.ClockSeconds(clock); !ok {
				continue
			}
		}
		if string(on) == day {
			switch {
			case now > last:
				later++
			case now < last:
				earlier++
			}
		}
		last, day = now, string(on)
	}
	if earlier < 3 || later*9 > earlier {
		return data
	}
	out := make([]byte, 0, len(data)+1)
	n := 0
	for rest := bytes.TrimSuffix(data, []byte("\n")); rest != nil; n++ {
		line := rest
		if k := bytes.LastIndexByte(rest, '\n'); k >= 0 {
			line, rest = rest[k+1:], rest[:k]
		} else {
			rest = nil
		}
		out = append(append(out, bytes.TrimRight(line, "\r")...), '\n')
	}
	p.log.mirror = 2*p.header.line + n + 1
	p.log.Table.NewestFirst = true
	return out
}

// thousands finds the columns of a file with decimal commas whose points part thousands: each point stands before
// three digits, and there are values without one. Of the time all lines are asked, since it passes a thousand late.
func (p *parser) thousands(data []byte) {
	if !p.commaDecimal || bytes.IndexByte(data, '.') < 0 {
		return
	}
	for i := range p.columns {
		c := &p.columns[i]
		switch c.kind {
		case kIgnore, kDate, kStep:
			continue
		}
		plain, parted := 0, 0
		for raw := range bytes.Lines(data) {
			fields := splitLine(bytes.TrimRight(raw, "\r\n"), p.sep)
			if i >= len(fields) {
				continue
			}
			f := strings.TrimLeft(string(trim(fields[i])), "+-")
			whole, rest, both := strings.Cut(f, ",")
			switch {
			case bytes.IndexByte(fields[i], ':') >= 0 || strings.Contains(rest, "."):
				plain, parted = 0, math.MinInt32
			case !strings.Contains(whole, "."):
				plain++
			case !digits.Thousands(strings.Split(whole, ".")):
				parted = math.MinInt32
			default:
				if parted++; both {
					plain++
				}
			}
			if parted < 0 {
				break
			}
		}
		c.dots = plain > 0 && parted > 0
		p.dotted = p.dotted || c.dots
		p.stamp.Dots = p.stamp.Dots || c.dots && c.kind == KTime
	}
}

// unquoted takes the quotes off fields that hold a comma where commas part the columns: "1,234.5" is a number with its
// thousands parted, "3,845" one with a decimal comma. Which of both a column means its fields tell together.
func unquoted(data []byte) []byte {
	if !commaInQuotes(data) {
		return data
	}
	decimal := map[int]bool{} // columns whose commas are decimal
	whole := map[int]bool{}   // columns with values that have no comma
	for line := range bytes.Lines(data) {
		for i, f := range quotedFields(strings.TrimRight(string(line), "\r\n")) {
			f, isNumber := unsigned(f)
			head, _, point := strings.Cut(f, ".")
			switch {
			case !isNumber:
			case !strings.Contains(f, ","), point && digits.Thousands(strings.Split(head, ",")):
				whole[i] = true
			case !digits.Thousands(strings.Split(f, ",")):
				decimal[i] = true
			}
		}
	}
	out := make([]byte, 0, len(data))
	for line := range bytes.Lines(data) {
		for i, f := range quotedFields(strings.TrimRight(string(line), "\r\n")) {
			if i > 0 {
				out = append(out, ',')
			}
			if strings.Contains(f, ",") {
				switch _, isNumber := unsigned(f); {
				case !isNumber:
					f = strings.ReplaceAll(f, ",", " ")
				case decimal[i] || !whole[i] && strings.Count(f, ",") == 1 && !strings.Contains(f, "."):
					f = strings.Replace(strings.ReplaceAll(f, ".", ""), ",", ".", 1)
				default:
					f = strings.ReplaceAll(f, ",", "")
				}
			}
			out = append(out, f...)
		}
		out = append(out, '\n')
	}
	return out
}

// unsigned is a field without blanks and sign; ok where it begins like a number.
func unsigned(f string) (s string, ok bool) {
	s = strings.TrimLeft(strings.TrimSpace(f), "+-")
	return s, s != "" && s[0] >= '0' && s[0] <= '9'
}

// commaInQuotes reports whether a comma stands between quotes in one of the first lines that have quotes and digits.
func commaInQuotes(data []byte) bool {
	if bytes.IndexByte(data, '"') < 0 {
		return false
	}
	if head := data[:min(len(data), 1<<16)]; bytes.Count(head, []byte(";")) > bytes.Count(head, []byte(",")) ||
		bytes.Count(head, []byte("\t")) > bytes.Count(head, []byte(",")) {
		return false
	}
	for line := range bytes.Lines(data) {
		open := false
		for _, c := range line {
			switch {
			case c == '"':
				open = !open
			case c == ',' && open:
				return true
			}
		}
	}
	return false
}

// quotedFields parts a line at the commas outside of quotes.
func quotedFields(line string) (out []string) {
	var b strings.Builder
	open := false
	for _, r := range line {
		switch {
		case r == '"':
			open = !open
		case r == ',' && !open:
			out = append(out, b.String())
			b.Reset()
		default:
			b.WriteRune(r)
		}
	}
	return append(out, b.String())
}
