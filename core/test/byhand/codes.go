package byhand

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCold          = "cold"
	codeDirection     = "direction"
	codeGroups        = "groups"
	codeGroupsAgain   = "groups-again"
	codeGroupsApart   = "groups-apart"
	codeGroupsFirst   = "groups-first"
	codeGroupsOld     = "groups-old"
	codeHot           = "hot"
	codeLate          = "late"
	codeNeverRecharge = "never-recharge"
	codeNoFullCharge  = "no-full-charge"
	codeOver          = "over"
	codeSum           = "sum"
	codeTooLittle     = "too-little"
	codeTooMuch       = "too-much"
	codeTotalMoved    = "total-moved"
)
