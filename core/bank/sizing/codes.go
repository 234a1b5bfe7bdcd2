package sizing

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCablesUnequal       = "cables-unequal"
	codeConductorNotKnown   = "conductor-not-known"
	codeCurrentSmall        = "current-small"
	codeDrop                = "drop"
	codeEngagesLittle       = "engages-little"
	codeFuseFar             = "fuse-far"
	codeFuseNone            = "fuse-none"
	codeHeld                = "held"
	codeHoleShallow         = "hole-shallow"
	codeInterruptNone       = "interrupt-none"
	codeJoint               = "joint"
	codeLastStep            = "last-step"
	codeLittleMargin        = "little-margin"
	codeNeverFills          = "never-fills"
	codeNotKnown            = "not-known"
	codeOverPeak            = "over-peak"
	codeOverRating          = "over-rating"
	codePrintOff            = "print-off"
	codeProbesSwapped       = "probes-swapped"
	codeProspectiveNotKnown = "prospective-not-known"
	codePulse               = "pulse"
	codeSwitchSmall         = "switch-small"
	codeThin                = "thin"
	codeTipBottoms          = "tip-bottoms"
)
