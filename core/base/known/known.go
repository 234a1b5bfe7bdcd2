// Package known is a number of the trade with what is known of it: its value, the interval that it lies in, and where
// it comes from.
//
// A number that was measured, one that was read from a plate, one that a seller said and one that is assumed because
// nothing better is known look alike on paper, and have been taken for each other. A [Value] holds the three together.
// Arithmetic keeps the interval and the weakest source: what rests on an assumption is assumed, and what rests on
// something that is not known is not known.
//
// The zero Value is 'not known'. It is not zero, and no sum with it is a number. A Value is plain data of five words,
// to be passed and compared by value; two are equal with == when value, interval and source are.
//
// Hot loops compute on floats and make a Value of what they give; this package is for the edges between packages, and
// for what a page prints.
package known

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Source is where a number comes from.
type Source uint8

// The sources, weakest first. A limit of the rules or of the shop's policy is as sure as anything: it weakens nothing.
const (
	Unknown  Source = iota
	Assumed         // typical, usual: nobody said it of this thing
	Said            // a seller's or an owner's word
	Typed           // read from a print, a display, a data sheet
	Measured        // by somebody, with something, at a time
	Limit           // of a rule or a policy
)

var sources = [...]string{"unknown", "assumed", "said", "typed", "measured", "limit"}

// String is the word for a source, as files and pages write it.
func (s Source) String() string {
	if int(s) < len(sources) {
		return sources[s]
	}
	return fmt.Sprintf("source(%d)", uint8(s))
}

// MarshalText writes the word.
func (s Source) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads one of the words.
func (s *Source) UnmarshalText(text []byte) error {
	i := slices.Index(sources[:], string(text))
	if i < 0 {
		return fmt.Errorf("known: from %q: expected one of %s", text, strings.Join(sources[:], ", "))
	}
	*s = Source(i)
	return nil
}

// worked is the word for what was worked out from what is on record.
const worked = "worked"

// Value is a number with its interval and its source. Low ≤ V ≤ High; an end is infinite where nothing bounds it.
type Value struct {
	v, low, high float64
	from         Source
	worked       bool // out of others, whose weakest source is from
}

// Of is a number without an interval: low and high are itself. A number that is not finite is not known.
func Of(v float64, from Source) Value { return Within(v, v, v, from) }

// Recorded is a number of a record, of which 0 is not known.
func Recorded(v float64, from Source) Value {
	if v == 0 {
		return Value{}
	}
	return Of(v, from)
}

// Within is a number in an interval. One that is no interval, or lies outside of it, or has no source, is not known:
// a slip in a working cannot make knowledge.
func Within(v, low, high float64, from Source) Value {
	if from == Unknown || from > Limit || math.IsInf(v, 0) || !(low <= v && v <= high) {
		return Value{}
	}
	return Value{v: v, low: low, high: high, from: from}
}

// AtLeast is a lower bound. It never becomes an upper one.
func AtLeast(v float64, from Source) Value { return Within(v, v, math.Inf(1), from) }

// AtMost is an upper bound, of what is not below nothing.
func AtMost(v float64, from Source) Value { return Within(v, min(0, v), v, from) }

// Is reports whether anything is known.
func (a Value) Is() bool { return a.from != Unknown }

// V is the value itself, the likely one where an interval is known. It is 0 where nothing is known: ask Is.
func (a Value) V() float64 { return a.v }

// Or is the value, or what stands for it where nothing is known.
func (a Value) Or(otherwise float64) float64 {
	if a.Is() {
		return a.v
	}
	return otherwise
}

// Low is the lower end.
func (a Value) Low() float64 { return a.low }

// High is the upper end.
func (a Value) High() float64 { return a.high }

// From is the weakest source that the number rests on.
func (a Value) From() Source { return a.from }

// Worked reports whether it was worked out from others.
func (a Value) Worked() bool { return a.worked }

// Mark is the word for where it comes from, as data-from, JSON and CSV write it: what was worked out from measured or
// typed numbers is 'worked'; what rests on somebody's word or on an assumption is that, whatever was done to it.
func (a Value) Mark() string {
	if a.worked && a.from >= Typed {
		return worked
	}
	return a.from.String()
}

// Exact reports whether the interval is the value itself.
func (a Value) Exact() bool { return a.Is() && a.low == a.high }

// Likely is the value without its interval, for where the interval stands beside it or is no news.
func (a Value) Likely() Value {
	if a.Is() {
		a.low, a.high = a.v, a.v
	}
	return a
}

// Bounded reports whether both ends are finite.
func (a Value) Bounded() bool { return a.Is() && !math.IsInf(a.low, 0) && !math.IsInf(a.high, 0) }

// With is the number with a wider interval: u on both sides of what it was.
func (a Value) With(u float64) Value {
	if !a.Is() || !(u >= 0) {
		return Value{}
	}
	a.low, a.high = a.low-u, a.high+u
	return a
}

// made is a number out of others.
func made(v, low, high float64, of ...Value) Value {
	from := Limit
	for _, x := range of {
		from = min(from, x.from)
	}
	out := Within(v, low, high, from)
	out.worked = out.Is()
	return out
}

// Add is a + b.
func (a Value) Add(b Value) Value { return made(a.v+b.v, a.low+b.low, a.high+b.high, a, b) }

// Sub is a − b, for numbers that are unsure independently of each other.
func (a Value) Sub(b Value) Value { return made(a.v-b.v, a.low-b.high, a.high-b.low, a, b) }

// Neg is −a.
func (a Value) Neg() Value { return made(-a.v, -a.high, -a.low, a) }

// times is x·y, where nothing of something endless is nothing.
func times(x, y float64) float64 {
	if x == 0 || y == 0 {
		return 0
	}
	return x * y
}

// Mul is a·b.
func (a Value) Mul(b Value) Value {
	p, q, r, s := times(a.low, b.low), times(a.low, b.high), times(a.high, b.low), times(a.high, b.high)
	return made(a.v*b.v, min(p, q, r, s), max(p, q, r, s), a, b)
}

// Div is a/b. By an interval that holds nothing it is not known.
func (a Value) Div(b Value) Value {
	if !b.Is() || b.low <= 0 && b.high >= 0 {
		return Value{}
	}
	return a.Mul(Value{v: 1 / b.v, low: 1 / b.high, high: 1 / b.low, from: b.from})
}

// Times is k·a, for a number k of the formula itself: a count, a share, a change of units.
func (a Value) Times(k float64) Value { return a.Mul(Of(k, Limit)) }

// Sum adds up: not known where one of them is not, and 0 of a limit for none.
func Sum(list ...Value) Value {
	out := Of(0, Limit)
	for _, x := range list {
		out = out.Add(x)
	}
	return out
}

// Min is the least of some numbers, within the interval that the least of them can lie in.
func Min(a Value, more ...Value) Value {
	for _, b := range more {
		a = made(min(a.v, b.v), min(a.low, b.low), min(a.high, b.high), a, b)
	}
	return a
}

// Max is the largest of some numbers.
func Max(a Value, more ...Value) Value {
	for _, b := range more {
		a = made(max(a.v, b.v), max(a.low, b.low), max(a.high, b.high), a, b)
	}
	return a
}

// Below says whether a lies below b: sure is false where their intervals leave that open, or one is not known.
func (a Value) Below(b Value) (below, sure bool) {
	switch {
	case !a.Is() || !b.Is():
		return false, false
	case a.high < b.low:
		return true, true
	case a.low >= b.high:
		return false, true
	}
	return a.v < b.v, false
}

// Text is the number as a page says it, with its unit and at most so many decimals; an interval is rounded outwards, so
// that no rounding promises more than is known. The same number with the same decimals is the same text everywhere.
func (a Value) Text(decimals int, unit string) string {
	if unit != "" {
		unit = " " + unit
	}
	switch {
	case !a.Is():
		return "not known"
	case a.low == a.high:
		return number(a.v, decimals) + unit
	case math.IsInf(a.low, -1) && math.IsInf(a.high, 1):
		return "anything"
	case math.IsInf(a.high, 1):
		return "at least " + number(down(a.low, decimals), decimals) + unit
	case math.IsInf(a.low, -1):
		return "at most " + number(up(a.high, decimals), decimals) + unit
	}
	low, high := number(down(a.low, decimals), decimals), number(up(a.high, decimals), decimals)
	if low == high {
		return low + unit
	}
	return low + " to " + high + unit
}

// slack is what a decimal that cannot be written in binary is off by: 0.3·10 rounds down to 3, not to 2.
const slack = 1e-9

func down(v float64, decimals int) float64 {
	p := math.Pow10(decimals)
	return math.Floor(v*p+slack) / p
}

func up(v float64, decimals int) float64 {
	p := math.Pow10(decimals)
	return math.Ceil(v*p-slack) / p
}

// number writes a number with a fixed count of decimals, and no minus before nothing.
func number(v float64, decimals int) string {
	s := strconv.FormatFloat(v, 'f', max(0, decimals), 64)
	if strings.Trim(s, "-0.") == "" {
		return strings.TrimPrefix(s, "-")
	}
	return s
}

// Figure is a number as it is shown: with so many decimals, in a unit.
type Figure struct {
	Value
	Decimals int
	Unit     string
}

// In is the number as it is shown.
func (a Value) In(decimals int, unit string) Figure { return Figure{a, decimals, unit} }

// String is the text of it.
func (f Figure) String() string { return f.Text(f.Decimals, f.Unit) }
