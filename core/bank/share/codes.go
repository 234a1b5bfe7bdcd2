package share

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCascade         = "cascade"
	codeCirculating     = "circulating"
	codeMoreThanItGives = "more-than-it-gives"
	codeNotLevel        = "not-level"
	codeOverTrip        = "over-trip"
	codeStringsUnlike   = "strings-unlike"
	codeTripNotKnown    = "trip-not-known"
	codeUnequalShare    = "unequal-share"
)
