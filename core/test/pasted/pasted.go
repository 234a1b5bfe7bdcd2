// Package pasted reads a table of results as people keep them: a module in each line, then what a tester showed of it
// or of each of its parts, with units or in a fixed order.
package pasted

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"pandrel/core/base/numeral"
)

// Part is what one test showed. From and To are the groups that were tested alone, 0 for all of it; Half is 1 for the
// lower and 2 for the upper half where only that was said. Zero is not written.
type Part struct {
	From, To int
	Half     int
	Ah       float64
	Wh       float64
	LowestV  float64 // of a group at the end
	MilliOhm float64
	Word     string // "at least" or "about" before its amp hours, "" for neither
}

// Line is one module's. Err says what cannot be read in it, "" for nothing.
type Line struct {
	At      int // from 1
	Text    string
	Number  string
	Parts   []Part
	ApartMV float64 // what a display called the difference of the groups
	Err     string
}

var (
	span    = regexp.MustCompile(`^(\d{1,3})[-–](\d{1,3})$`)
	measure = regexp.MustCompile(`^([+-]?[0-9.,'’]+)(Ah|Wh|kWh|V|mV|mΩ|mΩ|mOhm|Ohm|Ω)?$`)
	halves  = map[string]int{"lower": 1, "first": 1, "upper": 2, "second": 2}
	words   = map[string]string{">": atLeast, "≥": atLeast, ">=": atLeast, "min": atLeast, "min.": atLeast,
		"over": atLeast,
		"~":    about, "≈": about, "ca": about, "ca.": about, "approx": about, "approx.": about, "roughly": about,
		"some": about, atLeast: atLeast, about: about}
	units = []string{"Ah", "Wh", "kWh", "V", "mV", "mΩ", "mΩ", "mOhm"}
)

// What may stand before amp hours, and makes them no capacity.
const (
	atLeast = "at least"
	about   = "about"
)

const expected = "expected its amp hours, then at most the lowest group's volts at the end and mΩ, or units"

// Read reads the lines that are not empty. A line is a label number and the figures of one test: amp hours, then the
// lowest group's volts at the end, then milliohms; or each with its unit, in any order. '1-6', 'lower' and 'upper'
// before figures say of which groups they are; two tests in a line without that are the lower half and the upper.
func Read(text string) (out []Line) {
	for i, row := range strings.Split(text, "\n") {
		cells := cellsOf(row)
		if len(cells) == 0 {
			continue
		}
		l := Line{At: i + 1, Text: strings.TrimSpace(row), Number: cells[0]}
		if err := l.read(joined(cells[1:])); err != nil {
			l.Err = err.Error()
		}
		out = append(out, l)
	}
	return out
}

// cellsOf parts a line at blanks, semicolons and bars, and at commas: those with a blank behind them, and all of them
// where nothing else parts the line and its decimals have points.
func cellsOf(row string) (out []string) {
	apart := func(r rune) bool { return unicode.IsSpace(r) || r == ';' || r == '|' }
	commas := strings.IndexFunc(strings.TrimSpace(row), apart) < 0 && strings.Contains(row, ".")
	for _, c := range strings.FieldsFunc(row, func(r rune) bool { return apart(r) || commas && r == ',' }) {
		if c = strings.Trim(c, ","); c != "" {
			out = append(out, c)
		}
	}
	return out
}

// joined puts a unit that stands alone to the number before it, and '1 to 6' to one word.
func joined(cells []string) (out []string) {
	for i := 0; i < len(cells); i++ {
		c, n := cells[i], len(out)
		switch {
		case strings.EqualFold(c, "group") || strings.EqualFold(c, "groups"):
		case strings.EqualFold(c, "at") && i+1 < len(cells) && strings.EqualFold(cells[i+1], "least"):
			i++
			out = append(out, atLeast)
		case len(c) > 1 && strings.ContainsAny(c[:1], ">~") || strings.HasPrefix(c, "≥") || strings.HasPrefix(c, "≈"):
			sign := strings.TrimRight(c, "0123456789.,'’kKAaWwHhVvmΩ")
			out = append(out, sign)
			if rest := c[len(sign):]; rest != "" {
				out = append(out, rest)
			}
		case c == "to" && n > 0 && i+1 < len(cells):
			i++
			out[n-1] += "-" + cells[i]
		case n > 0 && isUnit(c) && measure.MatchString(out[n-1]+c):
			out[n-1] += c
		default:
			out = append(out, c)
		}
	}
	return out
}

func isUnit(s string) bool {
	for _, u := range units {
		if s == u {
			return true
		}
	}
	return false
}

func (l *Line) read(cells []string) error {
	p := Part{}
	done := func() {
		if p != (Part{}) {
			l.Parts = append(l.Parts, p)
		}
		p = Part{}
	}
	for _, c := range cells {
		if m := span.FindStringSubmatch(c); m != nil {
			done()
			p.From, _ = strconv.Atoi(m[1])
			p.To, _ = strconv.Atoi(m[2])
			continue
		}
		if h := halves[strings.ToLower(strings.TrimSuffix(c, ":"))]; h > 0 {
			done()
			p.Half = h
			continue
		}
		if w := words[strings.ToLower(c)]; w != "" {
			if p.Ah > 0 {
				done()
			}
			p.Word = w
			continue
		}
		m := measure.FindStringSubmatch(c)
		if m == nil {
			return fmt.Errorf("%q: expected a figure, with or without its unit", clip(c))
		}
		n, err := numeral.Parse(m[1])
		if err != nil {
			return err
		}
		if m[2] == "Ah" && p.Ah > 0 {
			done()
		}
		if err := l.put(&p, m[2], n.Value); err != nil {
			return err
		}
	}
	done()
	return l.parts()
}

// parts tells which groups each test is of, and refuses what is none.
func (l *Line) parts() error {
	switch {
	case len(l.Parts) == 2 && !l.Parts[0].named() && !l.Parts[1].named():
		l.Parts[0].Half, l.Parts[1].Half = 1, 2
	case len(l.Parts) > 1:
		for _, p := range l.Parts {
			if !p.named() {
				return fmt.Errorf("%s in a line: expected the groups before each, such as 1-6",
					numeral.Count(len(l.Parts), "test"))
			}
		}
	}
	for _, p := range l.Parts {
		if !(p.Ah > 0) {
			return fmt.Errorf("%s", expected)
		}
	}
	if len(l.Parts) == 0 {
		return fmt.Errorf("%s", expected)
	}
	return nil
}

func (p Part) named() bool { return p.From > 0 || p.Half > 0 }

// put gives a figure its place: by its unit, else the next in the fixed order.
func (l *Line) put(p *Part, unit string, v float64) error {
	to := &p.Ah
	switch {
	case unit == "Ah", unit == "" && p.Ah == 0:
	case unit == "Wh":
		to = &p.Wh
	case unit == "kWh":
		to, v = &p.Wh, v*1000
	case unit == "V", unit == "" && p.LowestV == 0:
		to = &p.LowestV
	case unit == "mV":
		to = &l.ApartMV
	case unit == "Ohm", unit == "Ω":
		to, v = &p.MilliOhm, v*1000
	case unit != "", p.MilliOhm == 0:
		to = &p.MilliOhm
	default:
		return fmt.Errorf("%v: expected no more than three figures without units", v)
	}
	if *to != 0 {
		return fmt.Errorf("%v %s: there are two of them in one test", v, unit)
	}
	*to = v
	return nil
}

func clip(s string) string {
	if r := []rune(s); len(r) > 20 {
		return string(r[:20]) + "…"
	}
	return s
}
