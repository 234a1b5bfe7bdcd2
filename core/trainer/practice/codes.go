package practice

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeIsolation = "isolation"
	codeNegative  = "negative"
	codeOdd       = "odd"
	codePositive  = "positive"
	codeSeries    = "series"
)
