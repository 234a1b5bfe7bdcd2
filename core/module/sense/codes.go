package sense

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeSenseAccuracy    = "sense-accuracy"
	codeSenseCommonShift = "sense-common-shift"
	codeSenseLead0       = "sense-lead-0"
	codeSenseSpare       = "sense-spare"
)
