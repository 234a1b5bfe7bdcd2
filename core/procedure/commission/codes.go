package commission

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeBuildFailed   = "build-step-failed"
	codeBuildUnsigned = "build-not-signed"
	codeBesideUnlike  = "beside-unlike"
	codeFrostNotAsked = "frost-not-asked"
	codeSenseNotGood  = "sense-not-good"
)
