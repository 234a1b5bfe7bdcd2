package testplan

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCold          = "cold"
	codeHalfABench    = "half-a-bench"
	codeHeld          = "held"
	codeHot           = "hot"
	codeLookCloser    = "look-closer"
	codeNeverRecharge = "never-recharge"
	codeNoDevice      = "no-device"
	codeNoEndPoint    = "no-end-point"
	codeNotIsolated   = "not-isolated"
	codeResistorLoad  = "resistor-load"
	codeSplit         = "split"
	codeThinTap       = "thin-tap"
	codeTooManyGroups = "too-many-groups"
)
