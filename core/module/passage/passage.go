// Package passage is the one rule of what a module may do next.
//
// Every action on a module (a reading, a test, a grade, a place in a bank, a step of its build, going into
// service) asks it at that moment, with all that is on record then: what a look found, what its own map,
// check and isolation said, whether it is whole, what its last survey and test hold against it. A page shows
// what it says; the action enforces it (hazards: 'the module cannot go on').
package passage

import (
	"strings"

	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"

	"pandrel/core/base/finding"
)

// Action is what somebody wants to do with a module.
type Action int

// The actions, in the order of the path.
const (
	Measure Action = iota // map, check or survey: readings, no current
	Test                  // charge or discharge
	Grade
	Design // a place in a bank
	Build  // a step of the build with it
	Service
)

var actionWords = [...]string{"measured", "tested", "graded", "placed in a bank", "built in", "put in service"}

// String says what the action does to a module.
func (a Action) String() string { return actionWords[a] }

// Record is what is on record of a module, newest of each kind.
type Record struct {
	Number       string
	Quarantined  string // why, "" for not
	Looked       bool
	LookHeld     string            // milder signs that are not seen to yet, "" for none
	Open         string            // opened and not closed again, or closed with a part missing; "" for whole
	Isolation    isolation.Verdict // of the newest check, "" for none
	Chemistry    bool              // declared
	OwnMapStops  []string
	CheckStops   []string // of the check against its type
	OwnLayout    bool     // a layout of its own was accepted: the stops above are settled by it
	Surveyed     bool
	SurveyHeld   string // a reading that waits for a second one; "" for none
	OverLimit    bool   // a group above its limit
	Leaking      bool
	ReadTogether bool          // groups without a tap between: no monitor sees them apart
	DeadTap      string        // a point of its connector that is dead, and no other reaches that tap; "" for none
	DrivenBelow  string        // what a test read where no group may be, and no survey at rest settled since
	LogDoubt     string        // a log drove a group to what only a survey can settle, and none was taken since
	PartsApart   string        // after a part was tested alone its siblings stand elsewhere; "" where they match
	Fitness      grade.Fitness // "" for never graded
	GradeStale   string        // why the grade on record no longer holds, "" where it does
	SurveyDoubt  string        // what the last survey leaves open of a module that was never graded; "" for nothing
	Regrouping   bool          // a way of cutting it or of moving its links is under way
	Became       string        // the modules that it was cut or regrouped into; "" for none
	Allowed      string        // who lets a watched module into a bank and why, in writing; "" for nobody
}

// Planned reports whether the module was never graded, and may be planned with by what is known of it, amp hours or
// not: its look, survey, layout and chemistry are asked for when it is built in, not when it is drawn.
func (r Record) Planned() bool { return r.Fitness == "" || r.Fitness == grade.NotYet }

// MayAllow reports whether a module may be let into a bank by a reason in writing: a watched one that nothing else
// keeps out. A rejected one may not, whatever is written.
func (r Record) MayAllow() bool { return r.Fitness == grade.Watch && r.SurveyDoubt == "" }

// rule is what every finding of May goes by.
const rule = "hazards; rules §18"

// May returns what keeps a module from an action: refusals and stops, worst first. None means that nothing on
// record speaks against it; what is not on record it cannot know.
//
// In one piece: the one list of what keeps a module from what; a rule that stood elsewhere would be overlooked.
func May(r Record, a Action) []finding.Finding {
	var out []finding.Finding
	drawn := a == Design && r.Planned()
	say := func(from Action, l finding.Level, code, text, do string) {
		if a < from || drawn && (code == codeNoLook || code == codeNoSurvey || code == codeChemistryUndeclared) {
			return
		}
		out = append(out, finding.New(l, code).About(r.Number).By(rule).
			Says("%s %s", r.Number, text).
			Then("%s", do).
			At(settledAt(code)))
	}
	if r.Quarantined != "" {
		say(Measure, finding.Refuse, codeQuarantined, "is in quarantine: "+r.Quarantined+".",
			"It cannot be tested, matched or wired.")
		return out
	}
	if r.Became != "" {
		say(Measure, finding.Refuse, codeBecame, "is no module any more: it became "+r.Became+".",
			"Work with those. What was measured of it stays on record.")
		return out
	}
	if r.Regrouping {
		say(Measure, finding.Stop, codeBeingRegrouped, "is being cut or regrouped: its layout is not what its type "+
			"says.", "Sign the steps to their end, or leave the work before its first link is touched.")
	}
	if r.LookHeld != "" {
		say(Measure, finding.Stop, codeLookHeld, "is held by its last look: "+r.LookHeld+".",
			"See to it, and look at it again.")
	}
	if !r.Looked {
		say(Test, finding.Stop, codeNoLook, "was never looked at.", "Look it over first: swelling, dents, wetness, "+
			"burns.")
	}
	if r.Open != "" {
		say(Test, finding.Stop, codeOpen, "is not whole: "+r.Open+".", "Close it, and find what is missing, before "+
			"current flows.")
	}
	if !r.Isolation.Passed() && a != Grade {
		say(Test, finding.Stop, codeIsolation, "is not isolated from its case.",
			"Find the leak, and measure isolation again.")
	}
	if r.SurveyHeld != "" {
		say(Test, finding.Stop, codeReread, "waits for a second reading: "+r.SurveyHeld+".",
			"Read that group again at rest before anything else.")
	}
	if r.OverLimit && a != Grade {
		say(Test, finding.Stop, codeOverLimit, "has a group above its charge limit.",
			"Discharge that group alone through a resistor, under watch, and survey again.")
	}
	if !r.Chemistry {
		say(Test, finding.Refuse, codeChemistryUndeclared, "has no declared chemistry: no charge step can be planned.",
			"Declare it from a label or a data sheet.")
	}
	if r.DrivenBelow != "" {
		say(Test, finding.Stop, codeDrivenBelow, r.DrivenBelow+".", "No charge. Survey it at rest, half an hour and "+
			"more after the current went off: that reading decides.")
	}
	if r.LogDoubt != "" {
		say(Grade, finding.Stop, codeLogDoubt, r.LogDoubt, "Survey it at rest: that second reading decides.")
	}
	if !r.OwnLayout {
		for _, s := range r.OwnMapStops {
			say(Grade, finding.Stop, codeOwnMap, "by its own readings: "+s,
				"Map this module by itself and accept that layout for it alone, or mark it and map again.")
			break
		}
		for _, s := range r.CheckStops {
			say(Grade, finding.Stop, codeUnlikeType, "is not like its type: "+s,
				"Map this module by itself and accept that layout for it alone.")
			break
		}
	}
	if r.PartsApart != "" {
		say(Design, finding.Stop, codePartsApart, r.PartsApart+".", "Until then it is no string: its first group at "+
			"a limit would end every charge and discharge.")
	}
	if r.Leaking {
		say(Design, finding.Stop, codeLeaking, "leaks.", "Use it for parts only.")
	}
	if r.ReadTogether {
		say(Design, finding.Stop, codeTapBroken, "has groups that were read together because a tap is broken: no "+
			"monitor sees them apart.", "Mend the tap, and survey it again.")
	}
	if r.DeadTap != "" {
		say(Design, finding.Stop, codeTapDead, "has a dead tap: "+r.DeadTap+" reaches nothing, and no other point is "+
			"on it, so that two groups cannot be seen apart.", "Mend the tap and map it again, or keep it for parts.")
	}
	if !r.Surveyed {
		say(Grade, finding.Stop, codeNoSurvey, "has no survey on record.", "Survey it at rest.")
	}
	if a >= Design {
		switch {
		case r.Planned() && r.GradeStale == "":
			if r.SurveyDoubt != "" {
				say(Build, finding.Stop, codeSurveyDoubt, "was never graded, and its last survey leaves a doubt: "+
					r.SurveyDoubt+".", "Survey it again, or test and grade it, before it is built in.")
			}
		case r.MayAllow() && r.Allowed != "" && r.GradeStale == "":
		case r.Fitness == grade.Watch && r.Allowed == "":
			say(Design, finding.Stop, codeOnlyWatched, "is watched: fit as a parallel mate only.",
				"Leave it out, or let it in with the reason in writing.")
		case r.Fitness != grade.Accept && !r.MayAllow() && !r.Planned():
			say(Design, finding.Stop, codeNotAccepted, "is not graded as fit for a place in a bank.",
				"Test and grade it.")
		case r.GradeStale != "":
			say(Design, finding.Stop, codeGradeStale, "has a grade that no longer holds: "+r.GradeStale,
				"Grade it again.")
		}
	}
	return finding.Sorted(out)
}

// MayTell is May of a result that somebody brings: the current has flowed already, so that a look that was never
// taken, and a chemistry that nobody knows, keep it from nothing. Both stay open for everything after.
func MayTell(r Record) []finding.Finding {
	r.Looked, r.Chemistry = true, true
	return May(r, Test)
}

// Hold says in one line what keeps a module from a place in a bank, "" where nothing on record does that a
// grade has not said already. It is what lists and headlines show.
func Hold(r Record) string {
	r.Fitness, r.GradeStale = grade.Accept, ""
	if !r.Surveyed && r.SurveyHeld == "" { // on its way, not held
		r.Surveyed = true
	}
	if !r.Looked {
		r.Looked = true
	}
	if !r.Chemistry {
		r.Chemistry = true
	}
	fs := May(r, Service)
	if len(fs) == 0 {
		return ""
	}
	return strings.TrimSuffix(strings.TrimPrefix(fs[0].Text, r.Number+" "), ".")
}

const (
	codeNoLook     = "no-look"
	codeNoSurvey   = "no-survey"
	codeOwnMap     = "own-map"
	codeUnlikeType = "unlike-type"
)

// ForGrading parts what keeps a module from its grade: stops stand until it has a layout of its own, holds until
// they are settled. What the grade asks for itself, a look, a survey and the quarantine, is in neither.
func ForGrading(r Record) (stops, holds []finding.Finding) {
	if r.Quarantined != "" {
		return nil, nil
	}
	for _, f := range May(r, Grade) {
		switch f.Code {
		case codeNoLook, codeNoSurvey:
		case codeOwnMap, codeUnlikeType:
			stops = append(stops, f)
		default:
			holds = append(holds, f)
		}
	}
	return stops, holds
}
