package whole

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeUnreadOut          = "unread-out"
	codeGroupsNotRead      = "groups-not-read"
	codeMeanOut            = "mean-out"
	codeAfterBalance       = "after-balance"
	codeAsBefore           = "as-before"
	codeAsItsModules       = "as-its-modules"
	CodeUndeclared         = "bank-chemistry"
	codeDrivenTooLow       = "driven-too-low"
	codeEndedBy            = "ended-by"
	codeGain               = "gain"
	codeGainOpen           = "gain-open"
	codeGroupReversed      = "group-reversed"
	codeGroupTooHigh       = "group-too-high"
	codeGroupTooLow        = "group-too-low"
	codeLessThanBefore     = "less-than-before"
	codeLessThanItsModules = "less-than-its-modules"
	codeMoreThanBefore     = "more-than-before"
	codeMoreThanItsModules = "more-than-its-modules"
	codeNoGain             = "no-gain"
	codeOfRated            = "of-rated"
	codePartOfADischarge   = "part-of-a-discharge"
)
