package balance

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAttendedOnly  = "attended-only"
	codeBMSTooSlow    = "bms-too-slow"
	codeUnequalCharge = "unequal-charge"
)
