// Package look is what is looked at before a module is measured, and what follows from each thing seen.
//
// Consequences are those of the rules' hazards: go on, clean and look again, park outside (quarantine), scrap. A
// swollen, punctured, wet, hot or smelling module goes no further, whatever else is fine. Thickness is judged against
// the type's nominal; the limits are typical values, the maker's own come first.
package look

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/finding"
)

// Outcome is what follows from a look.
type Outcome string

// Outcomes of a look, mildest first.
const (
	GoOn       Outcome = "go on"
	Clean      Outcome = "clean and look again"
	Quarantine Outcome = "quarantine"
	Scrap      Outcome = "scrap"
)

// Away reports whether nothing may be measured on the module any more.
func (o Outcome) Away() bool { return o == Quarantine || o == Scrap }

var severity = []Outcome{GoOn, Clean, Quarantine, Scrap}

// Worse returns the harder of two outcomes.
func Worse(a, b Outcome) Outcome {
	if slices.Index(severity, b) > slices.Index(severity, a) {
		return b
	}
	return a
}

// Sign is something that can be seen. Word is how it is kept.
type Sign struct {
	Word    string
	Text    string
	Outcome Outcome
	Do      string
}

// Look is one thing to look at. Key is how a type names it; Where is the place to look at on most
// modules, which a type may replace.
type Look struct {
	Key   string
	Title string
	Where string
	Fine  string // what is said when nothing is found
	// Always is true for what can be dangerous: a type cannot leave it out.
	Always bool
	Signs  []Sign
}

const outside = "Carry it outdoors, away from anything that burns, with two people above 25 kg. Nothing is " +
	"measured on it."

// Looks returns the looks in the order in which a hand goes over a module.
func Looks() []Look {
	return []Look{
		{"smell", "Smell and warmth", "Before touching: sweet or sharp smell, warm to the back of the hand",
			"no smell, cold", true, []Sign{
				{"smell", "smells of electrolyte", Quarantine, outside},
				{"hot", "warm to the hand", Quarantine, outside}}},
		{"swelling", "Swelling", "Flat sides and end plates, against a straight edge", "flat", true, []Sign{
			{"swollen", "swollen", Quarantine, outside}}},
		{"skin", "Case and cells", "All sides, edges and corners", "whole", true, []Sign{
			{"dented", "dented", Clean, "Measure the thickness at the dent and isolation to the case before it " +
				"goes on."}, {"punctured", "punctured", Quarantine, outside},
			{"burnt", "burnt, or traces of fire", Scrap, "Park it outdoors, then to a licensed recycler. No part " +
				"of it is used."}}},
		{"wet", "Wet and water marks", "Under covers, in connectors, at the lowest corner", "dry", true, []Sign{
			{"paste", "coolant paste or dust on it", Clean, "Wipe it off dry, then isolation to the case."},
			{"watermark", "water marks inside", Quarantine, "Treat as flooded until its history says otherwise. " +
				outside}, {"wet", "wet, or electrolyte", Quarantine, outside}}},
		{"posts", "Posts", "Threads and contact faces", "clean", false, []Sign{
			{"corroded", "corroded", Clean, "Clean the contact face bare, then look again."},
			{"threads", "stripped threads", Clean, "Repair with an insert short enough to clear the cell, or keep " +
				"it for parts."}}},
		{"sense", "Sense wires", "From the taps to the connector", "whole", false, []Sign{
			{"sense", "cut or spliced", Clean, "Insulate every end now: each is live. Map the connector again."}}},
		{"cover", "Covers", "Over posts and taps", "there", false, []Sign{
			{"cover", "missing", Clean, "Cover the posts with insulating caps before it is moved."}}},
	}
}

// Note is what a type says of one look: where to look, or that there is nothing to look at.
type Note struct {
	Where string `json:"Where"`
	Skip  bool   `json:"Skip"`
}

// Notes are what a type says of its looks, by their keys.
type Notes = map[string]Note

// OfType is one look as it is for a type.
type OfType struct {
	Look
	Note Note
}

// For returns the looks for a type, all of them: those that do not apply are marked. A type of which nothing was
// said and that has no sense pins has no sense wires to look at.
func For(notes Notes, pins bool) []OfType {
	var out []OfType
	for _, l := range Looks() {
		n := notes[l.Key]
		if n.Where != "" {
			l.Where = n.Where
		}
		if l.Key == "sense" && !pins && notes == nil {
			n.Skip = true
		}
		out = append(out, OfType{l, n})
	}
	return out
}

// Hard reports whether a sign sends a module away whatever else is fine.
func Hard(word string) bool {
	s, ok := Lookup(word)
	return ok && s.Outcome.Away()
}

// Lookup finds a sign by its word.
func Lookup(word string) (Sign, bool) {
	for _, l := range Looks() {
		for _, s := range l.Signs {
			if s.Word == word {
				return s, true
			}
		}
	}
	return Sign{}, false
}

// Limits of thickness over the nominal one, as fractions, and what a caliper can tell.
const (
	GrownFraction   = 0.02 // more: clean, let it settle, measure again
	SwollenFraction = 0.05 // more: swollen
	CaliperMM       = 0.5
)

const rule = "hazards; thickness limits are typical"

// ErrThickness is the error of a thickness that no module can have.
var ErrThickness = errors.New("thickness")

// Seen is what was found on one module. ThicknessMM is 0 where it was not measured, NominalMM where
// the type has none. Mended says that the milder signs were seen to.
type Seen struct {
	Words       []string
	Mended      bool
	ThicknessMM float64
	NominalMM   float64
}

// JudgeSigns returns the outcome with a finding for each sign, hardest first. It fails for a sign that is
// not known or a thickness that no module has.
func JudgeSigns(s Seen) (outcome Outcome, fs []finding.Finding, err error) {
	outcome = GoOn
	if math.IsNaN(s.ThicknessMM) || s.ThicknessMM < 0 || s.ThicknessMM > 2000 {
		return "", nil, fmt.Errorf("%w %v mm: expected 0 (not measured) to 2000 mm", ErrThickness, s.ThicknessMM)
	}
	add := func(word string, what Outcome, text, do string, measured, limit *float64) {
		f := finding.New(finding.Caution, "seen-"+word).About("look").ReadsIf(measured, "").AgainstIf(limit).By(rule).
			Says("%s", text).
			Then("%s", do)
		if measured != nil {
			f.Unit = "mm"
		}
		switch {
		case what.Away():
			f.Level = finding.Refuse
		case what == Clean:
			if s.Mended {
				f.Level, f.Do, what = finding.Note, "Seen to. Look at it again at the next station.", GoOn
			}
		default:
			f.Level = finding.Note
		}
		outcome = Worse(outcome, what)
		fs = append(fs, f)
	}
	for _, w := range s.Words {
		sg, ok := Lookup(w)
		if !ok {
			return "", nil, fmt.Errorf("%q: expected one of the signs on the form", w)
		}
		add(sg.Word, sg.Outcome, "Seen: "+sg.Text+".", sg.Do, nil, nil)
	}
	if s.ThicknessMM > 0 {
		s.judgeThickness(add)
	}
	slices.SortStableFunc(fs, func(a, b finding.Finding) int { return int(b.Level) - int(a.Level) })
	return outcome, fs, nil
}

func (s Seen) judgeThickness(add func(word string, what Outcome, text, do string, measured, limit *float64)) {
	m := finding.Of(s.ThicknessMM)
	if s.NominalMM <= 0 {
		add("thickness", GoOn, fmt.Sprintf("%.1f mm thick; the type has no nominal thickness to compare with.",
			s.ThicknessMM), "Measure a good one and write it on the type.", m, nil)
		return
	}
	grown := s.ThicknessMM - s.NominalMM
	text := fmt.Sprintf("%.1f mm thick, nominal %.1f mm: %+.1f mm, %+.1f %%.", s.ThicknessMM, s.NominalMM, grown,
		100*grown/s.NominalMM)
	grownMM, swollenMM := max(s.NominalMM*GrownFraction, CaliperMM), max(s.NominalMM*SwollenFraction, 2*CaliperMM)
	switch {
	case grown > swollenMM:
		add("swollen", Quarantine, text+" Swollen.", outside, m, finding.Of(s.NominalMM+swollenMM))
	case grown > grownMM:
		add("grown", Clean, text, "Let it stand a day under its end plates and measure again at the same place.", m,
			finding.Of(s.NominalMM+grownMM))
	case grown < -grownMM:
		add("thin", Clean, text+" Thinner than its type.", "Is it this type, and measured at the same place?", m,
			finding.Of(s.NominalMM-grownMM))
	default:
		add("thickness", GoOn, text, "Go on.", m, finding.Of(s.NominalMM+grownMM))
	}
}

// Told says in a few words what a look found, for a log or the reason of a quarantine.
func Told(fs []finding.Finding) string {
	var parts []string
	for _, f := range fs {
		parts = append(parts, strings.TrimSuffix(strings.TrimPrefix(f.Text, "Seen: "), "."))
	}
	if len(parts) == 0 {
		return "none of the listed signs seen"
	}
	return strings.Join(parts, ", ")
}
