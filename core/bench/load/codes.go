package load

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeClamp         = "clamp"
	codeFloorNotKnown = "floor-not-known"
	codeTooHot        = "too-hot"
	codeWire          = "wire"
)
