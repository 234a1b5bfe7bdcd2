package kernel

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/finding"
)

// Invalid says which fields cannot be used, and why. The key "" is the whole form.
type Invalid struct{ Fields map[string]string }

func (e *Invalid) Error() string {
	keys := make([]string, 0, len(e.Fields))
	for k := range e.Fields {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	parts := make([]string, 0, len(keys))
	for _, k := range keys {
		if k == "" {
			parts = append(parts, e.Fields[k])
		} else {
			parts = append(parts, k+": "+e.Fields[k])
		}
	}
	return strings.Join(parts, "; ")
}

// Told reports whether an error is for whoever asked, in its own words; others are a fault of the program.
func Told(err error) bool {
	var inv *Invalid
	var blk *Blocked
	return errors.As(err, &inv) || errors.As(err, &blk)
}

// Bad returns an Invalid for one field.
func Bad(field, format string, args ...any) error {
	return &Invalid{map[string]string{field: fmt.Sprintf(format, args...)}}
}

// Checks collects field errors.
type Checks map[string]string

func (c Checks) Need(ok bool, field, format string, args ...any) {
	if _, told := c[field]; !ok && !told {
		c[field] = fmt.Sprintf(format, args...)
	}
}

func (c Checks) Err() error {
	if len(c) == 0 {
		return nil
	}
	return &Invalid{c}
}

// NotFound says what does not exist.
type NotFound struct{ What string }

func (e *NotFound) Error() string { return e.What + " does not exist" }

// Missing says what does not exist.
func Missing(format string, args ...any) error { return &NotFound{fmt.Sprintf(format, args...)} }

// Conflict says that somebody else saved the record meanwhile. Saved lists the fields as they are
// now, by the names the form uses.
type Conflict struct {
	What    string
	Version int
	Saved   map[string]string
}

func (e *Conflict) Error() string {
	if len(e.Saved) == 0 {
		return e.What + " was changed by somebody else meanwhile. What you typed is still here and not saved; open " +
			"the page once more beside it to see theirs. Saving now replaces it"
	}
	return e.What + " was changed by somebody else meanwhile; both versions are shown"
}

// Blocked says that a stop or a refusal stands in the way.
type Blocked struct{ Findings []finding.Finding }

func (e *Blocked) Error() string {
	if len(e.Findings) == 0 {
		return "a stop stands in the way"
	}
	return e.Findings[0].Text + " " + e.Findings[0].Do
}

// Stopped says which findings stand in the way.
func Stopped(fs []finding.Finding) error { return &Blocked{fs} }

// BlockedBy makes a Blocked with one finding.
func BlockedBy(code, subject, text, do string) error {
	return Stopped([]finding.Finding{finding.New(finding.Stop, code).About(subject).By("hazards").Says("%s", text).
		Then("%s", do)})
}

// Again says that this very form was saved before: nothing was saved twice. Undone is that what it saved was taken back
// since: sent once more it is meant, and goes under another token.
type Again struct{ Undone bool }

func (e *Again) Error() string { return "this was saved already" }

// Refused is why something was not taken, where it is for what it says: what cannot be, does not exist or is held. Any
// other error is trouble of the house.
func Refused(err error) (text string, ok bool) {
	var inv *Invalid
	var nf *NotFound
	var blk *Blocked
	if err == nil || !errors.As(err, &inv) && !errors.As(err, &nf) && !errors.As(err, &blk) {
		return "", false
	}
	return err.Error(), true
}
