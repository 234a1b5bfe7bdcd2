package passage

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBecame              = "became-others"
	codeBeingRegrouped      = "being-regrouped"
	codeChemistryUndeclared = "chemistry-undeclared"
	codeDrivenBelow         = "driven-below"
	codeGradeStale          = "grade-stale"
	codeIsolation           = "isolation"
	codeLeaking             = "leaking"
	codeLogDoubt            = "log-doubt"
	codeLookHeld            = "look-held"
	codeNotAccepted         = "not-accepted"
	codeOnlyWatched         = "only-watched"
	codeOpen                = "open"
	codeOverLimit           = "over-limit"
	codePartsApart          = "parts-apart"
	codeQuarantined         = "quarantined"
	codeReread              = "reread"
	codeSharedNegative      = "shared-negative"
	codeSurveyDoubt         = "survey-doubt"
	codeTapBroken           = "tap-broken"
	codeTapDead             = "tap-dead"
)
