package parts

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codePartsAlike    = "parts-alike"
	codePartsDiffer   = "parts-differ"
	codePartsFarApart = "parts-far-apart"
	codePartsMissing  = "parts-missing"
	codeSetAtLeast    = "set-at-least"
	codeSetSpread     = "set-spread"
	codeWeakCell      = "weak-cell"
	codeWeakGroup     = "weak-group"
)
