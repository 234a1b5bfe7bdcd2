package teardown

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeFewerFasteners = "fewer-fasteners"
	codeFewerParts     = "fewer-parts"
	codeMoreBack       = "more-back"
	codeNotClosed      = "not-closed"
)
