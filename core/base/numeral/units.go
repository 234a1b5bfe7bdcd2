package numeral

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// others are units beside the one that a field is in, and how many of it one of them is.
var others = map[string]map[string]float64{
	"mm":  {"in": 25.4, "inch": 25.4, "inches": 25.4, "\"": 25.4, "″": 25.4, "cm": 10, "m": 1000, "ft": 304.8},
	"m":   {"ft": 0.3048, "feet": 0.3048, "in": 0.0254, "cm": 0.01},
	"kg":  {"lb": 0.45359237, "lbs": 0.45359237, "g": 0.001},
	"h":   {"min": 1.0 / 60, "d": 24, "days": 24},
	"min": {"h": 60, "s": 1.0 / 60, "d": 1440, "days": 1440},
	"mm²": {"mm2": 1, "cm²": 100},
	"Nm":  {"lbf·ft": 1.3558179, "lb-ft": 1.3558179, "lbft": 1.3558179, "in-lb": 0.1129848},
}

// gauge is a wire by its American gauge: AWG 10, 10 AWG, 2/0 AWG.
var gauge = regexp.MustCompile(`(?i)^(?:awg\s*([0-9]{1,2}|[1-4]/0)|([0-9]{1,2}|[1-4]/0)\s*awg)$`)

// ofGauge is its section in mm²: a diameter of 0.127 mm × 92^((36 − n)/39).
func ofGauge(text string) (mm2 float64, ok bool) {
	m := gauge.FindStringSubmatch(text)
	if m == nil {
		return 0, false
	}
	name := m[1] + m[2]
	n, err := strconv.Atoi(name)
	if zeros, found := strings.CutSuffix(name, "/0"); found {
		n, err = strconv.Atoi(zeros)
		n = 1 - n
	}
	if err != nil || n > 40 {
		return 0, false
	}
	d := 0.127 * math.Pow(92, float64(36-n)/39)
	return Round3(math.Pi / 4 * d * d), true
}

// fraction reads inches as they are written: 1/2, 1 1/2.
func fraction(s string) (v float64, ok bool) {
	whole, rest := 0.0, strings.TrimSpace(s)
	if a, b, two := strings.Cut(rest, " "); two {
		n, err := strconv.Atoi(a)
		if err != nil {
			return 0, false
		}
		whole, rest = float64(n), strings.TrimSpace(b)
	}
	a, b, ok := strings.Cut(rest, "/")
	x, err1 := strconv.Atoi(a)
	y, err2 := strconv.Atoi(b)
	if !ok || err1 != nil || err2 != nil || y == 0 {
		return 0, false
	}
	return whole + float64(x)/float64(y), true
}

// inOther reads a number in a unit beside the one that a field is in; ok is false where it is in none of them.
func inOther(t, unit string) (n Number, ok bool) {
	if unit == "mm²" {
		if mm2, ok := ofGauge(t); ok {
			return Number{Value: mm2}, true
		}
	}
	if unit == "°C" {
		before, ok := strings.CutSuffix(t, "°F")
		f, err := Parse(strings.TrimSpace(before))
		if !ok || err != nil {
			return n, false
		}
		return Number{Value: Hundredth((f.Value - 32) / 1.8), LastDigit: f.LastDigit}, true
	}
	best := ""
	for u := range others[unit] {
		if strings.HasSuffix(t, u) && len(u) > len(best) {
			best = u
		}
	}
	if best == "" || strings.HasSuffix(t, unit) && len(unit) >= len(best) {
		return n, false
	}
	before, k := strings.TrimSpace(strings.TrimSuffix(t, best)), others[unit][best]
	if v, ok := fraction(before); ok {
		return Number{Value: Round3(v * k)}, true
	}
	x, err := Parse(before)
	if err != nil {
		return n, false
	}
	v, _ := strconv.ParseFloat(strconv.FormatFloat(x.Value*k, 'g', 12, 64), 64)
	return Number{Value: v, LastDigit: x.LastDigit * k}, true
}

// ends are the units of fields, by how their names end.
var ends = map[string]string{"v": "V", "a": "A", "ah": "Ah", "wh": "Wh", "kwh": "kWh", "w": "W", "mm": "mm",
	"kg": "kg",
	"c":  "°C", "min": "min", "mohm": "mΩ", "mv": "mV", "ma": "mA", "nm": "Nm"}

// UnitOf is the unit that a field is in, "" where its name does not say it: a number may be typed with it behind, or in
// another one.
func UnitOf(name string) string {
	_, end, _ := strings.Cut(name, "_")
	for strings.Contains(end, "_") {
		_, end, _ = strings.Cut(end, "_")
	}
	return ends[end]
}

// Load reads a load in watts, in volt amperes or in amps, as somebody has it: 1200, 1.2 kW, 1500 VA, 20 A; of several
// devices with a plus between them. What a device takes in VA it takes at most in watts.
func Load(s string) (watts, amps float64, err error) {
	if strings.TrimSpace(s) == "" {
		return 0, 0, nil
	}
	for part := range strings.FieldsFuncSeq(s, func(r rune) bool { return r == '+' || r == ';' }) {
		t, unit := strings.TrimSpace(part), "W"
		switch {
		case strings.HasSuffix(t, "kVA"):
			t = strings.TrimSuffix(t, "VA") + "W"
		case strings.HasSuffix(t, "VA"):
			t = strings.TrimSuffix(t, "VA")
		case strings.HasSuffix(t, "A"):
			unit = "A"
		}
		x, err := ParseIn(t, unit)
		switch {
		case err != nil:
			return 0, 0, err
		case x.Value < 0:
			return 0, 0, fmt.Errorf("%q: expected the size of the load, 0 or more", clip(s))
		case unit == "A":
			amps += x.Value
		default:
			watts += x.Value
		}
	}
	return watts, amps, nil
}

// LoadText is a load as a form has it, "" where it is not known.
func LoadText(watts, amps float64) string {
	var parts []string
	if watts > 0 {
		parts = append(parts, Text(watts))
	}
	if amps > 0 {
		parts = append(parts, Text(amps)+" A")
	}
	return strings.Join(parts, " + ")
}

// LoadTyped is a load as it was typed where its watts and amps alone would not say what it is: of several devices, or
// in volt amperes; "" elsewhere.
func LoadTyped(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if strings.ContainsAny(s, "+;") || strings.HasSuffix(s, "VA") {
		return s
	}
	return ""
}
