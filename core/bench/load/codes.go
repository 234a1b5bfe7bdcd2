package load

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeClamp  = "clamp"
	codeTooHot = "too-hot"
	codeWire   = "wire"
)
