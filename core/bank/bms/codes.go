package bms

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeChemistryOpen     = "chemistry-open"
	codeBalanceUnknown    = "balance-unknown"
	codeBMSFirst          = "bms-first"
	codeChargeCurrent     = "charge-current"
	codeChargeUnknown     = "charge-unknown"
	codeChargerAboveLimit = "charger-above-limit"
	codeChargerTripsBMS   = "charger-trips-bms"
	codeChemistry         = "chemistry"
	codeContinuousCurrent = "continuous-current"
	codeContinuousUnknown = "continuous-unknown"
	codeFewSensors        = "few-sensors"
	codeFits              = "fits"
	codeFrostUnknown      = "frost-unknown"
	codeGroups            = "groups"
	codeIdleDraw          = "idle-draw"
	codeLoadUnknown       = "load-unknown"
	codeMonitorOnly       = "monitor-only"
	codeNoFrostCutoff     = "no-frost-cutoff"
	codePeakCurrent       = "peak-current"
	codePeakUnknown       = "peak-unknown"
	codeSensorsUnknown    = "sensors-unknown"
	codeStacked           = "stacked"
	codeSwitchUnknown     = "switch-unknown"
	codeWeakBalancer      = "weak-balancer"
)
