package energy

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBelowFloor    = "below-floor"
	codeChargeLimited = "charge-limited"
	codeIdleShort     = "idle-short"
	codeMonthFails    = "month-fails"
	codeOutageLong    = "outage-long"
	codeRechargeShort = "recharge-short"
	codeVa            = "va"
)
