package sample

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAtRandom = "at-random"
	codeRisk     = "risk"
)
