package change

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAround    = "goes-round-device"
	codeJoined    = "joined-already"
	codeLikePoles = "like-poles"
	codeLoop      = "joint-closes-loop"
	codeParallel  = "joins-in-parallel"
	codePin       = "pin-carries-no-power"
	codeSeries    = "joins-parts"
)

const rule = "rules §9"
