// Package teardown is how a module of a type is opened, and put back: a checklist that was written down the first time,
// a tray with a number for every part that is kept, and what is missing when it is closed again.
package teardown

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Step is one thing to undo. Count is how many fasteners; Keep names the part that comes off and is
// kept, "" for none, KeepCount how many of it. Trap is what went wrong here before. Picture is the
// number of a picture, 0 for none. Key stays with the step when others are added before it.
type Step struct {
	Key       string `json:"key"`
	Do        string `json:"do"`
	Fastener  string `json:"fastener"`
	Count     int    `json:"count"`
	Tool      string `json:"tool"`
	Trap      string `json:"trap"`
	Keep      string `json:"keep"`
	KeepCount int    `json:"keep_count"`
	Picture   int64  `json:"picture"`
}

// MaxSteps bounds a list.
const MaxSteps = 60

// CheckSteps says what cannot be used: the number of the step from 1, the field and what was expected.
func CheckSteps(steps []Step) (step int, field, text string) {
	if len(steps) > MaxSteps {
		return 0, "", fmt.Sprintf("%s: expected at most %d", numeral.Count(len(steps), "step"), MaxSteps)
	}
	seen := map[string]bool{}
	for i, s := range steps {
		switch {
		case strings.TrimSpace(s.Do) == "":
			return i + 1, "do", "expected what to do"
		case s.Key == "" || seen[s.Key]:
			return i + 1, "key", "expected a key of its own"
		case s.Count < 0 || s.Count > 500:
			return i + 1, "count", "expected 0 to 500 fasteners"
		case s.Count > 0 && s.Fastener == "":
			return i + 1, "fastener", fmt.Sprintf("%d of what? Expected the fastener", s.Count)
		case s.KeepCount < 0 || s.KeepCount > 500:
			return i + 1, "keep_count", "expected 0 to 500 parts"
		case s.Keep == "" && s.KeepCount > 0:
			return i + 1, "keep", fmt.Sprintf("%d of what? Expected the part that is kept", s.KeepCount)
		case s.Keep != "" && s.KeepCount == 0:
			return i + 1, "keep_count", "expected how many are kept"
		}
		seen[s.Key] = true
	}
	return 0, "", ""
}

// Ways of a record.
const (
	Off = "off" // undone, parts into the tray
	On  = "on"  // done up again, parts out of the tray
)

// Record is a step as it was done. Fasteners and Parts are what was counted.
type Record struct {
	Key       string
	Way       string
	Fasteners int
	Parts     int
}

// State is a step with what was counted; −1 where it was not done that way. The newest record of a step and way counts.
type State struct {
	Step
	No                     int // from 1, in the order of undoing
	OffFasteners, OffParts int
	OnFasteners, OnParts   int
	TrayNumber             string
	IsOff, IsOn, Next      bool
	Short                  bool // it is on again with fewer pieces than came off
}

// States joins steps and records, in the order of undoing. label is the module's number: the tray
// numbers are made of it. Next is the step to do now: the first that is not off while the module is
// being opened, and once all are off or one is on again, the last that is still off.
func States(label string, steps []Step, records []Record) []State {
	out := make([]State, len(steps))
	closing := false
	for i, s := range steps {
		st := State{Step: s, No: i + 1, OffFasteners: -1, OffParts: -1, OnFasteners: -1, OnParts: -1}
		for _, r := range records {
			if r.Key != s.Key {
				continue
			}
			if r.Way == Off { // opened (again): what was closed before does not count any more
				st.OffFasteners, st.OffParts, st.OnFasteners, st.OnParts = r.Fasteners, r.Parts, -1, -1
			} else {
				st.OnFasteners, st.OnParts = r.Fasteners, r.Parts
			}
		}
		st.IsOff, st.IsOn = st.OffFasteners >= 0, st.OnFasteners >= 0
		st.TrayNumber = fmt.Sprintf("%s/%d", label, i+1)
		st.Short = st.IsOn && (st.OnFasteners < st.OffFasteners || st.OnParts < st.OffParts)
		closing = closing || st.IsOn
		out[i] = st
	}
	if !closing {
		for i := range out {
			if !out[i].IsOff {
				out[i].Next = true
				return out
			}
		}
	}
	for i := range slices.Backward(out) {
		if out[i].IsOff && !out[i].IsOn {
			out[i].Next = true
			break
		}
	}
	return out
}

// Closing reports whether the module is being put back: something went on again, or everything is off.
func Closing(states []State) bool {
	off := 0
	for _, s := range states {
		if s.IsOn {
			return true
		}
		if s.IsOff {
			off++
		}
	}
	return off > 0 && off == len(states)
}

// Part is what lies in the tray: a part or a set of fasteners with its number.
type Part struct {
	Number string
	Name   string
	Out    int // came off
	Back   int // went back on
}

// Tray lists what came off, in order, with what is back on.
func Tray(states []State) []Part {
	var out []Part
	for _, s := range states {
		if !s.IsOff {
			continue
		}
		if s.OffParts > 0 {
			out = append(out, Part{s.TrayNumber, s.Keep, s.OffParts, max(0, s.OnParts)})
		}
		if s.OffFasteners > 0 {
			out = append(out, Part{s.TrayNumber, s.Fastener, s.OffFasteners, max(0, s.OnFasteners)})
		}
	}
	return out
}

const codeMissing = "missing" // a part or fastener that came off did not go back

// Missing returns the first finding that something did not go back into the module, nil where nothing is missing.
func Missing(fs []finding.Finding) *finding.Finding {
	for i := range fs {
		if fs[i].Code == codeMissing {
			return &fs[i]
		}
	}
	return nil
}

// Findings judges opening and closing: counts that differ from the list, and, once closing has
// begun, what is missing or left over. done is true once every step that came off is on again.
func Findings(states []State) (fs []finding.Finding, done bool) {
	add := func(f finding.Finding) { fs = append(fs, f.By("rules §18")) }
	off, on := 0, 0
	for _, s := range states {
		if s.IsOff {
			off++
		}
		if s.IsOn {
			on++
		}
		if s.IsOff && s.OffFasteners < s.Count {
			add(finding.New(finding.Caution, codeFewerFasteners).About(s.TrayNumber).
				Reads(float64(s.OffFasteners), "pieces").Against(float64(s.Count)).
				Says("Step %d: %d %s came off, the type has %d.", s.No, s.OffFasteners, s.Fastener, s.Count).
				Then("Look inside for the others before it is closed: a loose screw can touch a cell."))
		}
		if s.IsOff && s.Keep != "" && s.OffParts < s.KeepCount {
			add(finding.New(finding.Caution, codeFewerParts).About(s.TrayNumber).
				Reads(float64(s.OffParts), "pieces").Against(float64(s.KeepCount)).
				Says("Step %d: %d %s kept, the type has %d.", s.No, s.OffParts, s.Keep, s.KeepCount).
				Then("Was it missing before, or does it lie somewhere?"))
		}
	}
	for _, s := range states {
		if !s.IsOn {
			continue
		}
		piece := func(name string, out, back int) {
			if name == "" || out == back {
				return
			}
			if back < out {
				add(finding.New(finding.Stop, codeMissing).About(s.TrayNumber).
					Reads(float64(back), "pieces").Against(float64(out)).
					Says("Step %d: %d of %d %s went back: %d missing.", s.No, back, out, name, out-back).
					Then("Find it before the module is used. A part inside can short a group."))
			} else {
				add(finding.New(finding.Caution, codeMoreBack).About(s.TrayNumber).
					Reads(float64(back), "pieces").Against(float64(out)).
					Says("Step %d: %d %s went in, %d came off.", s.No, back, name, out).
					Then("Is another module short of one? Same length?"))
			}
		}
		piece(s.Keep, s.OffParts, s.OnParts)
		piece(s.Fastener, s.OffFasteners, s.OnFasteners)
	}
	if on > 0 && on < off {
		var open []string
		for _, s := range states {
			if s.IsOff && !s.IsOn {
				open = append(open, fmt.Sprint(s.No))
			}
		}
		add(finding.New(finding.Stop, codeNotClosed).About("module").Reads(float64(on), "pieces").Against(float64(off)).
			Says("%s", "Not put back yet: step "+strings.Join(open, ", ")+".").
			Then("Close it in the reverse order before it goes on."))
	}
	return fs, off > 0 && on >= off
}

// WithKeys gives new steps their keys. A step keeps its key for ever, and no key is given twice to a
// type: what is on record for a step that was taken out must not count for another. earlier are the steps of all
// lists that the type ever had.
func WithKeys(in, earlier []Step) []Step {
	last := 0
	for _, st := range slices.Concat(earlier, in) {
		var n int
		if _, err := fmt.Sscanf(st.Key, "s%d", &n); err == nil {
			last = max(last, n)
		}
	}
	out := slices.Clone(in)
	for i := range out {
		if out[i].Key == "" {
			last++
			out[i].Key = fmt.Sprintf("s%d", last)
		}
	}
	return out
}
