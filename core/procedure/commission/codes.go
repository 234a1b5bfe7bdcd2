package commission

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBesideUnlike  = "beside-unlike"
	codeFrostNotAsked = "frost-not-asked"
	codeSenseNotGood  = "sense-not-good"
)
