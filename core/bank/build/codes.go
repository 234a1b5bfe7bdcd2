package build

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeArc          = "arc"
	codeFire         = "fire"
	codeFrost        = "frost"
	codeHotJoint     = "hot-joint"
	codeInterrupt    = "interrupt"
	codeLeadAcid     = "lead-acid"
	codeLift         = "lift"
	codeMeter        = "meter"
	codeParallel     = "parallel"
	codePlugOrder    = "plug-order"
	codeSenseFuse    = "sense-fuse"
	codeSenseSwapped = "sense-swapped"
	codeShock        = "shock"
	codeSwitchOpen   = "switch-open"
	codeUnattended   = "unattended"
	codeUndo         = "undo"
)
