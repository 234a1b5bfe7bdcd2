package procedure

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codePackNotSplit = "pack-not-split"
	codeInWork       = "in-work"
)
