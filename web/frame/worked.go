package frame

import (
	"context"
	"errors"
	"net/url"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/shelf"
	"pandrel/core/shelf/fill"
	"pandrel/shop/sums"
)

// Worked is a working as it stands at its place in the work: what it says of what is known there, and the page that
// holds it.
type Worked struct {
	Key   string
	Title string
	Says  string
	Level string
	Href  string
}

// WorkedOut answers the workings that a place fills. What cannot be answered from what is known there says so.
func WorkedOut(from string, list []fill.Filled) (out []Worked) {
	for _, f := range list {
		w := Worked{Key: f.Working.Key, Title: f.Working.Title, Level: "ready", Href: "/workings/" + f.Working.Key +
			"?" + url.Values{"at": {from}}.Encode()}
		a, err := f.Working.Solve(f.Values)
		switch {
		case err != nil:
			w.Says, w.Level = stillOpen(f.Working, err), "unknown"
		case a.Level > finding.Note:
			w.Says, w.Level = a.Says, a.Level.String()
		default:
			w.Says = a.Says
		}
		out = append(out, w)
	}
	return out
}

// WorkedAt answers the workings of a place.
func (sv *Frame) WorkedAt(ctx context.Context, f sums.From) ([]Worked, error) {
	p, err := sv.Shop.Sums.At(ctx, f)
	if err != nil {
		return nil, err
	}
	return WorkedOut(p.From.String(), p.Filled), nil
}

// stillOpen names what a working still asks for.
func stillOpen(w shelf.Working, err error) string {
	var bad *shelf.BadInput
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
