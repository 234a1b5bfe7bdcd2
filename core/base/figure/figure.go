// Package figure writes numbers as people read them: about three figures, intervals as 'from to', times in a unit that
// can be held in the head. What it writes is a Text, so that a sentence keeps which of its words are numbers.
package figure

import (
	"fmt"
	"math"
	"strings"
)

// Text is a number, or an interval, that is written already.
type Text string

// Shown is the number that stands at its beginning.
func (f Text) Shown() (v float64, ok bool) {
	_, err := fmt.Sscanf(string(f), "%g", &v)
	return v, err == nil
}

// Dec writes a number with digits behind the point.
func Dec(v float64, digits int) Text {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return "–"
	}
	s := fmt.Sprintf("%.*f", digits, v)
	if strings.Trim(s, "-0.") == "" {
		s = strings.TrimPrefix(s, "-")
	}
	return Text(s)
}

// To writes an interval, or one number where both ends show the same.
func To(low, high float64, digits int) Text {
	a, b := Dec(low, digits), Dec(high, digits)
	if a == b {
		return a
	}
	return a + " to " + b
}

// Digits is how many places a number of its size needs to say three figures.
func Digits(v float64) int {
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

// Of writes about three figures, and no zeros behind the point that say nothing.
func Of(v float64) Text {
	s := string(Dec(v, Digits(v)))
	if strings.Contains(s, ".") {
		s = strings.TrimSuffix(strings.TrimRight(s, "0"), ".")
	}
	return Text(s)
}

// Decimals is how many places fig writes.
func Decimals(v float64) int {
	_, behind, _ := strings.Cut(string(Of(v)), ".")
	return len(behind)
}

// Span writes an interval in about three figures.
func Span(low, high float64) Text { return To(low, high, Digits(high)) }

// Hours writes a time that people can hold in the head.
func Hours(hours float64) Text {
	switch {
	case hours < 1.0/60:
		return Of(hours*3600) + " s"
	case hours < 2:
		return Dec(hours*60, 0) + " min"
	case hours < 72:
		return Dec(hours, 1) + " h"
	}
	return Dec(hours/24, 0) + " days"
}

// HoursTo is an interval of hours.
func HoursTo(low, high float64) Text {
	if Hours(low) == Hours(high) {
		return Hours(low)
	}
	return Hours(low) + " to " + Hours(high)
}
