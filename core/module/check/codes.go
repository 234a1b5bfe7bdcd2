package check

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCheckDeadTap  = "check-dead-tap"
	codeCheckDiffers  = "check-differs"
	codeCheckRange    = "check-range"
	codeCheckReversed = "check-reversed"
)
