// Package kind is what a test can be: a log, a figure that somebody typed, the cycler, a person with a clock, a whole
// bank. Each kind is a file and a row of the table below; whatever made a test, what it came to is told by the same
// Figures (rules §4, §5, §17).
package kind

import (
	"encoding/json"
	"fmt"
	"slices"

	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
)

// Source is what made a test; it is the word under which a test lies on record.
type Source string

// The sources.
const (
	Log    Source = "log"    // a file of a charger or a load
	Typed  Source = "typed"  // a figure, with what is known of how it was taken
	Cycler Source = "cycler" // steps on a device that this program told
	ByHand Source = "hand"   // steps that a person makes by the clock
	Whole  Source = "whole"  // a discharge of a whole bank
	Ran    Source = "ran"    // hours at a load that was read off
	Rested Source = "rested" // a part of a discharge between two rests
)

// Kind is a way to test. Where names it in a sentence: something was seen 'in a log'. Given and Gave are blanks of what
// lies on record of it: what was given, and what was made of that; nil for nothing. One that is asked has a page and a
// form made from its fields.
type Kind struct {
	Source Source
	Word   string // what one of them is called
	Where  string
	Person bool // nothing but a person's word and pencil stands behind it
	Given  any
	Gave   any

	Title  string // of its page, where it is asked
	Fields []ask.Field
	Counts string   // what it counts for
	Not    []string // what is not considered

	figures func(k Kept, of Subject, f *Figures) (ok bool, err error)
}

// table has a row for each kind.
var table = []Kind{
	{Source: Log, Word: "log", Where: "a log", Given: AsLog{}, Gave: Logged{}, figures: fromLog},
	{Source: Typed, Word: "result typed by hand", Where: "a result that was typed", Person: true, Given: Result{},
		figures: fromGiven},
	{Source: Cycler, Word: "test on the cycler", Where: "a log", Gave: Logged{}, figures: fromLog},
	{Source: ByHand, Word: "test by hand", Where: "a test by hand", Person: true, Given: Began{}, Gave: Result{},
		figures: fromGave},
	{Source: Whole, Word: "test of a whole bank", Where: "a test of its bank", Given: AsWhole{}, Gave: AsWhole{},
		figures: fromWhole},
	ran, rested,
}

// All lists the kinds.
func All() []Kind { return slices.Clone(table) }

// Of is the kind of a source.
func Of(s Source) (Kind, bool) {
	for _, k := range table {
		if k.Source == s {
			return k, true
		}
	}
	return Kind{}, false
}

// Subject is what a test is of, as far as what it came to rests on it: a module of so many groups in series, 0 for not
// known, or the part of it from group From to group To, 0 for all of it.
type Subject struct {
	Chemistry chem.ID
	Series    int
	From, To  int
}

// groups is how many groups were on the clamps, 0 for not known.
func (s Subject) groups() int {
	if s.From > 0 {
		return s.To - s.From + 1
	}
	return s.Series
}

// Kept is a test as it lies on record, both as JSON; empty for nothing.
type Kept struct {
	Source Source
	Given  json.RawMessage
	Gave   json.RawMessage
}

// Figures is what a test came to. ok is false where it came to nothing: it still runs, or no discharge is in it. It
// fails for a source that is not known and for what cannot be read.
func (k Kept) Figures(of Subject) (f Figures, ok bool, err error) {
	kind, known := Of(k.Source)
	if !known {
		return f, false, fmt.Errorf("a test by %q: expected one of the sources that are known", k.Source)
	}
	f = Figures{Source: k.Source, From: of.From, To: of.To}
	ok, err = kind.figures(k, of, &f)
	return f, ok, err
}

// read reads what lies on record into a blank of its kind; ok is false where there is nothing.
func read[T any](text json.RawMessage) (v T, ok bool, err error) {
	if len(text) == 0 {
		return v, false, nil
	}
	if err = json.Unmarshal(text, &v); err != nil {
		return v, false, fmt.Errorf("what is kept of a test cannot be read: %w", err)
	}
	return v, true, nil
}
