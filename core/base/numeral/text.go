package numeral

import (
	"math"
	"strconv"
)

// Text writes a number for a person: four significant digits at most, and never with an exponent.
func Text(v float64) string {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return "?"
	}
	if math.Abs(v) >= 1000 {
		return strconv.FormatFloat(math.Round(v), 'f', -1, 64)
	}
	r, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 4, 64), 64)
	if err != nil {
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return strconv.FormatFloat(r, 'f', -1, 64)
}
