package passage

import "pandrel/core/base/finding"

// settledAt is where what keeps a module back is settled.
func settledAt(code string) finding.Place {
	switch code {
	case codeBeingRegrouped:
		return finding.PlaceRegroup
	case codeBecame, codeQuarantined, codeChemistryUndeclared, codeLeaking, codeOnlyWatched, codeGradeStale:
		return finding.PlaceRecord
	case codeLookHeld, codeNoLook:
		return finding.PlaceLook
	case codeOpen:
		return finding.PlaceClose
	case codeIsolation:
		return finding.PlaceIsolate
	case codeReread, codeOverLimit, codeDrivenBelow, codeLogDoubt, codePartsApart, codeTapBroken, codeNoSurvey,
		codeSurveyDoubt:
		return finding.PlaceSurvey
	case codeOwnMap, codeUnlikeType, codeTapDead:
		return finding.PlaceMap
	case codeNotAccepted:
		return finding.PlaceTest
	}
	return ""
}
