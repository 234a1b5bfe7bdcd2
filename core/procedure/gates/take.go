package gates

import (
	"fmt"
	"strings"

	"pandrel/core/module/isolation"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Input is what was done of one step. Reading is one number, Case the readings against the case; each is nil where
// it was not taken, which is not the same as zero. Override is the written reason for going on where the step did
// not pass, or was not done.
type Input struct {
	Reading  *float64
	Other    *float64 // the second of two: the other total, the amps through a joint
	Case     *isolation.Readings
	Confirm  bool
	Name     string // who, for steps that ask for one
	Override string
	By       string
}

// Done is a step as it was done and judged. Value is 0 and Reading "" where nothing was read.
type Done struct {
	State
	OK       bool
	Value    float64
	Reading  string
	Found    []finding.Finding
	Override string
}

// FieldError says which part of an input cannot be used.
type FieldError struct{ Field, Text string }

func (e *FieldError) Error() string { return e.Text }

// OpenError says that a gate stands open, or that a step may not be passed over.
type OpenError struct{ Finding finding.Finding }

func (e *OpenError) Error() string { return e.Finding.Text + " " + e.Finding.Do }

// Near judges a voltage that is to be near a plan's.
type Near func(st Step, volts float64) (bool, finding.Finding)

// Take judges one step. near judges the voltages of steps that ask for one near a plan's; nil where there are none. It
// fails with an OpenError while an earlier gate is open, and with a FieldError for what is missing or cannot be.
func Take(states []State, key string, in Input, near Near) (d Done, err error) {
	st, open, err := MayRecord(states, key)
	if err != nil {
		return d, &FieldError{"", err.Error()}
	}
	if open != nil {
		return d, &OpenError{*open}
	}
	d = Done{State: st, Found: []finding.Finding{}}
	if d.Override, err = written(st.Step, in.Override, in.By); err != nil {
		return d, err
	}
	switch st.Ask {
	case AskVolts:
		if near == nil {
			near = JudgeReading
		}
		return d, d.takeReading(in, near, "V")
	case AskReading:
		return d, d.takeReading(in, JudgeReading, st.Unit)
	case AskIsolation:
		return d, d.takeIsolation(in)
	case AskTotals:
		return d, d.takeTotals(in)
	case AskJoint:
		return d, d.takeJoint(in)
	case AskName:
		name := strings.TrimSpace(in.Name)
		if text := NameText(name); text != "" {
			return d, d.missing("name", text)
		}
		for _, x := range states {
			if x.Key == st.NotSame && x.Done && SamePerson(x.Reading, name) {
				return d, &FieldError{"name", fmt.Sprintf("%s stands as '%s' already, and one is not two: expected "+
					"another person, by the whole name", x.Reading, x.Title)}
			}
		}
		d.OK, d.Reading = true, name
	default:
		if d.OK = in.Confirm; !d.OK {
			return d, d.missing("confirm", "tick it when it is so; expected a tick"+orWritten)
		}
	}
	return d, nil
}

func (d *Done) takeReading(in Input, judge Near, unit string) error {
	if in.Reading == nil {
		return d.missing("reading", "expected the reading, or a written reason for going on without it")
	}
	ok, f := judge(d.Step, *in.Reading)
	d.OK, d.Value, d.Found = ok, *in.Reading, []finding.Finding{f}
	d.Reading = fmt.Sprintf("%s %s", numeral.Text(*in.Reading), unit)
	return nil
}

func (d *Done) takeIsolation(in Input) error {
	if in.Case == nil {
		return d.missing("pack_v", "expected all three readings, or a written reason for going on without them")
	}
	iso, found, err := isolation.JudgeReadings(*in.Case)
	if err != nil {
		return &FieldError{"pack_v", err.Error()}
	}
	d.OK, d.Found = iso.Verdict.Passed(), found
	if f := Expected(d.Step, in.Case.PackVolts); f != nil { // what was read proves nothing
		d.OK, d.Found = false, []finding.Finding{*f}
	}
	d.Reading = fmt.Sprintf("%.1f V; positive %.2f V, negative %.2f V to case", in.Case.PackVolts,
		in.Case.PositiveVolts, in.Case.NegativeVolts)
	return nil
}

// orWritten begins what is said of a written reason, which does not pass a step that nobody passes over.
const orWritten = ", or a written reason"

// missing is an error unless the step is passed over in writing.
func (d *Done) missing(field, text string) error {
	if d.Override != "" {
		return nil
	}
	if d.Must {
		text, _, _ = strings.Cut(text, orWritten)
	}
	return &FieldError{field, text}
}

// written checks a reason for passing over a step: it must be allowed, and be a sentence with a name.
func written(st Step, reason, by string) (string, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return "", nil
	}
	if no := MayOverride(st); no != nil {
		return "", &OpenError{*no}
	}
	if text := ReasonText(reason, by); text != "" {
		return "", &FieldError{"override", text}
	}
	return reason, nil
}

// Text says for the log how a step went.
func (d Done) Text() string {
	switch {
	case d.Override != "":
		return "passed over in writing: " + d.Override
	case !d.OK:
		return "did not pass"
	}
	return "done"
}
