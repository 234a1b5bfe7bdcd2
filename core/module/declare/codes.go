package declare

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeConfirmed  = "confirmed"
	codeMissingTap = "missing-tap"
	codeDeclared   = "declared"
)
