package choice

import (
	"net/url"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/module/passage"
)

// Way is a way on of one module: what is done there, and where.
type Way struct{ Do, Number, Path string }

// Name is what a screen reader says of it.
func (w Way) Name() string { return w.Do + " " + w.Number }

// steps are the words and the page of each step.
var steps = map[passage.Step]struct{ do, page string }{
	passage.See: {"See", ""}, passage.Look: {"Look over", "/inspect"}, passage.Close: {"Close", "/open"},
	passage.Isolate: {"Measure isolation of", "/isolation"}, passage.Survey: {"Survey", "/survey"},
	passage.Map: {"Map", "/map"}, passage.RunTest: {"Test", "/test"},
}

// Answers are the ways on from what keeps modules from something, one for each; none from other judgements.
func Answers(f finding.Finding) (out []Way) {
	s, ok := steps[passage.SettledBy(f)]
	if !ok {
		return nil
	}
	for _, n := range strings.Split(f.Subject, ", ") {
		out = append(out, Way{s.do, n, "/modules/" + url.PathEscape(n) + s.page})
	}
	return out
}
