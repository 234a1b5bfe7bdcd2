package numeral_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/base/numeral"
)

func TestOtherUnits(t *testing.T) {
	for _, c := range []struct {
		text, unit string
		want       float64
	}{
		{"AWG 10", "mm²", 5.261}, {"8 awg", "mm²", 8.366}, {"2/0 AWG", "mm²", 67.431}, {"25 mm²", "mm²", 25},
		{"0.5 in", "mm", 12.7}, {"1/2\"", "mm", 12.7}, {"1 1/2 in", "mm", 38.1}, {"3 cm", "mm", 30}, {"3 mm", "mm", 3},
		{"10 ft", "m", 3.048}, {"5 mm", "m", 0.005}, {"3 m", "m", 3}, {"22 lb", "kg", 9.979}, {"3,5 kg", "kg", 3.5},
		{"70 °F", "°C", 21.11}, {"21 °C", "°C", 21}, {"90 min", "h", 1.5}, {"2 h", "min", 120}, {"30 min", "min", 30},
		{"3845 mV", "V", 3.845},
	} {
		n, err := numeral.ParseIn(c.text, c.unit)
		if err != nil || math.Abs(n.Value-c.want) > 1e-3 {
			t.Errorf("%q in %s: %v, %v: expected %v", c.text, c.unit, n.Value, err, c.want)
		}
	}
	for _, bad := range [][2]string{{"AWG 99", "mm²"}, {"AWG", "mm²"}, {"1/0 in", "mm"}, {"3 kg", "mm"}, {"AWG 10",
		"mm"}} {
		if n, err := numeral.ParseIn(bad[0], bad[1]); err == nil {
			t.Errorf("%q in %s is taken as %v", bad[0], bad[1], n.Value)
		}
	}
}

func TestCountsThatMayBe(t *testing.T) {
	for text, want := range map[string]string{"8": "[8]", "14 or 16": "[14 16]", "7 to 9": "[7 8 9]", "7-8": "[7 8]",
		"7/8": "[7 8]", "": "[]", "0": "[]"} {
		if got, err := numeral.Counts(text); err != nil || fmt.Sprint(got) != want {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	for _, bad := range []string{"x", "8.5", "-3", "9 to 7", "1-900"} {
		if got, err := numeral.Counts(bad); err == nil {
			t.Errorf("%q is taken as %v", bad, got)
		}
	}
}

// Several devices are one load: watts and volt amperes add up, and so do amps; what is typed in VA or of several is
// kept
// as it was typed.
func TestLoadsOfSeveralDevices(t *testing.T) {
	for text, want := range map[string][2]float64{"": {}, "1200": {1200, 0}, "1.2 kW": {1200, 0}, "20 A": {0, 20},
		"1500 VA": {1500, 0}, "1,5 kVA": {1500, 0}, "900 W + 5 A": {900, 5}, "900 W + 300 VA; 2.5 A + 2.5 A": {1200,
			5}} {
		w, a, err := numeral.Load(text)
		if err != nil || w != want[0] || a != want[1] {
			t.Errorf("%q: %v W, %v A, %v: expected %v", text, w, a, err, want)
		}
	}
	for _, bad := range []string{"lots", "900 W + x", "-5", "5 V"} {
		if _, _, err := numeral.Load(bad); err == nil {
			t.Errorf("%q was taken for a load", bad)
		}
	}
	for text, want := range map[string]string{"1200 W": "", "20 A": "", "1500 VA": "1500 VA",
		" 900 W +  5 A ": "900 W + 5 A"} {
		if got := numeral.LoadTyped(text); got != want {
			t.Errorf("%q is kept as %q, expected %q", text, got, want)
		}
	}
}
