package pack

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAsPlanned       = "as-planned"
	codeNoDisconnect    = "no-disconnect"
	codePieceAboveLimit = "piece-above-limit"
	codeShock           = "shock"
)
