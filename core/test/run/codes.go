package run

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeClock             = "clock"
	codeCold              = "cold"
	codeCounter           = "counter"
	codeCounterImpossible = "counter-impossible"
	codeCurrentAtRest     = "current-at-rest"
	codeDirection         = "direction"
	codeForgotten         = "forgotten"
	codeGroups            = "groups"
	codeHot               = "hot"
	codeLessThanSet       = "less-than-set"
	codeMoreThanSet       = "more-than-set"
	codeNeverRecharge     = "never-recharge"
	codeOver              = "over"
	codePastCharge        = "past-charge"
	codePastTime          = "past-time"
	codePlannedOtherwise  = "planned-otherwise"
	codeUnwatched         = "unwatched"
)
