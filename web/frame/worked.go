package frame

import (
	"context"
	"errors"
	"net/url"
	"strings"

	"pandrel/core/base/ask"
	"pandrel/core/base/finding"
	core "pandrel/core/working"
	"pandrel/shop/working"
	"pandrel/web/number"
)

// Worked is a working as it stands at its place in the work: what it says of what is known there, and the page that
// holds it.
type Worked struct {
	Key   string
	Title string
	Says  string
	Said  []number.Datum // the same, its numbers with where they come from
	Level string
	Href  string
}

// WorkedOut answers the workings that a place fills. What cannot be answered from what is known there says so.
func WorkedOut(from string, list []core.Filled) (out []Worked) {
	for _, f := range list {
		w := Worked{Key: f.Working.Key, Title: f.Working.Title, Level: "ready", Href: "/workings/" + f.Working.Key +
			"?" + url.Values{"at": {from}}.Encode()}
		a, err := f.Solve()
		switch {
		case err != nil:
			w.Says, w.Level = stillOpen(f.Working, err), "unknown"
		case a.Level > finding.Note:
			w.Says, w.Level = a.Sentence(), a.Level.String()
		default:
			w.Says = a.Sentence()
		}
		if w.Said = number.Pieces(a.Parts(w.Says)); err != nil {
			w.Said = []number.Datum{{Text: w.Says}}
		}
		out = append(out, w)
	}
	return out
}

// WorkedAt answers the workings of a place.
func (sv *Frame) WorkedAt(ctx context.Context, f working.From) ([]Worked, error) {
	p, err := sv.Shop.Working.At(ctx, f)
	if err != nil {
		return nil, err
	}
	return WorkedOut(p.From.String(), p.Filled), nil
}

// stillOpen names what a working still asks for.
func stillOpen(w core.Working, err error) string {
	var bad *ask.BadInput
	if !errors.As(err, &bad) || bad.Fields[""] != "" {
		return "Not answered from what is on record: " + err.Error() + "."
	}
	var labels []string
	for _, f := range w.Fields {
		if bad.Fields[f.Key] != "" {
			labels = append(labels, strings.ToLower(f.Label[:1])+f.Label[1:])
		}
	}
	return "Still to be said: " + strings.Join(labels, "; ") + "."
}
