package standing

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeGroupQuarantined = "group-quarantined"
	codeJoined           = "joined"
	codeNoPrecharge      = "no-precharge"
	codeStrings          = "strings"
	codeTouchVoltage     = "touch-voltage"
)
