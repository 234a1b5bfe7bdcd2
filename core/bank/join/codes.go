package join

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCeiling           = "ceiling"
	codeChemistryUnlike   = "chemistry-unlike"
	codeDifference        = "difference"
	codeFloor             = "floor"
	codeLookCloser        = "look-closer"
	codeNeverRecharge     = "never-recharge"
	codeNotAtRest         = "not-at-rest"
	codeOver              = "over"
	codeOverfull          = "overfull"
	codeResistanceTypical = "resistance-typical"
	codeSeriesUnlike      = "series-unlike"
)
