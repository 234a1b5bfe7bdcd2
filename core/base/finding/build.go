package finding

import "fmt"

// New begins a finding, to be completed in the order in which it is read:
//
//	finding.New(finding.Stop, codeLow).About("group 3").Reads(1.5, "V").Against(2).
//		Says("Group 3 is at %.2f V, below %.2f V.", 1.5, 2.0).
//		Then("Read it again at rest.")
func New(level Level, code string) Finding { return Finding{Level: level, Code: code} }

// About names what is judged.
func (f Finding) About(subject string) Finding {
	f.Subject = subject
	return f
}

// Reads is what was measured or worked out of it.
func (f Finding) Reads(v float64, unit string) Finding {
	f.Measured, f.Unit = &v, unit
	return f
}

// ReadsIf is Reads where v is known; the unit stands for the limit alone where it is not.
func (f Finding) ReadsIf(v *float64, unit string) Finding {
	f.Measured, f.Unit = v, unit
	return f
}

// Against is the limit that it is judged by, in the same unit.
func (f Finding) Against(limit float64) Finding {
	f.Limit = &limit
	return f
}

// By names the sections of docs/rules.md that say so.
func (f Finding) By(rule string) Finding {
	f.Rule = rule
	return f
}

// Says is the sentence that a person reads.
func (f Finding) Says(format string, args ...any) Finding {
	f.Text = fmt.Sprintf(format, args...)
	return f
}

// Then is what to do next.
func (f Finding) Then(format string, args ...any) Finding {
	f.Do = fmt.Sprintf(format, args...)
	return f
}

// Or fills in what a finding does not say itself: the subject and the rule that a judgement is about as a whole.
func (f Finding) Or(subject, rule string) Finding {
	if f.Subject == "" {
		f.Subject = subject
	}
	if f.Rule == "" {
		f.Rule = rule
	}
	return f
}

// ReadRounded rounds what was read by round, and leaves the limit as it was given.
func (f Finding) ReadRounded(round func(float64) float64) Finding {
	if f.Measured != nil {
		f.Measured = Of(round(*f.Measured))
	}
	return f
}

// Rounded rounds what was read and the limit by round: a number in a list has no more digits than anybody reads.
func (f Finding) Rounded(round func(float64) float64) Finding {
	if f = f.ReadRounded(round); f.Limit != nil {
		f.Limit = Of(round(*f.Limit))
	}
	return f
}
