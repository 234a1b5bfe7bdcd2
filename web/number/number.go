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
	return Datum{f.String(), short(f.V()), f.Mark()}
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
	text := write(x)
	return element(from, strings.Replace(strings.TrimPrefix(text, "+"), "−", "-", 1), text), nil
}

// Known is a known number on a page, the interval where it has one.
func Known(shape string, v known.Value) (template.HTML, error) {
	decimals, ok := strings.CutPrefix(shape, "n")
	n, err := strconv.Atoi(decimals)
	if !ok || err != nil {
		return "", fmt.Errorf("a known number as %q: expected n and its decimals", shape)
	}
	d := Of(v.In(n, ""))
	return element(d.From, d.Value, d.Text), nil
}

// Marked is Known with its unit, and the word for what is not known for certain behind it: an assumption, or what
// somebody said. An assumption leads to the place that replaces it, where one is given.
func Marked(shape, unit string, v known.Value, to ...string) (template.HTML, error) {
	text, err := Known(shape, v)
	if err != nil || !v.Is() {
		return text, err
	}
	behind := " <small>" + template.HTMLEscapeString(unit) + "</small>"
	if m := v.From(); m == known.Assumed || m == known.Said {
		word := m.String()
		if m == known.Assumed && len(to) > 0 {
			word = `<a href="` + template.HTMLEscapeString(to[0]) + `">` + word + "</a>"
		}
		behind += ` <small class="text-body-secondary fst-italic">` + word + "</small>"
	}
	return text + template.HTML(behind), nil //nolint:gosec // escaped above
}

// element is a number as it stands on a page.
func element(from, value, text string) template.HTML {
	data := `<data value="` + value + `" data-from="` + from + `">` + template.HTMLEscapeString(text) + `</data>`
	return template.HTML(data) //nolint:gosec // digits, a word of a list, and what is escaped
}

// short is a bare value.
func short(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// bounds are the words that may stand before a number and say which way it is open.
var bounds = []string{"about ", "at least ", "at most "}

// Figure is a number or an interval that is text already, as answers of workings write them: in a data element where it
// begins with a digit, with that number as its value. Words stay as they are.
func Figure(from string, v any) (template.HTML, error) {
	if ready, ok := v.(template.HTML); ok {
		return ready, nil
	}
	text, words := plainly(v), 0
	for _, w := range bounds {
		if strings.HasPrefix(text, w) {
			words = len(w)
		}
	}
	end, first, ok := figure.Lead(text[words:])
	if !ok {
		return Tell(from, text)
	}
	rest, err := Tell(from, text[words+end:])
	before := template.HTML(text[:words]) //nolint:gosec // one of a list
	return before + element(from, short(first), text[words:words+end]) + rest, err
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
		if p.Number {
			b.WriteString(string(element(from, short(p.Value), p.Text)))
		} else {
			b.WriteString(template.HTMLEscapeString(p.Text))
		}
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
			out[i] = Datum{p.Text, short(p.Number.V()), p.Number.Mark()}
		}
	}
	return out
}

// OfFinding is a number of a finding, nil where it has none.
func OfFinding(v known.Value, unit string) *Datum {
	if !v.Is() {
		return nil
	}
	return &Datum{strings.TrimSpace(plain(v.V()) + " " + counted(v.V(), unit)), short(v.V()), v.Mark()}
}

// counted is a unit that counts things, as it is read behind one of them.
func counted(v float64, unit string) string {
	if v != 1 || len(unit) < 4 {
		return unit
	}
	return strings.TrimSuffix(strings.Replace(unit, "switches", "switchs", 1), "s")
}

// plain writes a finding's number with as many decimals as it has, at most three.
func plain(v float64) string {
	return strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.3f", v), "0"), ".")
}

// signed writes a current with its sign, a true minus for what is taken out.
func signed(v float64) string { return strings.Replace(fmt.Sprintf("%+.1f", v), "-", "−", 1) }
