package pack

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
)

// voltsWithin is how near a measured voltage must be to the plan's, as a fraction.
const voltsWithin = 0.05

// LiftAfter returns the module after which a step lifts a bridge, 0 for other steps.
func LiftAfter(key string) int {
	n, err := strconv.Atoi(strings.TrimPrefix(key, "lift-"))
	if err != nil {
		return 0
	}
	return n
}

// PlugKey is the step at which a service plug is drawn and proved dead where nobody knows where it sits.
const PlugKey = "plug"

// deadVolts is what a drawn plug may leave between the outgoing terminals.
const deadVolts = 5.0

// Steps returns the work in order: people, equipment and meter, the service plug drawn and proved dead, isolation
// before, the lifts, and isolation after. A pack that never stands above the limit has no gates of people.
func Steps(p Pack, plan Plan) []gates.Step {
	high := plan.WholeVolts > plan.LimitVolts
	out := []gates.Step{{Key: "history", Title: "History",
		Do: "Flood, crash and recall history asked for and written " +
			"down. With any of them the pack is not opened here.", Gate: true, Must: true, Ask: gates.AskConfirm,
		Rule: rule}}
	if high {
		out = append(out, gates.People("This pack", plan.WholeVolts, rule)...)
	} else {
		out = append(out, gates.Step{Key: gates.Meter, Title: "Meter proved", Do: "On a known source. Prove, test, " +
			"prove again.", Ask: gates.AskConfirm})
	}
	lifts := plan.Lifts
	left := plan.WholeVolts
	dead := gates.Step{Key: PlugKey, Title: "Service plug drawn and proved dead", Do: "Drawn, kept by the one who " +
		"works, ten minutes waited for capacitors. Then between the outgoing terminals, the meter proved before " +
		"and after.", Ask: gates.AskReading, High: deadVolts, Unit: "V", Gate: high}
	switch {
	case len(lifts) > 0 && lifts[0].Disconnect:
		dead.Key, left = fmt.Sprintf("lift-%d", lifts[0].After), lifts[0].LargestVolts
		dead.Title = fmt.Sprintf("Lift 1: service plug, after module %d, drawn and proved dead", lifts[0].After)
		dead.Must = high
		lifts = lifts[1:]
		out = append(out, dead)
	case high:
		dead.Do += " Where there is none, say so in writing."
		out = append(out, dead)
	}
	out = append(out, gates.Step{Key: "isolation-before", Title: "Isolation before",
		Do: fmt.Sprintf("The largest piece "+
			"that is still joined, about %.1f V: both its ends against the case, each when the reading has "+
			"settled, one probe "+
			"per connector.", left), Gate: high, Must: high, Ask: gates.AskIsolation, ExpectVolts: left})
	for i, l := range lifts {
		out = append(out, gates.Step{Key: fmt.Sprintf("lift-%d", l.After), Title: fmt.Sprintf("Lift %d: bridge after "+
			"module %d", i+1+len(plan.Lifts)-len(lifts), l.After), Ask: gates.AskVolts, ExpectVolts: l.LargestVolts,
			Gate: high, Do: fmt.Sprintf("Cover both neighbours, lift the bridge, cover both ends. Then measure the "+
				"largest piece: about %.1f V.", l.LargestVolts)})
		left = l.LargestVolts
	}
	out = append(out, gates.Step{Key: "isolation-after", Title: "Isolation after", Do: "Each piece against the case, " +
		"before anything is lifted out; the largest one is written down.", Gate: high, Must: high,
		Ask: gates.AskIsolation, ExpectVolts: left})
	for i := range out {
		out[i].Rule = rule
	}
	return out
}

// JudgeVolts compares a measured voltage with the plan's for that step.
func JudgeVolts(s gates.Step, volts, limit float64) (ok bool, f finding.Finding) {
	f = finding.New(finding.Note, codeAsPlanned).About(s.Title).Reads(volts, "V").Against(s.ExpectVolts).By(rule).
		Says("%.1f V, as planned.", volts).
		Then("Go on.")
	if d := math.Abs(math.Abs(volts) - s.ExpectVolts); d > max(1, voltsWithin*s.ExpectVolts) {
		f.Level, f.Code = finding.Stop, "not-as-planned"
		f.Text = fmt.Sprintf("%.1f V where about %.1f V was planned: another bridge is open, a module is missing "+
			"from the list, or the probes are on the wrong piece.", volts, s.ExpectVolts)
		f.Do = "Stop. Measure every piece before lifting anything else."
		return false, f
	}
	if math.Abs(volts) > limit {
		f.Text = fmt.Sprintf("%.1f V, as planned, and still above %.0f V.", volts, limit)
		f.Do = "Go on as with high voltage."
	}
	return true, f
}
