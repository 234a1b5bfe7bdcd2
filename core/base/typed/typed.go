// Package typed is the one place that says what a text may be that a person typed, pasted or scanned, or that a file
// holds: how long, by the name of its field, and of which signs.
//
// What cannot be seen on a screen is taken out, because two texts that look alike must be alike: control characters,
// signs without width, and signs that turn the direction of what follows. Letters of every script stay. What is too
// long is never cut without a word: it is an error that says how long it may be.
package typed

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Longest texts in letters. A field that is not listed is a short one.
const (
	Short  = 200     // a name, a number, a choice
	Note   = 4000    // what a person writes about something
	List   = 64_000  // readings, points, a curve: a line for each
	Table  = 900_000 // a table pasted from a spreadsheet
	Person = 24      // initials or a name
	Cell   = 500     // of a table in a file
)

// longest lists the fields that are not short, by name without their numbers.
var longest = map[string]int{
	"by": Person, "took": Person, "owner": Short, "token": 64,
	"note": Note, "reason": Note, "override": Note, "answer": Note, "history_note": Note, "claims": Note,
	"span_reason": Note, "reading": Note, "way": Note, "do": Note,
	"readings": List / 2, "curve": List, "points": List, "pins": List, "posts": List, "steps": List, "fasteners": List,
	"parts": List, "elements": List, "devices": List, "resistors": List, "start_grid": List, "numbers": Note,
	"data": Table, "grid": Table, "rows": Table, "pasted": Table,
}

// Longest is how many letters a field may hold. Fields that come in rows bear numbers: p3_name is p_name.
func Longest(field string) int {
	if n, ok := longest[field]; ok {
		return n
	}
	plain := strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return -1
		}
		return r
	}, field)
	if n, ok := longest[plain]; ok {
		return n
	}
	return Short
}

// Clean returns s without what cannot be seen. Lines and columns stay: what is pasted needs them. Bytes that are no
// text become the sign for that.
func Clean(s string) string {
	plain := true
	for i := range len(s) {
		if s[i] < ' ' || s[i] > '~' {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	return strings.Map(func(r rune) rune {
		if r == '\n' || r == '\t' || r == '\r' {
			return r
		}
		if unicode.Is(unicode.Cc, r) || unseen(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(s, "\uFFFD"))
}

// unseen are signs of format: without width, or turning the direction. Two joiners are letters of some scripts.
func unseen(r rune) bool {
	return unicode.Is(unicode.Cf, r) && r != '\u200c' && r != '\u200d' || r == '\u2028' || r == '\u2029'
}

// Field cleans the text of a field and says whether it is too long.
func Field(name, s string) (string, error) {
	s = Clean(s)
	most := Longest(name)
	if len(s) <= most {
		return s, nil
	}
	if n := utf8.RuneCountInString(s); n > most {
		return s, fmt.Errorf("%d letters: expected at most %d", n, most)
	}
	return s, nil
}

// startsFormula are the signs with which a spreadsheet takes a text for a formula.
const startsFormula = "=+-@\t\r"

// ForSheet makes a text harmless for a spreadsheet that would take it for a formula: an apostrophe before it says that
// it is text. A number with its sign stays a number. FromSheet takes it away again.
func ForSheet(s string) string {
	rest := strings.TrimLeft(s, "'")
	if rest == "" || !strings.ContainsRune(startsFormula, rune(rest[0])) || isNumber(rest) {
		return s
	}
	return "'" + s
}

// FromSheet is the text that ForSheet was given.
func FromSheet(s string) string {
	rest := strings.TrimLeft(s, "'")
	if rest == s || rest == "" || !strings.ContainsRune(startsFormula, rune(rest[0])) || isNumber(rest) {
		return s
	}
	return s[1:]
}

// isNumber reports whether a text is nothing but a number with a sign.
func isNumber(s string) bool {
	digits := 0
	for i, r := range s {
		switch {
		case r >= '0' && r <= '9':
			digits++
		case i == 0 && (r == '-' || r == '+'):
		case r == '.' || r == ',':
		default:
			return false
		}
	}
	return digits > 0
}
