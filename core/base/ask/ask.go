// Package ask is how a question is asked and answered. What it takes is a struct; its tags say for each field how it
// is asked: label, unit, range, an example, what is usual. From them come the fields of a page, the arguments of a
// command and a link that holds what was typed. A number that nobody gave stays open: it is not known, and not nought.
//
// An answer is sentences, lines, tables and a picture. Its numbers are marked with the weakest source that they rest
// on, and what was taken for what nobody gave is said beside it.
package ask

import (
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// Values are what was typed, by the key of its field: a link, a form and a kept answer hold them.
type Values map[string]string

// Sources are where values come from, by the key of their field; what is not named was typed.
type Sources map[string]known.Source

// Over are values with others over them; what is no field is left out.
func (v Values) Over(own Values) Values {
	out := maps.Clone(v)
	for k, x := range own {
		if _, ok := out[k]; ok {
			out[k] = x
		}
	}
	return out
}

// BadInput names fields that cannot be as they were typed.
type BadInput struct{ Fields map[string]string }

func (b *BadInput) Error() string {
	var parts []string
	for _, k := range slices.Sorted(maps.Keys(b.Fields)) {
		if k == "" {
			parts = append(parts, b.Fields[k])
			continue
		}
		parts = append(parts, k+": "+b.Fields[k])
	}
	return strings.Join(parts, "; ")
}

// longestText bounds what one field may hold.
const longestText = 8000

// slip is what cannot be in one field.
type slip struct {
	at   any // a pointer to the field
	text string
	help bool // say how the field is typed
}

func (s *slip) Error() string { return s.text }

// Bad says that a field cannot be as it is.
func Bad(at any, format string, args ...any) error {
	return &slip{at, fmt.Sprintf(format, args...), false}
}

// Unlike says that a word in a line means nothing.
func Unlike(at any, line, word string) error {
	return &slip{at, fmt.Sprintf("%s: %.20q means nothing here", line, word), true}
}

// lower writes a label within a sentence.
func lower(s string) string {
	if len(s) > 1 && s[1] >= 'A' && s[1] <= 'Z' { // BMS
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}

// Read reads what was typed into a struct with such fields, and returns the weakest source of what was given. Input
// that cannot be is a *BadInput.
func Read(fields []Field, v Values, from Sources, into reflect.Value) (known.Source, error) {
	r := &reader{v: v, from: from, bad: map[string]string{}}
	rests := known.Limit
	for _, f := range fields {
		if len(v[f.Key]) > longestText {
			r.bad[f.Key] = fmt.Sprintf("expected at most %d letters", longestText)
			continue
		}
		if strings.TrimSpace(v[f.Key]) != "" {
			rests = min(rests, r.source(f))
		}
		r.read(f, into.FieldByIndex(f.index))
	}
	if len(r.bad) > 0 {
		return rests, &BadInput{r.bad}
	}
	return rests, nil
}

// Answered lets what was read answer; rests is the weakest that it rests on. What is usual stands for what nobody gave,
// and the answer says so. Input that cannot be is a *BadInput.
func Answered(fields []Field, in reflect.Value, rests known.Source) (Answer, error) {
	a := Answer{Lines: []Line{}, Tables: []Table{}, Formula: []string{}, Findings: []finding.Finding{},
		Assumed: []string{}, Uses: map[string]string{}, rests: rests}
	for _, f := range fields {
		v, ok := in.Elem().FieldByIndex(f.index).Addr().Interface().(*known.Value)
		if !ok {
			continue
		}
		if !v.Is() && f.Usual != "" {
			*v = known.Of(f.usual, known.Assumed)
		}
		if !v.Is() {
			continue
		}
		a.rests = min(a.rests, v.From())
		stands := *v
		if f.read { // how finely it was read is no part of what is assumed
			stands = known.Of(v.V(), v.From())
		}
		switch shown := stands.In(figure.Decimals(v.V()), f.Unit); {
		case v.From() == known.Assumed && f.Usual != "":
			a.Assume("%s: %s, usual", lower(f.Label), shown)
		case v.From() == known.Assumed:
			a.Assume("%s: %s", lower(f.Label), shown)
		}
	}
	if err := Told(fields, in, in.Interface().(Input).Answer(&a)); err != nil {
		return Answer{}, err
	}
	a.Findings = finding.Sorted(append([]finding.Finding{}, a.Findings...))
	a.Level = max(a.Level, finding.Worst(a.Findings))
	a.settle()
	return a, nil
}

// Told names the field of an error of Bad or Unlike: whatever was wrong with a struct comes as a *BadInput.
func Told(fields []Field, in reflect.Value, err error) error {
	var bad *slip
	switch {
	case err == nil:
		return nil
	case !errors.As(err, &bad):
		return &BadInput{map[string]string{"": err.Error()}}
	}
	bads := map[string]string{"": bad.Error()}
	for _, f := range fields {
		if in.Elem().FieldByIndex(f.index).Addr().Interface() != bad.at {
			continue
		}
		if bads = map[string]string{f.Key: bad.text}; bad.help {
			bads[f.Key] += ". Expected " + f.Help
		}
	}
	return &BadInput{bads}
}

// Input is what a working takes: a struct whose fields say in their tags how they are asked, and what answers from it.
// An error is for input that cannot be.
type Input interface{ Answer(a *Answer) error }
