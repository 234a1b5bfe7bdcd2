package passage

import "pandrel/core/base/finding"

// Step is what a person does with a module next.
type Step string

// The steps that settle what keeps a module from something.
const (
	See     Step = "see" // its record: an exit, a grade, a reason in writing, its type
	Look    Step = "look"
	Close   Step = "close"
	Isolate Step = "isolate"
	Survey  Step = "survey"
	Map     Step = "map"
	RunTest Step = "test"
)

// SettledBy is the step that settles a finding of May, "" for any other finding: its code alone does not say that its
// subjects are modules.
func SettledBy(f finding.Finding) Step {
	if f.Rule != rule {
		return ""
	}
	switch f.Code {
	case codeQuarantined, codeChemistryUndeclared, codeLeaking, codeOnlyWatched, codeGradeStale:
		return See
	case codeLookHeld, codeNoLook:
		return Look
	case codeOpen:
		return Close
	case codeIsolation:
		return Isolate
	case codeReread, codeOverLimit, codeDrivenBelow, codeLogDoubt, codePartsApart, codeTapBroken, codeNoSurvey,
		codeSurveyDoubt:
		return Survey
	case codeOwnMap, codeUnlikeType, codeTapDead:
		return Map
	case codeNotAccepted:
		return RunTest
	}
	return ""
}
