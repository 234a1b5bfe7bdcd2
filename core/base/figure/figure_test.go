package figure_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/figure"
)

func ExampleSplit() {
	for _, p := range figure.Split("Group 3 of K-014 reads 3.19 to 3.25 V, 12 mV below.") {
		if p.Number {
			fmt.Println(p.Text, p.Value)
		}
	}
	// Output:
	// 3.19 to 3.25 3.19
	// 12 12
}

// A number of the trade has a unit behind it; what is part of a name, a date or a class is words.
func TestSplit(t *testing.T) {
	for text, want := range map[string]string{
		"3.65 V":                               "[3.65] V",
		"-20 to 60 °C":                         "[-20 to 60] °C",
		"+2 to +6 Ah":                          "[+2 to +6] Ah",
		"−12 mV, 5 mm² and 6 mm":               "[−12] mV, [5] mm² and [6] mm",
		"a 48 V system of 7S4P, M6, AWG 8":     "a 48 V system of 7S4P, M6, AWG 8",
		"T24-100 opens at 2 A":                 "T24-100 opens at [2] A",
		"2026-11-28 16:05 AB":                  "2026-11-28 16:05 AB",
		"45.2 ± 0.3 Ah, 80 % of it":            "[45.2 ± 0.3] Ah, [80] % of it",
		"8 groups, 3 of 4":                     "8 groups, 3 of 4",
		"58.4 V (16 × 3.65 V)":                 "[58.4] V (16 × [3.65] V)",
		"25.6 V, 24 V":                         "[25.6] V, 24 V",
		"a charger 2 V above":                  "a charger [2] V above",
		"12 V to 14.4 V":                       "12 V to [14.4] V",
		"in 3 hours":                           "in 3 hours",
		"1 h 30 min":                           "[1] h [30] min",
		"":                                     "",
		"5":                                    "5",
		"rises 4 A":                            "rises [4] A",
		"joints 4-8, 12:30 AK":                 "joints 4-8, 12:30 AK",
		"bears 100 A · found 50 A, limit 40 A": "bears [100] A · found [50] A, limit [40] A",
	} {
		var b strings.Builder
		for _, p := range figure.Split(text) {
			if p.Number {
				b.WriteString("[" + p.Text + "]")
			} else {
				b.WriteString(p.Text)
			}
		}
		if b.String() != want {
			t.Errorf("%q: %q, expected %q", text, b.String(), want)
		}
	}
}

func FuzzSplit(f *testing.F) {
	f.Add("Group 3 of K-014 reads 3.19 to 3.25 V")
	f.Add("1.2.3 V ± 4 to 5 – 6 %")
	f.Fuzz(func(t *testing.T, text string) {
		whole := ""
		for _, p := range figure.Split(text) {
			whole += p.Text
		}
		if whole != text {
			t.Errorf("%q became %q", text, whole)
		}
	})
}

func BenchmarkSplit(b *testing.B) {
	for b.Loop() {
		figure.Split("Group 3 is 12 mV below its siblings where the curve is flat: its charge differs by 2 to 5 Ah.")
	}
}

// About three figures, whatever the size; an interval that shows the same at both ends is one number.
func TestFigures(t *testing.T) {
	for _, c := range []struct {
		got  figure.Text
		want string
	}{{figure.Of(1234.5), "1234"}, {figure.Of(12.34), "12.3"}, {figure.Of(1.5), "1.5"}, {figure.Of(0.1234), "0.123"},
		{figure.Of(0), "0"}, {figure.Of(-0.00001), "0"}, {figure.Dec(-0.001, 1), "0.0"},
		{figure.Span(1.231, 1.234), "1.23"}, {figure.Span(0.3, 1.3), "0.30 to 1.30"}, {figure.Hours(0.005), "18 s"},
		{figure.Hours(1.5), "90 min"}, {figure.Hours(5), "5.0 h"}, {figure.Hours(100), "4 days"},
		{figure.HoursTo(1, 1), "60 min"}, {figure.HoursTo(1, 100), "60 min to 4 days"}} {
		if string(c.got) != c.want {
			t.Errorf("%q, expected %q", c.got, c.want)
		}
	}
}
