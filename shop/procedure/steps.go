package procedure

import (
	"fmt"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/layout"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
)

// StepInput records one step of work with gates. Reading is one number, Case the readings against the
// case; each is nil where it was not taken, which is not the same as zero. Override is the written
// reason for going on where the step did not pass, or was not done.
type StepInput struct {
	Step     string
	Reading  *float64
	Case     *layout.CaseReadings
	Confirm  bool
	Name     string // who, for steps that ask for one
	Override string
	By       string
	Token    string
}

// stepDone is a step as it is kept.
type stepDone struct {
	gates.State
	ok       bool
	value    float64 // 0 where nothing was read
	reading  string  // "" where nothing was read
	found    []finding.Finding
	override string
}

// takeStep judges one step. It is blocked while an earlier gate is open. near judges the voltages of
// steps that ask for one near a plan's; nil where there are none.
func takeStep(states []gates.State, in StepInput, near func(gates.Step, float64) (bool, finding.Finding)) (d stepDone, err error) {
	st, open, err := gates.MayRecord(states, in.Step)
	if err != nil {
		return d, kernel.Bad("", "%v", err)
	}
	if open != nil {
		return d, kernel.Stopped([]finding.Finding{*open})
	}
	d = stepDone{State: st, found: []finding.Finding{}}
	if d.override, err = written(st.Step, in.Override, in.By); err != nil {
		return d, err
	}
	judge := gates.JudgeReading
	switch st.Ask {
	case gates.AskVolts:
		if near != nil {
			judge = near
		}
		fallthrough
	case gates.AskReading:
		if in.Reading == nil {
			return d, missing(d.override, "reading", "expected the reading, or a written reason for going on without it")
		}
		unit := st.Unit
		if st.Ask == gates.AskVolts {
			unit = "V"
		}
		ok, f := judge(st.Step, *in.Reading)
		d.ok, d.value, d.reading, d.found = ok, *in.Reading, fmt.Sprintf("%s %s", numeral.Text(*in.Reading), unit), []finding.Finding{f}
	case gates.AskIsolation:
		if in.Case == nil {
			return d, missing(d.override, "pack_v", "expected all three readings, or a written reason for going on without them")
		}
		iso, found, err := layout.JudgeIsolation(*in.Case)
		if err != nil {
			return d, kernel.Bad("pack_v", "%v", err)
		}
		d.ok, d.found = iso.Verdict != "stop", found
		if f := gates.Expected(st.Step, in.Case.PackVolts); f != nil { // what was read proves nothing
			d.ok, d.found = false, []finding.Finding{*f}
		}
		d.reading = fmt.Sprintf("%.1f V; positive %.2f V, negative %.2f V to case", in.Case.PackVolts, in.Case.PositiveVolts, in.Case.NegativeVolts)
	case gates.AskName:
		name := strings.TrimSpace(in.Name)
		if d.ok = len([]rune(name)) >= 2; !d.ok {
			return d, missing(d.override, "name", "expected the name")
		}
		d.reading = name
	default:
		if d.ok = in.Confirm; !d.ok {
			return d, missing(d.override, "confirm", "tick it when it is so; expected a tick, or a written reason")
		}
	}
	return d, nil
}

// missing is an error unless the step is passed over in writing.
func missing(override, field, text string) error {
	if override != "" {
		return nil
	}
	return kernel.Bad(field, "%s", text)
}

// written checks a reason for passing over a step: it must be allowed, and be a sentence with a name.
func written(st gates.Step, reason, by string) (string, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return "", nil
	}
	if no := gates.MayOverride(st); no != nil {
		return "", kernel.Stopped([]finding.Finding{*no})
	}
	if text := gates.ReasonText(reason, by); text != "" {
		return "", kernel.Bad("override", "%s", text)
	}
	return reason, nil
}

// text says for the log how a step went.
func (d stepDone) text() string {
	switch {
	case d.override != "":
		return "passed over in writing: " + d.override
	case !d.ok:
		return "did not pass"
	}
	return "done"
}
