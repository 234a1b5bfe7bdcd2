// Package digits reads numbers as instruments and spreadsheets write them: decimal comma or point, thousands parted,
// NaN and over-range marks refused.
package digits

import (
	"math"
	"strconv"
	"strings"
)

// Pow10 are the powers of ten that a float64 holds exactly.
var Pow10 = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// Number reads a decimal number. Up to 15 digits are exact in a float64 and are read without
// allocation; anything else goes through strconv. NaN, infinities and over-range marks fail.
func Number(f []byte, comma bool) (float64, bool) {
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
	v := float64(mant) / Pow10[frac]
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

// Grouped reads a number whose thousands are parted by commas, blanks or apostrophes, and with dots by points. In a
// file with decimal points a comma can be nothing else.
func Grouped(f []byte, comma, dots bool) (float64, bool) {
	s := string(f)
	sign := ""
	if strings.HasPrefix(s, "-") || strings.HasPrefix(s, "+") {
		sign, s = s[:1], s[1:]
	}
	for _, mark := range []string{",", ".", " ", "'", "’", "\u00a0", "\u202f", "\u2009"} {
		if mark == "," && comma || mark == "." && !(comma && (dots || strings.Contains(s, ","))) ||
			!strings.Contains(s, mark) {
			continue
		}
		whole, part := s, ""
		if k := strings.LastIndexAny(s, ".,"); k >= 0 && s[k:k+1] != mark {
			whole, part = s[:k], s[k:]
		}
		if !Thousands(strings.Split(whole, mark)) {
			return 0, false
		}
		return Number([]byte(sign+strings.ReplaceAll(whole, mark, "")+part), comma)
	}
	if dots {
		return Number(f, comma)
	}
	return 0, false
}

// Thousands reports whether the parts of a number are those of one parted by thousands: one to three digits, and
// three in each after it.
func Thousands(parts []string) bool {
	for i, p := range parts {
		if strings.Trim(p, "0123456789") != "" || len(p) == 0 || len(p) > 3 || i > 0 && len(p) != 3 ||
			i == 0 && p[0] == '0' {
			return false
		}
	}
	return len(parts) > 1
}
