package condition

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeFalling = "falling"
	codeGrows   = "grows"
	codeLeaks   = "leaks"
	codeSettled = "settled"
	codeTooLong = "too-long"
)
