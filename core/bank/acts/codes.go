package acts

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeDamageBeforeBMS   = "damage-before-bms"
	codeDamageFirst       = "damage-first"
	codeResistanceTypical = "resistance-typical"
)
