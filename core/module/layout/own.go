package layout

import (
	"slices"

	"pandrel/core/base/finding"
)

const (
	codeNotAtEnd = "main-post-not-at-end"
	codeReversed = "reversed-group"
	codeJoined   = "posts-joined"
	codePlate    = "plate-disagrees"
)

// NotAsLabelled lists the stops that say a module is not as its label or its type says. Others, such as a loop that
// does not close yet, only say that it is not mapped to the end.
func (m Map) NotAsLabelled() (out []finding.Finding) {
	label := []string{codeNotAtEnd, codeReversed, codeJoined, codePlate}
	for _, f := range m.Findings {
		if f.Level >= finding.Stop && slices.Contains(label, f.Code) {
			out = append(out, f)
		}
	}
	return out
}

// MayBeOwn reports whether a map can be the layout of one module alone: mapped to the end with a loop that checks it,
// and no stop but that its main posts are elsewhere, which is what a layout of its own is for.
func (m Map) MayBeOwn() bool {
	for _, f := range m.Findings {
		if f.Level >= finding.Stop && f.Code != codeNotAtEnd {
			return false
		}
	}
	return m.Series >= 1 && len(m.Separate) == 0 && (m.NextReading == nil || m.Redundancy > 0)
}
