package cost

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCyclesOpen = "cycles-open"
)
