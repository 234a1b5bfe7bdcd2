package grade

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBelowFloor             = "below-floor"
	codeBorderline             = "borderline"
	codeConditionsUnknown      = "conditions-unknown"
	codeGapOpen                = "gap-open"
	codeHistory                = "history"
	codeIsolation              = "isolation"
	codeLeaking                = "leaking"
	codeNoCapacity             = "no-capacity"
	codeNoLook                 = "no-look"
	codeNoSurvey               = "no-survey"
	codeOffRate                = "off-rate"
	codeOffTemperature         = "off-temperature"
	codeOnceBelowNeverRecharge = "once-below-never-recharge"
	codeResistance             = "resistance"
	codeResultsDiffer          = "results-differ"
	codeStateOfHealth          = "state-of-health"
	codeUseAlone               = "use-alone"
	codeUseBalance             = "use-balance"
	codeUseIsolation           = "use-isolation"
	codeUseLeaking             = "use-leaking"
	codeUseMate                = "use-mate"
	codeUseNone                = "use-none"
	codeUseOthers              = "use-others"
	codeUseParts               = "use-parts"
)
