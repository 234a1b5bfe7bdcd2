package plan

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBuriesLate        = "covers-what-waits"
	codeSupply            = "supply-lead"
	codeChargePort        = "charge-port"
	codeWakes             = "wakes"
	codeWakeNoCharge      = "wake-no-charge"
	codeLeftOutOpen       = "left-out-open"
	codeClosedPacks       = "closed-packs"
	codeClosedSwitch      = "closed-switch"
	codeClosedSwitchLow   = "closed-switch-low"
	codeUnused            = "unused-in-series"
	codeDisconnectData    = "disconnect-data"
	codeDisconnectInside  = "disconnect-inside"
	codeDisconnectNowhere = "disconnect-nowhere"
	codeAhNotKnown        = "amp-hours-not-known"
	codeBears             = "bears"
	codeBothStrings       = "both-strings"
	codeCapacityNotTested = "capacity-not-tested"
	codeDeviceNotRead     = "device-not-read"
	codeJoinsStanding     = "joins-standing"
	codeEndsOnly          = "ends-only"
	codeNotSurveyed       = "not-surveyed"
	codeVoltsBeforeTest   = "volts-before-test"
)
