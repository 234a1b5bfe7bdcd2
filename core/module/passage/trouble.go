package passage

import (
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
)

// Trouble is why a module must not be in its bank as things stand: what it is or has, to be read behind its number.
// It is a caution where a worse survey only asks for another.
type Trouble struct {
	Number string
	Text   string
	Level  finding.Level
}

// Bad reports whether the module must come out.
func (t Trouble) Bad() bool { return t.Level >= finding.Stop }

// Standing is how a module of a bank stands by what is kept of it in one line.
type Standing struct {
	Number      string
	Quarantined bool
	Why         string // of the quarantine
	Hold        string
	Doubt       string // what else would keep it out of its bank now
	Verdict     survey.Verdict
	Fitness     grade.Fitness
	Allowed     string // why a watched one is in it, in writing
}

// Trouble says what is wrong with a module of a bank; it is asked of those of which something is.
func (s Standing) Trouble() Trouble {
	t := Trouble{Number: s.Number, Level: finding.Stop}
	switch {
	case s.Quarantined:
		t.Level, t.Text = finding.Refuse, "is in quarantine: "+strings.TrimSuffix(s.Why, ".")
	case s.Hold != "":
		t.Text = strings.TrimSuffix(s.Hold, ".")
	case s.Doubt != "":
		t.Text = strings.TrimSuffix(s.Doubt, ".")
	case s.Verdict == survey.Leaking:
		t.Text = "leaks"
	case s.Fitness == grade.Reject || s.Fitness == grade.Watch && s.Allowed == "":
		t.Text = "has no grade that stands: grade it again"
	default:
		t.Level, t.Text = finding.Caution, "was surveyed as "+string(s.Verdict)+" since"
	}
	return t
}
