package lead

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeClip       = "clip"
	codeDeadPin    = "dead-pin"
	codeInputs     = "inputs"
	codeNoWire     = "no-wire"
	codeOpen       = "open"
	codeSwapped    = "swapped"
	codeTouching   = "touching"
	codeWrongInput = "wrong-input"
	codeWrongNode  = "wrong-node"
)
