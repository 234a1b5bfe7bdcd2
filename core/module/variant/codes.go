package variant

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCompression     = "compression"
	codeDeadTaps        = "dead-taps"
	codeHalfCurrent     = "half-current"
	codeJoining         = "joining"
	codeNotKnown        = "not-known"
	codeOldConnector    = "old-connector"
	codeUnequalElements = "unequal-elements"
	codeWelded          = "welded"
)
