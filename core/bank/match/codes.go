package match

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeTypesMixed  = "types-mixed"
	codeUnevenShare = "uneven-share"
)
