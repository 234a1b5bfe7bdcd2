package gates

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Keys of the gates of people.
const (
	Licensed  = "licensed"
	Person    = "person"
	Equipment = "equipment"
	Meter     = "meter"
)

// people are their keys in order.
var people = []string{Licensed, Person, Equipment, Meter}

// People are the gates of people: the same before the first bare part of a module, a pack, a bank or a standing bank
// that stands above the limit of touch. what names it in a sentence; fullVolts is what it can stand at. Nobody passes
// over them, in writing or otherwise (hazards: shock).
func People(what string, fullVolts float64, rule string) []Step {
	out := []Step{
		{Key: Licensed, Title: "Licensed person", Do: fmt.Sprintf("%s stands at up to %.1f V DC. Who is licensed for "+
			"it and answers for it here: the whole name.", what, fullVolts), Ask: AskName},
		{Key: Person, Title: "Second person", Do: "Another one is here, knows where to switch off and whom to call: " +
			"the whole name.", Ask: AskName, NotSame: Licensed},
		{Key: Equipment, Title: "Protective equipment", Do: "Gloves for the voltage and in date, face shield, " +
			"insulated tools; rings and watches off.", Ask: AskConfirm},
		{Key: Meter, Title: "Meter proved",
			Do: "On a known source, with fused shrouded probes of the right category. " +
				"Prove, test, prove again.", Ask: AskConfirm},
	}
	for i := range out {
		out[i].Gate, out[i].Must, out[i].Rule = true, true, rule
	}
	return out
}

// PeopleOpen is the first gate of people that is not done, nil where all are or none is asked for.
func PeopleOpen(states []State) *State {
	for i := range states {
		if slices.Contains(people, states[i].Key) && states[i].Must && !states[i].Done {
			return &states[i]
		}
	}
	return nil
}

// nobody are words that name no person.
var nobody = []string{"me", "myself", "self", "i", "ich", "moi", "yo", "same", "ditto", "none", "nobody", "no", "na",
	"yes", "ok", "x", "xx", "xxx", "unknown", "tbd", "later", "someone", "somebody", "him", "her", "them", "you", "us",
	"we", "the same", "as above", "test", "licensed", "person", "electrician", "colleague", "friend"}

// NameText says what is wrong with a name, "" where nothing is.
func NameText(name string) string {
	plain := plainName(name)
	letters := strings.ReplaceAll(plain, " ", "")
	switch {
	case len([]rune(letters)) < 2:
		return "expected the name"
	case slices.Contains(nobody, plain) || slices.Contains(nobody, letters):
		return fmt.Sprintf("%q is no name: expected who it is", strings.TrimSpace(name))
	case len([]rune(letters)) > 1 && strings.Count(letters, letters[:1]) == len(letters):
		return "expected the name"
	}
	return ""
}

// plainName is a name in small letters, words parted by one blank.
func plainName(name string) string {
	return strings.Join(strings.FieldsFunc(strings.ToLower(name),
		func(r rune) bool { return !unicode.IsLetter(r) }), " ")
}

// initials are the first letters of a name of several words, in small letters.
func initials(plain string) (out string) {
	words := strings.Fields(plain)
	for _, w := range words {
		out += string([]rune(w)[:1])
	}
	if len(words) < 2 {
		return ""
	}
	return out
}

// SamePerson reports whether two names may be one person's: the same letters, or one the initials of the other.
func SamePerson(a, b string) bool {
	x, y := plainName(a), plainName(b)
	if x == "" || y == "" {
		return false
	}
	flat := func(s string) string { return strings.ReplaceAll(s, " ", "") }
	return flat(x) == flat(y) || initials(x) == flat(y) || initials(y) == flat(x)
}
