package numeral_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/base/numeral"
)

func ExampleParse() {
	for _, s := range []string{"3.845", "3,845", "1.234,5"} {
		n, err := numeral.Parse(s)
		fmt.Println(n.Value, n.LastDigit, err)
	}
	// Output:
	// 3.845 0.001 <nil>
	// 3.845 0.001 <nil>
	// 1234.5 0.1 <nil>
}

func ExampleSlipped() {
	offer, ok := numeral.Slipped(3845, 2.0, 4.3)
	fmt.Println(offer, ok)
	// Output: 3.845 true
}

func TestParse(t *testing.T) {
	good := []struct {
		in          string
		want, digit float64
	}{
		{"3.845", 3.845, 0.001}, {"3,845", 3.845, 0.001}, {" 12 ", 12, 1}, {"-0,5", -0.5, 0.1},
		{"−3.2", -3.2, 0.1}, {"1,234.5", 1234.5, 0.1}, {"1.234.567,8", 1234567.8, 0.1},
		{"2e-3", 0.002, 0.001}, {"1.5E2", 150, 10}, {"0", 0, 1}, {"+4.2", 4.2, 0.1},
		{"1 234,5", 1234.5, 0.1}, {"12 345", 12345, 1}, {"1'234.50", 1234.5, 0.01}, {"1\u202f234,5", 1234.5, 0.1},
		{"٣٫٨٤٥", 3.845, 0.001}, {"३.८४५", 3.845, 0.001}, {"３．８４５", 3.845, 0.001}, {"−٤", -4, 1}, {"𝟛.𝟠", 3.8, 0.1},
		{"٣٬٨٤٥", 3845, 1},
	}
	for _, c := range good {
		t.Run(c.in, func(t *testing.T) {
			n, err := numeral.Parse(c.in)
			if err != nil || math.Abs(n.Value-c.want) > 1e-9 || math.Abs(n.LastDigit/c.digit-1) > 1e-9 {
				t.Errorf("%q = %v, %v; want %v with last digit %v", c.in, n, err, c.want, c.digit)
			}
		})
	}
	for _, in := range []string{"", "  ", "abc", "3.8 V", "3.8V", "1.2.3", "1,2,3", "1,23.4", "NaN", "Inf", "1e999",
		"--3", "0x10", ".", "1e308", "-1e13", "1e-300", "3 84", "3. 845", "38 45", "3 845 V", "3,8 3,9", " '",
		"1e-99999999999", "1'23"} {
		if n, err := numeral.Parse(in); err == nil {
			t.Errorf("%q was read as %v", in, n)
		} else if !strings.Contains(err.Error(), "expected") {
			t.Errorf("%q: error does not say what was expected: %v", in, err)
		}
	}
}

func TestAUnitMayStandBehind(t *testing.T) {
	for in, want := range map[string]float64{"3.845": 3.845, "3,845 V": 3.845, "3.845v": 3.845, "3845 mV": 3.845,
		"3845mV": 3.845, "0.0481 kV": 48.1, "1 234 mV": 1.234} {
		t.Run(in, func(t *testing.T) {
			n, err := numeral.ParseIn(in, "V")
			if err != nil || n.Value != want {
				t.Errorf("%v, %v: expected %v", n.Value, err, want)
			}
		})
	}
	for _, in := range []string{"V", "mV", "3.8 A", "3.8 Ah", "3.8 MV", "3.8 V V", "", "3.8 V 2"} {
		t.Run("not "+in, func(t *testing.T) {
			if n, err := numeral.ParseIn(in, "V"); err == nil {
				t.Errorf("read as %v", n)
			}
		})
	}
	if n, _ := numeral.ParseIn("3845 mV", "V"); math.Abs(n.LastDigit-0.001) > 1e-12 {
		t.Errorf("last digit %v", n.LastDigit)
	}
}

func TestSlipped(t *testing.T) {
	cases := []struct {
		name  string
		v     float64
		offer float64
		ok    bool
	}{
		{"millivolts typed", 3845, 3.845, true},
		{"point one place right", 38.45, 3.845, true},
		{"point one place left", 0.3845, 3.845, true},
		{"inside already", 3.845, 0, false},
		{"zero is not a slip", 0, 0, false},
		{"negative is not a slip", -3.8, 0, false},
		{"no shift fits", 7.9, 0, false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			offer, ok := numeral.Slipped(c.v, 2.0, 4.3)
			if ok != c.ok || math.Abs(offer-c.offer) > 1e-9 {
				t.Errorf("%s: Slipped(%v) = %v, %v", c.name, c.v, offer, ok)
			}
		})
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"3.845", "3,845", "1.234,5", "-", "e", "1e", ",", "١"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		n, err := numeral.Parse(s)
		if err != nil {
			return
		}
		if math.IsNaN(n.Value) || math.IsInf(n.Value, 0) {
			t.Fatalf("%q gave %v", s, n.Value)
		}
		if a := math.Abs(n.Value); a > 1e12 || !(n.LastDigit > 0) || math.IsInf(1/n.LastDigit, 0) {
			t.Fatalf("%q gave %v with last digit %v", s, n.Value, n.LastDigit)
		}
		// Swapping the decimal marks must not change a number that has only one.
		if strings.Count(s, ".")+strings.Count(s, ",") == 1 {
			swapped := strings.NewReplacer(".", ",", ",", ".").Replace(s)
			if m, err := numeral.Parse(swapped); err != nil || m.Value != n.Value {
				t.Fatalf("%q = %v but %q = %v, %v", s, n.Value, swapped, m.Value, err)
			}
		}
	})
}

func FuzzParseIn(f *testing.F) {
	for _, s := range []string{"3.8 V", "3800mV", "V", "k", "µV", "1e9kV"} {
		f.Add(s, "V")
	}
	f.Fuzz(func(t *testing.T, s, unit string) {
		n, err := numeral.ParseIn(s, unit)
		if err == nil && (math.IsNaN(n.Value) || math.Abs(n.Value) > 1e15 || !(n.LastDigit > 0)) {
			t.Fatalf("%q in %q gave %+v", s, unit, n)
		}
	})
}
