package choice

import (
	"fmt"
	"net/url"
	"strings"

	"pandrel/core/base/finding"
)

// Way is a way on from a finding: what is done there, of what, and where.
type Way struct{ Do, Of, Path string }

// Name is what a screen reader says of it.
func (w Way) Name() string { return strings.TrimSpace(w.Do + " " + w.Of) }

// Shown is a finding as a page shows it, with the ways on from it.
type Shown struct {
	finding.Finding
	Ways []Way
}

// ofModule are the words and the page for each place of a module.
var ofModule = map[finding.Place]struct{ do, page string }{
	finding.PlaceRecord: {"See", ""}, finding.PlaceLook: {"Look over", "/inspect"},
	finding.PlaceClose: {"Close", "/open"}, finding.PlaceIsolate: {"Measure isolation of", "/isolation"},
	finding.PlaceSurvey: {"Survey", "/survey"}, finding.PlaceMap: {"Map", "/map"},
	finding.PlaceRegroup: {"Go on with", "/regroup"}, finding.PlaceTest: {"Test", "/test"},
	finding.PlaceType: {"Its type:", "/type"},
}

// ofBank are the words and the part of the page for each place of a bank or of a type.
var ofBank = map[finding.Place]struct{ do, part string }{
	finding.PlaceNeed: {"To the need", "#need"}, finding.PlaceFrost: {"Answer it", "#frost"},
	finding.PlaceBMS:   {"To its BMS", "#bms"},
	finding.PlaceParts: {"To the ratings", "#parts"}, finding.PlaceHangs: {"To what hangs on it", "#hangs"},
	finding.PlaceLeads: {"Measure the leads", "#sense"}, finding.PlaceGates: {"To the gates", "#gates"},
	finding.PlaceBuild:  {"To the build", "#build"},
	finding.PlaceGroups: {"Survey its groups", "#groups"}, finding.PlaceInside: {"What is inside", "#inside"},
	finding.PlaceJoints: {"To the joints", "#joints"}, finding.PlaceKnown: {"What each holds", "#known"},
}

// Leading shows findings with the ways on from them. Places of a bank or of a type are parts of the page at base, ""
// for the page on which they stand. What blocks and names no place of its own leads to path, with the words of do.
func Leading(base, do, path string, fs []finding.Finding) []Shown {
	out := make([]Shown, len(fs))
	for i, f := range fs {
		out[i] = Shown{f, waysOf(f, base)}
		if len(out[i].Ways) == 0 && f.Level >= finding.Stop && path != "" {
			out[i].Ways = []Way{{Of: do, Path: path}}
		}
	}
	return out
}

// ShownOf is Leading for what a template hands over as it is.
func ShownOf(list any) ([]Shown, error) {
	switch l := list.(type) {
	case []Shown:
		return l, nil
	case []finding.Finding:
		return Leading("", "", "", l), nil
	case *finding.Finding:
		return Leading("", "", "", []finding.Finding{*l}), nil
	}
	return nil, fmt.Errorf("%T: expected findings", list)
}

func waysOf(f finding.Finding, base string) (out []Way) {
	if s, ok := ofModule[f.Place]; ok {
		for _, n := range strings.Split(f.Subject, ", ") {
			out = append(out, Way{s.do, n, "/modules/" + url.PathEscape(n) + s.page})
		}
		return out
	}
	if s, ok := ofBank[f.Place]; ok {
		return []Way{{Of: s.do, Path: base + s.part}}
	}
	return nil
}

// Above is the page of what an address is about, to which a refusal leads: "" where that is the address itself, or
// nothing of the workshop.
func Above(path string) (name, to string) {
	parts := strings.SplitN(strings.Trim(path, "/"), "/", 3)
	if len(parts) < 3 {
		return "", ""
	}
	switch parts[0] {
	case "modules":
		return "To the module", "/modules/" + parts[1]
	case "banks":
		return "To the bank", "/banks/" + parts[1]
	case "types":
		return "To the type", "/types/" + parts[1]
	case "lots":
		return "To the lot", "/lots/" + parts[1]
	}
	return "", ""
}
