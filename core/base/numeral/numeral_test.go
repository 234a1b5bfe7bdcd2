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
		"--3", "0x10", "."} {
		if n, err := numeral.Parse(in); err == nil {
			t.Errorf("%q was read as %v", in, n)
		} else if !strings.Contains(err.Error(), "expected") {
			t.Errorf("%q: error does not say what was expected: %v", in, err)
		}
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
		// Swapping the decimal marks must not change a number that has only one.
		if strings.Count(s, ".")+strings.Count(s, ",") == 1 {
			swapped := strings.NewReplacer(".", ",", ",", ".").Replace(s)
			if m, err := numeral.Parse(swapped); err != nil || m.Value != n.Value {
				t.Fatalf("%q = %v but %q = %v, %v", s, n.Value, swapped, m.Value, err)
			}
		}
	})
}
