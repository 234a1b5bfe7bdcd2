// Package number puts numbers of the trade on pages: in a data element each, with the bare value and where it comes
// from.
package number

import (
	"fmt"
	"html/template"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// Datum is a number as a page prints it, with its bare value and where it comes from. Words between have no From.
type Datum struct{ Text, Value, From string }

// Origin says in words where a number comes from.
func (d Datum) Origin() string {
	switch d.From {
	case known.Typed.String():
		return "as typed"
	case "worked": // or nobody wrote down what it rests on
		return "found"
	}
	return d.From
}

// Of is a known number as it is shown.
func Of(f known.Figure) Datum {
	if !f.Is() {
		return Datum{Text: f.String(), From: known.Unknown.String()}
	}
	return Datum{f.String(), strconv.FormatFloat(f.V(), 'g', -1, 64), f.Mark()}
}

// shapes are the ways in which a template writes a number.
var shapes = map[string]func(float64) string{
	"n0":     func(v float64) string { return fmt.Sprintf("%.0f", v) },
	"n1":     func(v float64) string { return fmt.Sprintf("%.1f", v) },
	"n2":     func(v float64) string { return fmt.Sprintf("%.2f", v) },
	"v2":     func(v float64) string { return fmt.Sprintf("%.2f", v) },
	"v3":     func(v float64) string { return fmt.Sprintf("%.3f", v) },
	"g":      numeral.Text,
	"signed": signed,
	"share":  func(v float64) string { return numeral.Text(math.Round(v*1e4) / 100) },
	"pct":    func(v float64) string { return fmt.Sprintf("%.0f", v*100) },
	"pctof":  func(v float64) string { return fmt.Sprintf("%.1f", v*100) },
}

// Shape is one way of writing a number, for what is no number of its own on a page: a value that stands in a field.
func Shape(name string) func(float64) string { return shapes[name] }

// origins are the words for where a number comes from.
var origins = []string{"measured", "typed", "said", "worked", "assumed", "unknown", "limit"}

// Num is a number on a page, in a data element that says where it comes from. v is a float64, or a pointer to one,
// which
// is not known where it is nil.
func Num(from, shape string, v any) (template.HTML, error) {
	write, ok := shapes[shape]
	if !ok || !slices.Contains(origins, from) {
		return "", fmt.Errorf("a number from %q as %q: expected one of %v", from, shape, origins)
	}
	var x float64
	switch v := v.(type) {
	case float64:
		x = v
	case *float64:
		if v == nil {
			return `<data data-from="unknown">not known</data>`, nil
		}
		x = *v
	case float32:
		x = float64(v)
	case int:
		x = float64(v)
	default:
		return "", fmt.Errorf("%T is no number", v)
	}
	text := template.HTMLEscapeString(write(x))
	value := strings.Replace(strings.TrimPrefix(text, "+"), "−", "-",
		1)
	element := `<data value="` + value + `" data-from="` + from + `">` + text + `</data>`
	return template.HTML(element), nil //nolint:gosec // its parts are digits, escaped, and words of a list
}

// Figure is a number or an interval that is text already, as answers of workings write them: in a data element where it
// begins with a digit, with that number as its value. Words stay as they are.
func Figure(from string, v any) (template.HTML, error) {
	if ready, ok := v.(template.HTML); ok {
		return ready, nil
	}
	text := plainly(v)
	if slices.ContainsFunc(figure.Split(text), func(p figure.Piece) bool { return p.Number }) {
		return Tell(from, text)
	}
	if !slices.Contains(origins, from) {
		return "", fmt.Errorf("a number from %q: expected one of %v", from, origins)
	}
	plain := strings.NewReplacer("−", "-", "±", "", "about ", "", "at least ", "", "at most ", "").Replace(text)
	end := strings.IndexFunc(plain, func(r rune) bool { return !strings.ContainsRune("+-0123456789.", r) })
	if end < 0 {
		end = len(plain)
	}
	escaped := template.HTMLEscapeString(text)
	if v, err := strconv.ParseFloat(plain[:end], 64); err == nil {
		value := strconv.FormatFloat(v, 'g', -1, 64)
		escaped = `<data value="` + value + `" data-from="` + from + `">` + escaped + `</data>`
	}
	return template.HTML(escaped), nil //nolint:gosec // escaped above
}

// Tell is a text in which numbers of the trade stand, each in a data element that says where it comes from.
func Tell(from string, text any) (template.HTML, error) {
	if ready, ok := text.(template.HTML); ok {
		return ready, nil
	}
	if !slices.Contains(origins, from) {
		return "", fmt.Errorf("numbers from %q: expected one of %v", from, origins)
	}
	words := plainly(text)
	if !figure.HasDigit(words) {
		return template.HTML(template.HTMLEscapeString(words)), nil //nolint:gosec // escaped
	}
	var b strings.Builder
	for _, p := range figure.Split(words) {
		escaped := template.HTMLEscapeString(p.Text)
		if p.Number {
			escaped = `<data value="` + strconv.FormatFloat(p.Value, 'g', -1,
				64) + `" data-from="` + from + `">` + escaped +
				`</data>`
		}
		b.WriteString(escaped)
	}
	return template.HTML(b.String()), nil //nolint:gosec // each piece is escaped above
}

// plainly is what a template prints of a value.
func plainly(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case fmt.Stringer:
		return v.String()
	}
	if p := reflect.ValueOf(v); p.Kind() == reflect.Pointer && !p.IsNil() {
		return fmt.Sprint(p.Elem().Interface())
	}
	return fmt.Sprint(v)
}

// Pieces makes the pieces of a sentence ready for a page.
func Pieces(parts []finding.Part) []Datum {
	out := make([]Datum, len(parts))
	for i, p := range parts {
		out[i] = Datum{Text: p.Text}
		if p.Number.Is() {
			out[i] = Datum{p.Text, strconv.FormatFloat(p.Number.V(), 'g', -1, 64), p.Number.Mark()}
		}
	}
	return out
}

// OfFinding is a number of a finding, nil where it has none.
func OfFinding(v known.Value, unit string) *Datum {
	if !v.Is() {
		return nil
	}
	return &Datum{strings.TrimSpace(plain(v.V()) + " " + unit), strconv.FormatFloat(v.V(), 'g', -1, 64), v.Mark()}
}

// plain writes a finding's number with as many decimals as it has, at most three.
func plain(v float64) string {
	return strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.3f", v), "0"), ".")
}

// signed writes a current with its sign, a true minus for what is taken out.
func signed(v float64) string { return strings.Replace(fmt.Sprintf("%+.1f", v), "-", "−", 1) }
