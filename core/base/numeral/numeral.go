// Package numeral reads numbers the way people at a bench write them.
//
// A decimal comma and a decimal point are both right: 3,845 and 3.845 are the same volts. A number with both marks has
// the last one as its decimal mark and the other as thousands separators. The package also remembers how many decimals
// were typed, because the last digit of a meter is part of its uncertainty, and offers back a decimal that slipped.
package numeral

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode"
)

// No quantity of the trade is beyond these: from picovolts to a teraohm. Numbers outside are slips or attacks, and
// arithmetic with them would end in infinity.
const (
	largest  = 1e12
	smallest = 1e-12
)

// Number is a value as typed. LastDigit is the weight of the last digit written: 0.001 for
// 3.845, 1 for 3845.
type Number struct {
	Value     float64
	LastDigit float64
}

// Parse reads one number. Blanks around it are ignored, and blanks that separate thousands; a typographic minus counts
// as a minus, and the digits of every script as digits. It returns an error that says what was expected for text, an
// empty string, a unit written behind the number, anything not finite, and what no quantity of the trade can be: beyond
// ± 1e12, or closer to zero than 1e-12 and not zero.
func Parse(s string) (Number, error) {
	t := blanks(latin(strings.TrimSpace(s)))
	if t == "" {
		return Number{}, fmt.Errorf("empty: expected a number such as 3.845 or 3,845")
	}
	plain, err := normalise(t)
	if err != nil {
		return Number{}, fmt.Errorf("%q: %w", clip(s), err)
	}
	v, err := strconv.ParseFloat(plain, 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return Number{}, fmt.Errorf("%q is not a number: expected digits such as 3.845 or 3,845",
			clip(s))
	}
	mantissa, exp, _ := strings.Cut(strings.ToLower(plain), "e")
	if a := math.Abs(v); a > largest || a < smallest && strings.Trim(mantissa, "+-0.") != "" {
		return Number{}, fmt.Errorf("%q: expected a number that can be measured, at most 1e12", clip(s))
	}
	digit := 1.0
	if i := strings.IndexByte(mantissa, '.'); i >= 0 {
		digit = math.Pow(10, -float64(len(mantissa)-i-1))
	}
	if exp != "" {
		if e, err := strconv.Atoi(exp); err == nil {
			digit *= math.Pow(10, float64(max(-400, min(400, e))))
		}
	}
	if digit = min(digit, largest); digit < smallest {
		digit = smallest
	}
	return Number{Value: v, LastDigit: digit}, nil
}

// latin writes the digits and marks of every script as those of the Latin one.
func latin(s string) string {
	return strings.Map(func(r rune) rune {
		switch r {
		case '−', '‐', '‑', '–', '﹣', '－':
			return '-'
		case '٫', '．':
			return '.'
		case '٬':
			return '\'' // it separates thousands and nothing else
		case '，':
			return ','
		case '\u00a0', '\u2009', '\u202f', '\u3000':
			return ' '
		case '’':
			return '\''
		}
		if r >= '𝟎' && r <= '𝟿' { // five sets of digits without a gap between them
			return '0' + (r-'𝟎')%10
		}
		if r > unicode.MaxASCII && unicode.Is(unicode.Nd, r) {
			zero := r
			for zero > 0 && unicode.Is(unicode.Nd, zero-1) && r-zero < 9 {
				zero--
			}
			return '0' + (r - zero)
		}
		return r
	}, s)
}

// blanks takes out the blanks and apostrophes of a number that separate thousands, and leaves all others, which are
// then refused: 3 845,2 is a number, 3. 845 may be two.
func blanks(s string) string {
	if !strings.ContainsAny(s, " '") {
		return s
	}
	sep := " "
	if strings.Contains(s, "'") {
		sep = "'"
	}
	sign := ""
	if strings.HasPrefix(s, "-") || strings.HasPrefix(s, "+") {
		sign, s = s[:1], s[1:]
	}
	whole, rest := s, ""
	if i := strings.IndexAny(s, ".,"); i >= 0 {
		whole, rest = s[:i], s[i:]
	}
	parts := strings.Split(whole, sep)
	for i, p := range parts {
		if len(p) > 3 || len(p) == 0 || i > 0 && len(p) != 3 || strings.Trim(p, "0123456789") != "" {
			return sign + s
		}
	}
	return sign + strings.Join(parts, "") + rest
}

// prefixes are those of units at a bench.
var prefixes = map[string]float64{"": 1, "m": 1e-3, "k": 1e3, "µ": 1e-6, "μ": 1e-6, "u": 1e-6}

// ParseIn reads a number that may have its unit behind it, with a prefix: 3.845 V and 3845 mV are the same. Of
// lengths, weights, times, temperatures and sections other units are read too: 1/2 in, 3 lb, 70 °F, AWG 10. Any other
// unit is refused.
func ParseIn(s, unit string) (Number, error) {
	t := strings.TrimSpace(s)
	if n, ok := inOther(t, unit); ok {
		return n, nil
	}
	before, ok := strings.CutSuffix(t, unit)
	if !ok {
		before, ok = strings.CutSuffix(t, strings.ToLower(unit))
	}
	if !ok || before == "" {
		return Parse(s)
	}
	scale := 1.0
	for p, f := range prefixes {
		if rest, ok := strings.CutSuffix(before, p); ok && p != "" && rest != "" {
			before, scale = rest, f
			break
		}
	}
	n, err := Parse(before)
	if err != nil {
		return n, fmt.Errorf("%q is not a number%s: expected digits such as 3.845 or 3,845", clip(s), within(unit))
	}
	n.Value *= scale
	n.LastDigit *= scale
	if scale != 1 { // 3845 mV are 3.845 V, not 3.8450000000000002
		n.Value, _ = strconv.ParseFloat(strconv.FormatFloat(n.Value, 'g', 12, 64), 64)
	}
	return n, nil
}

// within says which unit a number was to have, nothing where it has none.
func within(unit string) string {
	if unit == "" {
		return ""
	}
	return " in " + unit
}

// normalise turns s into what strconv reads, or says why it cannot.
func normalise(s string) (string, error) {
	for _, r := range s {
		if (r < '0' || r > '9') && !strings.ContainsRune("+-.,eE", r) {
			return "", fmt.Errorf("not a number: expected digits such as 3.845 or 3,845")
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

// Hundredth rounds to hundredths, which is what is read of a figure on a page.
func Hundredth(v float64) float64 { return math.Round(v*100) / 100 }

// Round3 rounds to thousandths: millivolts of volts. It never gives a negative zero, which a screen would show.
func Round3(v float64) float64 {
	r := math.Round(v*1000) / 1000
	if r == 0 {
		return 0
	}
	return r
}

// LastDigit is the weight of the last digit that readings were taken with, as far as they show it: 0.1 or 0.01 where
// all of five and more are whole multiples of it, else 0.001. NaN are passed over.
func LastDigit(readings ...float64) float64 {
	for _, digit := range []float64{0.1, 0.01} {
		n, all := 0, true
		for _, v := range readings {
			if math.IsNaN(v) {
				continue
			}
			n++
			steps := v / digit
			all = all && math.Abs(steps-math.Round(steps)) < 1e-6
		}
		if all && n >= 5 {
			return digit
		}
	}
	return 0.001
}

// Mistyped looks for the number near another one that v would be with one digit left out or two neighbours exchanged:
// 3.0785 for 3.785. ok is false where none lies within so much of it.
func Mistyped(v, near, within float64) (offer float64, ok bool) {
	s := strconv.FormatFloat(math.Abs(v), 'f', -1, 64)
	best := within
	try := func(s string) {
		if w, err := strconv.ParseFloat(s, 64); err == nil {
			w = math.Copysign(w, v)
			if d := math.Abs(w - near); d <= best && w != v {
				best, offer, ok = d, w, true
			}
		}
	}
	for i := range s {
		if s[i] == '.' {
			continue
		}
		try(s[:i] + s[i+1:])
		if i+1 < len(s) && s[i+1] != '.' {
			try(s[:i] + string(s[i+1]) + string(s[i]) + s[i+2:])
		}
	}
	return offer, ok
}

// AmpHours is a capacity to the digits that are shown of it, a tenth from 10 Ah up and a hundredth below: what is
// judged, written and divided is one figure, so that 84.0 Ah of 105 are 80.0 % wherever they stand.
func AmpHours(v float64) float64 {
	if math.Abs(v) < 10 {
		return math.Round(v*100) / 100
	}
	return math.Round(v*10) / 10
}

// UpTwoDigits rounds an estimate up to two digits, 0 for what is not above 0.
func UpTwoDigits(v float64) float64 {
	if !(v > 0) {
		return 0
	}
	step := math.Pow(10, math.Floor(math.Log10(v))-1)
	return math.Ceil(v/step) * step
}
