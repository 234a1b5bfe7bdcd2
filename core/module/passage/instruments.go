package passage

import "pandrel/core/base/finding"

// What is said of the instruments and chargers on a module before one more is read or plugged in.
const (
	Alone    = "alone"    // nothing else is on it
	Isolated = "isolated" // others are, each isolated from the rest: no shared negative, earth or data lead
)

// Instruments judges what was said; anything but the two is a stop, also silence: two chargers or instruments
// that share a negative, an earth or a data lead on one module are a short through their leads.
func Instruments(number, said string) (f finding.Finding, ok bool) {
	if said == Alone || said == Isolated {
		return finding.Finding{}, true
	}
	return finding.New(finding.Stop, codeSharedNegative).About(number).By("hazards").
		Says("It is not said that this instrument is alone on the module, or isolated from every other on it.").
		Then("Take chargers and other instruments off, or see that none shares a negative, an earth or a data " +
			"lead; then say so."), false
}
