// Package numeral reads numbers the way people at a bench write them.
//
// A decimal comma and a decimal point are both right: 3,845 and 3.845 are the same volts. A
// number with both marks has the last one as its decimal mark and the other as thousands
// separators. The package also remembers how many decimals were typed, because the last digit
// of a meter is part of its uncertainty, and offers back a decimal that slipped.
package numeral

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Number is a value as typed. LastDigit is the weight of the last digit written: 0.001 for
// 3.845, 1 for 3845.
type Number struct {
	Value     float64
	LastDigit float64
}

// Parse reads one number. Blanks around it are ignored; a typographic minus counts as a minus.
// It returns an error that says what was expected for text, an empty string, a unit written
// behind the number, and anything not finite.
func Parse(s string) (Number, error) {
	t := strings.TrimSpace(s)
	t = strings.ReplaceAll(t, "−", "-")
	t = strings.ReplaceAll(t, "\u00a0", "")
	if t == "" {
		return Number{}, fmt.Errorf("empty: expected a number such as 3.845 or 3,845")
	}
	plain, err := normalise(t)
	if err != nil {
		return Number{}, fmt.Errorf("%q: %w", clip(s), err)
	}
	v, err := strconv.ParseFloat(plain, 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return Number{}, fmt.Errorf("%q is not a number: expected digits such as 3.845 or 3,845, without a unit",
			clip(s))
	}
	digit := 1.0
	mantissa, exp, _ := strings.Cut(strings.ToLower(plain), "e")
	if i := strings.IndexByte(mantissa, '.'); i >= 0 {
		digit = math.Pow(10, -float64(len(mantissa)-i-1))
	}
	if exp != "" {
		if e, err := strconv.Atoi(exp); err == nil {
			digit *= math.Pow(10, float64(e))
		}
	}
	return Number{Value: v, LastDigit: digit}, nil
}

// normalise turns s into what strconv reads, or says why it cannot.
func normalise(s string) (string, error) {
	for _, r := range s {
		if (r < '0' || r > '9') && !strings.ContainsRune("+-.,eE", r) {
			return "", fmt.Errorf("not a number: expected digits such as 3.845 or 3,845, without a unit")
		}
	}
	commas, dots := strings.Count(s, ","), strings.Count(s, ".")
	switch {
	case commas == 0 && dots <= 1:
		return s, nil
	case commas == 1 && dots == 0:
		return strings.Replace(s, ",", ".", 1), nil
	case commas >= 1 && dots == 1 && strings.LastIndex(s, ",") < strings.Index(s, "."):
		return grouped(s, ",", ".")
	case dots >= 1 && commas == 1 && strings.LastIndex(s, ".") < strings.Index(s, ","):
		return grouped(s, ".", ",")
	}
	return "", fmt.Errorf("more than one decimal mark: expected one number such as 3.845 or 3,845")
}

// grouped removes thousands separators after checking that each separates three digits.
func grouped(s, thousands, decimal string) (string, error) {
	whole, frac, _ := strings.Cut(s, decimal)
	parts := strings.Split(whole, thousands)
	for _, p := range parts[1:] {
		if len(p) != 3 {
			return "", fmt.Errorf("more than one decimal mark: expected one number such as 3.845 or 3,845")
		}
	}
	return strings.Join(parts, "") + "." + frac, nil
}

func clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}

// Slipped looks for the power of ten that brings v into [low, high] when it is outside.
// ok is false when v is already inside, when no shift of one to four places fits, or when v is
// zero. The result is an offer to the person who typed, never a correction made for them.
func Slipped(v, low, high float64) (offer float64, ok bool) {
	if v >= low && v <= high || v == 0 {
		return 0, false
	}
	for _, f := range []float64{10, 0.1, 100, 0.01, 1000, 0.001, 10000, 0.0001} {
		if w := v * f; w >= low && w <= high {
			return math.Round(w*1e6) / 1e6, true
		}
	}
	return 0, false
}

// Round3 rounds to thousandths: millivolts of volts. It never gives a negative zero, which a screen would show.
func Round3(v float64) float64 {
	r := math.Round(v*1000) / 1000
	if r == 0 {
		return 0
	}
	return r
}
