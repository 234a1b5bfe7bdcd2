package numeral_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/numeral"
	"pandrel/golden"
)

// A number with one letter wrong.
func TestWhatASlipInANumberIsReadAs(t *testing.T) {
	golden.Texts(t, "read-slips", []string{"3.845", "3,845", "1.234,5", "1,234.5", "1 234", "12.5 mΩ", "3700 mV", "1e3",
		"-0,05", "12.345.678", "5 %", "2,5 kW"}, func(text string) string {
		n, err := numeral.Parse(text)
		out := fmt.Sprint(n, err)
		for _, unit := range []string{"V", "mΩ", "W"} {
			m, err := numeral.ParseIn(text, unit)
			out += fmt.Sprint(", in ", unit, " ", m, err)
		}
		return out
	})
}

// What a number is read as, with the place of its last digit, typed as people type.
func TestWhatANumberIsReadAs(t *testing.T) {
	out := map[string]any{}
	for _, s := range strings.Split("3.7|3,7|3.70|3700|1.234,5|1,234.5|1 "+
		"234|1'234|1,234|12,345|0.5|.5|5.|-3.7|−3.7|+3|1e3|1E-3|NaN|inf|OL|x|3.7V|3.7 V|3700 mV|3,7 mΩ|12 "+
		"kW|1_000|1.2.3|1,2,3|00.5|0x1F|5%|5 %|½|3·7|3:7|--3| |999999999999|1e300|0.0000001|3.7.|3 7|3.700 ", "|") {
		n, err := numeral.Parse(s)
		text := ""
		if err != nil {
			text = err.Error()
		}
		var in []any
		for _, unit := range []string{"V", "A", "mΩ", "Ah", "W", "kWh", "%", "°C", ""} {
			m, err := numeral.ParseIn(s, unit)
			in = append(in, fmt.Sprint(unit, " ", m, " ", err))
		}
		out["\""+s+"\""] = []any{n, text, in}
	}
	golden.Same(t, "read", golden.Text(out))
	type slip struct{ V, Low, High, Near, Within float64 }
	golden.Judged(t, "slips", []golden.Case[slip]{{Name: "a point lost", In: slip{378, 3, 4.2, 3.78, 0.05}},
		{Name: "two swapped", In: slip{3.87, 3, 4.2, 3.78, 0.02}}, {Name: "a digit off", In: slip{3.18, 3, 4.2, 3.78,
			0.02}}}, func(s slip) (any, error) {
		a, ok := numeral.Slipped(s.V, s.Low, s.High)
		b, yes := numeral.Mistyped(s.V, s.Near, s.Within)
		return []any{a, ok, b, yes}, nil
	})
	var small []any
	for _, v := range []float64{0, 0.00123456, 0.0994, 0.5, 9.994, 9.996, 10.04, 99.95, 99.94, 123.456, 1234.5,
		99999, 1e7, -3.14159} {
		small = append(small, numeral.Round3(v), numeral.AmpHours(v), numeral.Text(v))
	}
	golden.Same(t, "small", golden.Text(map[string]any{"texts": fmt.Sprint(small),
		"last": []float64{numeral.LastDigit(3.7, 3.71), numeral.LastDigit(3.700, 3.705), numeral.LastDigit(3, 4),
			numeral.LastDigit(), numeral.LastDigit(26.1, 26)}}))
}
