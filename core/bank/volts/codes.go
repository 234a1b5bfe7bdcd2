package volts

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeFlatSetting       = "flat-setting"
	codeLookCloser        = "look-closer"
	codeNeverRecharge     = "never-recharge"
	codeNoTopBalance      = "no-top-balance"
	codeOver              = "over"
	codeVoltageCannotTell = "voltage-cannot-tell"
)
