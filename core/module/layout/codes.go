package layout

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBrokenTap         = "broken-tap"
	codeCaseNotUsable     = "case-not-usable"
	codeCaseOneEnd        = "case-one-end"
	codeChemistryAlso     = "chemistry-also"
	codeChemistryOpen     = "chemistry-open"
	codeClosePair         = "close-pair"
	codeDoubledOrDead     = "doubled-or-dead"
	codeFloating          = "floating"
	codeLoopOpen          = "loop-open"
	codeMissingTap        = "missing-tap"
	codeNoSuchModule      = "no-such-module"
	codeOddStep           = "odd-step"
	codeOneNode           = "one-node"
	codeSeriesOpen        = "series-open"
	codeSimilarNames      = "similar-names"
	codeStepsNotExplained = "steps-not-explained"
	codeUnknownPoint      = "unknown-point"
	codeZeroStep          = "zero-step"
)
