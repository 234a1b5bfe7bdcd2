// Package finding holds the one shape of every judgement Pandrel makes.
//
// A finding is not an error: an error says the input cannot be used, a finding says what was
// measured, what the limit is, which rule set it and what to do next. A refusal cannot be
// overridden, a stop only in writing, a caution is acknowledged once, a note is shown.
package finding

import (
	"cmp"
	"fmt"
	"slices"

	"pandrel/core/base/known"
)

// Level ranks a finding. The zero value is Note; higher is worse.
type Level int

// The four levels, least first.
const (
	Note Level = iota
	Caution
	Stop
	Refuse
)

var levelNames = [...]string{"note", "caution", "stop", "refuse"}

// String returns the level's word as files and screens write it.
func (l Level) String() string {
	if l < Note || l > Refuse {
		return fmt.Sprintf("level(%d)", int(l))
	}
	return levelNames[l]
}

// MarshalText writes the level's word.
func (l Level) MarshalText() ([]byte, error) {
	if l < Note || l > Refuse {
		return nil, fmt.Errorf("finding: level %d does not exist", int(l))
	}
	return []byte(levelNames[l]), nil
}

// UnmarshalText reads one of note, caution, stop, refuse.
func (l *Level) UnmarshalText(text []byte) error {
	i := slices.Index(levelNames[:], string(text))
	if i < 0 {
		return fmt.Errorf("finding: level %q: expected note, caution, stop or refuse", text)
	}
	*l = Level(i)
	return nil
}

// Finding is one judgement. Measured and Limit are nil where the judgement is not about a number;
// both are in Unit. Rule names the sections of docs/rules.md that set the limit (Cite).
type Finding struct {
	Level    Level    `json:"level"`
	Code     string   `json:"code"`
	Subject  string   `json:"subject"`
	Measured *float64 `json:"measured"`
	Limit    *float64 `json:"limit"`
	Unit     string   `json:"unit,omitempty"`
	Rule     string   `json:"rule,omitempty"`
	Text     string   `json:"text"`
	Do       string   `json:"do"`
	Place    Place    `json:"place,omitempty"`

	// Rests is what the reading rests on, unknown where nobody said: then it is worked out, as far as anybody knows.
	Rests known.Source `json:"from,omitempty"`

	said, done []Part
}

// Of returns a pointer to v, for Measured and Limit.
func Of(v float64) *float64 { return &v }

// Worst returns the highest level among fs, and Note for none.
func Worst(fs []Finding) Level {
	worst := Note
	for _, f := range fs {
		worst = max(worst, f.Level)
	}
	return worst
}

// Blocks reports whether any finding is a stop or a refusal: the step it belongs to may not be
// recorded as done, and a command that met it ends with status 1.
func Blocks(fs []Finding) bool { return Worst(fs) >= Stop }

// Sorted returns fs ordered worst first; equals keep the order in which they were found.
func Sorted(fs []Finding) []Finding {
	out := slices.Clone(fs)
	slices.SortStableFunc(out, func(a, b Finding) int { return cmp.Compare(b.Level, a.Level) })
	return out
}

// Standing returns the findings that block: stops and refusals.
func Standing(fs []Finding) []Finding {
	return slices.DeleteFunc(slices.Clone(fs), func(f Finding) bool { return f.Level < Stop })
}
