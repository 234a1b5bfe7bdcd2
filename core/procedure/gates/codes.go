package gates

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCurrentSmall   = "current-small"
	codeGateOpen       = "gate-open"
	codeInRange        = "in-range"
	codeJointHigh      = "joint-high"
	codeJointHot       = "joint-hot"
	codeNoOverride     = "no-override"
	codeNotAsPredicted = "not-as-predicted"
	codeNothingRead    = "nothing-read"
)
