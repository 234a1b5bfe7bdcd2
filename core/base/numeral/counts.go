package numeral

import (
	"fmt"
	"strconv"
	"strings"
)

// Counts reads a count, or several that may be: 8; 14 or 16; 7 to 9. Nothing, and 0, are none.
func Counts(s string) (out []int, err error) {
	text := strings.NewReplacer("–", "-", " to ", "-", " or ", ",", "/", ",", ";", ",").Replace(s)
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		a, b, span := strings.Cut(piece, "-")
		low, err := strconv.Atoi(a)
		high := low
		if span && err == nil {
			high, err = strconv.Atoi(b)
		}
		if err != nil || low < 0 || high < low || high-low > 50 {
			return nil, fmt.Errorf("%q: expected a whole number, or those that may be: 14 or 16", clip(s))
		}
		for n := low; n <= high; n++ {
			if n > 0 {
				out = append(out, n)
			}
		}
	}
	return out, nil
}

// CountText is a count as a form has it, or those that may be.
func CountText(n int, may []int) string {
	if n > 0 {
		return strconv.Itoa(n)
	}
	var words []string
	for _, m := range may {
		words = append(words, strconv.Itoa(m))
	}
	return strings.Join(words, " or ")
}

// Count is how many there are of something, with its name in the number that goes with it: 1 group, 2 groups. what is a
// word that takes an s, or several of which the last does.
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
