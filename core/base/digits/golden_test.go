package digits_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/digits"
	"pandrel/golden"
)

// What instruments and spreadsheets write, with a comma and with a point for the decimal mark.
func TestWhatDigitsAre(t *testing.T) {
	out := map[string]any{}
	for _, s := range strings.Split("1|12.5|12,5|-0.25|+3|.5|5.|1e3|1E-3|1e|NaN|inf|OL|-|.|,|1,234|1,234.5|"+
		"1.234,5|1 234|1'234.5|12,34|1,2345|"+
		"1,234,567|1.234.567|0,123|123456789012345|1234567890123456|12345678901234567890|0.1234567890123456789|"+
		"1e400|1e-400|x1|1x|1.2.3|"+
		"00012|-1,234|1 234 567.25|1 23|0x10|", "|") {
		row := ""
		for _, comma := range []bool{false, true} {
			v, ok := digits.Number([]byte(s), comma)
			row += fmt.Sprint(v, " ", ok, "; ")
			for _, dots := range []bool{false, true} {
				v, ok := digits.Grouped([]byte(s), comma, dots)
				row += fmt.Sprint(v, " ", ok, "; ")
			}
		}
		out["\""+s+"\""] = row
	}
	for _, s := range []string{"1", "1 234", "12 345 678", "1234 567", "1 23", "1 2345", " 123", "123 "} {
		out["parts of "+s] = digits.Thousands(strings.Split(s, " "))
	}
	golden.Same(t, "digits", golden.Text(out))
}

// A number with one letter wrong, as a log holds it.
func TestWhatASlipInDigitsIs(t *testing.T) {
	golden.Texts(t, "slips", []string{"12.5", "12,5", "1,234.5", "1.234.567", "1 234,25", "-0.0025", "1e3", "1e-12",
		"123456789012345678", "0.12345678901234567", "1E+05"}, func(text string) (out string) {
		for _, comma := range []bool{false, true} {
			v, ok := digits.Number([]byte(text), comma)
			out += fmt.Sprint(v, " ", ok, "; ")
			for _, dots := range []bool{false, true} {
				v, ok := digits.Grouped([]byte(text), comma, dots)
				out += fmt.Sprint(v, " ", ok, "; ")
			}
		}
		return out
	})
}
