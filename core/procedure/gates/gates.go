// Package gates is work in steps where some must be done, or passed over in writing, before any
// later one may be recorded.
//
// The rule (hazards: 'stop'): a step cannot be recorded as done while an earlier gate is
// open; a person may pass a gate only with a written reason, which stays in the record for ever.
package gates

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// What a step asks for.
const (
	AskConfirm   = "confirm"   // a person says that it is so
	AskIsolation = "isolation" // both ends against the case
	AskVolts     = "volts"     // one voltage, to be near ExpectVolts
	AskReading   = "reading"   // one reading between Low and High
	AskName      = "name"      // who did it, or is responsible for it
	AskTotals    = "totals"    // two totals read with one meter in one sitting; the difference is worked out
	AskJoint     = "joint"     // millivolts across the worst joint and the amps that flow; the resistance is worked out
)

// Step is one line of the work. Gate steps hold up all later ones. Must marks a gate that nobody may pass over.
type Step struct {
	Key         string
	Title       string
	Do          string
	Gate        bool
	Must        bool
	Ask         string
	ExpectVolts float64 // for AskVolts
	Low, High   float64 // for AskReading: the size of the reading lies between them
	Unit        string  // for AskReading
	Signed      bool    // for AskReading: a minus sign does not pass, whatever the size
	NotSame     string  // for AskName: the key of a step that another person answered
	Other       string  // for AskTotals: whose the second total is
	OtherVolts  float64 // and what it is expected to be, 0 where nothing is on record
	DesignAmps  float64 // for AskJoint: at which its watts are worked out, 0 not known
	Rule        string
}

// Record is a step as it was done. OK is false where a reading did not pass; Override is the
// written reason for going on all the same.
type Record struct {
	Key      string
	OK       bool
	Override string
	Reading  string // what was read, or who was named
}

// State is a step with what was recorded of it. WaitsFor is the title of the first gate before it
// that is open, "" where none is.
type State struct {
	Step
	Done       bool
	Overridden string
	Reading    string // of the newest record
	Failed     bool   // recorded with a reading that did not pass, and not overridden
	WaitsFor   string
}

// States joins steps and records; the newest record of a step counts, except that an override stays.
func States(steps []Step, records []Record) []State {
	out := make([]State, len(steps))
	gate := ""
	for i, s := range steps {
		st := State{Step: s, WaitsFor: gate}
		for _, r := range records {
			if r.Key != s.Key {
				continue
			}
			st.Done, st.Failed, st.Reading = r.OK, !r.OK, r.Reading
			if r.Override != "" && !s.Must { // what nobody passes over, an older record does not either
				st.Overridden = r.Override
			}
		}
		if st.Overridden != "" {
			st.Done, st.Failed = true, false
		}
		if s.Gate && !st.Done && gate == "" {
			gate = s.Title
		}
		out[i] = st
	}
	return out
}

// MayRecord returns the state of the step with that key and the finding that keeps it from being
// recorded, nil where nothing does. It fails for a step that does not exist.
func MayRecord(states []State, key string) (State, *finding.Finding, error) {
	for _, st := range states {
		if st.Key != key {
			continue
		}
		if st.WaitsFor == "" {
			return st, nil, nil
		}
		f := finding.New(finding.Stop, codeGateOpen).About(st.Title).By(st.Rule).
			Says("'%s' is not done: the steps after it may not be recorded.", st.WaitsFor).
			Then("Do it first. Going on all the same needs a written reason at that step, which stays visible " +
				"for ever.").At(finding.PlaceGates)
		return st, &f, nil
	}
	return State{}, nil, fmt.Errorf("step %q: expected one of the steps listed", key)
}

// MayOverride returns the finding that keeps a step from being passed over, nil where it may be.
func MayOverride(s Step) *finding.Finding {
	if !s.Must {
		return nil
	}
	f := finding.New(finding.Refuse, codeNoOverride).About(s.Title).By(s.Rule).
		Says("'%s' cannot be passed over.", s.Title).Then("Do not go on.").At(finding.PlaceGates)
	return &f
}

// digits is far below any meter's: what is typed in decimals is compared as such.
const digits = 1e-9

// JudgeReading compares the size of a reading with the step's range.
func JudgeReading(s Step, value float64) (ok bool, f finding.Finding) {
	limit := s.High
	if math.Abs(value) < s.Low || math.IsInf(s.High, 1) {
		limit = s.Low
	}
	f = finding.New(finding.Note, codeInRange).About(s.Title).Reads(value, s.Unit).Against(limit).By(s.Rule).
		Says("%s %s, as it should be.", numeral.Text(value), s.Unit).
		Then("Go on.")
	switch size := math.Abs(value); {
	case s.Signed && value < 0 && size >= s.Low:
		f.Level, f.Code = finding.Stop, "polarity"
		f.Text = fmt.Sprintf("%s %s: the polarity is reversed.", numeral.Text(value), s.Unit)
		f.Do = "Stop. Swapped probes, or something stands the wrong way round: find out which before anything else " +
			"is touched."
		return false, f
	case math.IsNaN(value) || size < s.Low-digits || size > s.High+digits:
		f.Level, f.Code = finding.Stop, "out-of-range"
		f.Text = fmt.Sprintf("%s %s, where %s was expected.", numeral.Text(value), s.Unit, s.Range())
		f.Do = "Stop. Find out why before anything else is touched."
		return false, f
	}
	return true, f
}

// Expected compares a voltage with the one that the state of the work predicts, within 5 % or 1 V: a reading that the
// state makes impossible proves nothing. It returns nil where it agrees or nothing is predicted.
func Expected(s Step, volts float64) *finding.Finding {
	if s.ExpectVolts <= 0 || math.Abs(math.Abs(volts)-s.ExpectVolts) <= max(1, expectShare*s.ExpectVolts) {
		return nil
	}
	f := finding.New(finding.Stop, codeNotAsPredicted).About(s.Title).Reads(volts, "V").Against(s.ExpectVolts).
		By(s.Rule).Says("%s V between the ends, where about %s V stand there now: the meter does not touch both ends, "+
		"or something is open.", numeral.Text(volts),
		numeral.Text(s.ExpectVolts)).
		Then("Read again, with the meter proved before and after. What was read against the case with it does " +
			"not count.")
	return &f
}

// expectShare is how near a measured voltage must be to a predicted one.
const expectShare = 0.05

// leastLetters and leastWords are what a written reason must have: a word is not one.
const (
	leastLetters  = 15
	leastWords    = 3
	leastDistinct = 6
)

// ReasonText says what is wrong with a reason for passing over a stop, "" where nothing is. It is a
// sentence that somebody else understands, and has a name under it.
func ReasonText(reason, by string) string {
	words := strings.Fields(reason)
	seen := map[rune]bool{}
	letters := 0
	for _, r := range strings.ToLower(reason) {
		if unicode.IsLetter(r) {
			seen[r] = true
			letters++
		}
	}
	distinct := map[string]bool{}
	for _, w := range words {
		distinct[strings.ToLower(w)] = true
	}
	switch {
	case letters < leastLetters || len(words) < leastWords || len(seen) < leastDistinct || len(distinct) < leastWords:
		return fmt.Sprintf("expected a reason that somebody else will understand: a sentence of %d words and %d "+
			"letters or more", leastWords, leastLetters)
	case strings.Trim(strings.TrimSpace(by), "–-.?") == "":
		return "expected initials or a name under the reason"
	}
	return ""
}

// Range says in words what a reading step expects.
func (s Step) Range() string {
	switch {
	case s.Low <= 0 && math.IsInf(s.High, 1):
		return "a reading"
	case s.Low <= 0:
		return fmt.Sprintf("at most %s %s", numeral.Text(s.High), s.Unit)
	case math.IsInf(s.High, 1) || s.High == 0:
		return fmt.Sprintf("at least %s %s", numeral.Text(s.Low), s.Unit)
	}
	return fmt.Sprintf("%s to %s %s", numeral.Text(s.Low), numeral.Text(s.High), s.Unit)
}

// Next picks the step to do now: the one that was chosen, where it may be done, else the first that is not done. A step
// that is no gate holds nothing up: a later one may be chosen before it, and one that was left out behind what is done
// is not asked for again.
func Next(states []State, chosen string) (next *State) {
	for i := range states {
		st := &states[i]
		leftOut := !st.Gate && !st.Failed && slices.ContainsFunc(states[i+1:], func(x State) bool { return x.Done })
		switch {
		case st.WaitsFor != "":
		case st.Key == chosen: // also one that is done: a form that failed stays in sight
			return st
		case next == nil && !st.Done && !leftOut:
			next = st
		}
	}
	return next
}
