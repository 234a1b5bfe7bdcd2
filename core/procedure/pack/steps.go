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

// Steps returns the work in order: people, equipment and meter, isolation before, the lifts, and
// isolation after. A pack that never stands above the limit has no gates.
func Steps(p Pack, plan Plan) []gates.Step {
	high := plan.WholeVolts > plan.LimitVolts
	out := []gates.Step{
		{Key: "history", Title: "History", Do: "Flood, crash and recall history asked for and written down. With " +
			"any of them the pack is not opened here.", Gate: true, Must: true, Ask: gates.AskConfirm},
		{Key: "person", Title: "Second person", Do: "A second person is here, knows where to switch off and whom " +
			"to call.", Gate: high, Ask: gates.AskConfirm},
		{Key: "equipment", Title: "Protective equipment", Do: "Gloves for the voltage and in date, face shield, " +
			"insulated tools; rings and watches off.", Gate: high, Ask: gates.AskConfirm},
		{Key: "meter", Title: "Meter proved", Do: "On a known source, with fused shrouded probes of the right " +
			"category. Prove, test, prove again.", Gate: high, Ask: gates.AskConfirm},
		{Key: "isolation-before", Title: "Isolation before", Do: "Both ends against the case, each when the " +
			"reading has settled, one probe per connector.", Gate: high, Ask: gates.AskIsolation,
			ExpectVolts: plan.WholeVolts},
	}
	for i, l := range plan.Lifts {
		s := gates.Step{Key: fmt.Sprintf("lift-%d", l.After), Title: fmt.Sprintf("Lift %d: bridge after module %d",
			i+1, l.After), Ask: gates.AskVolts, ExpectVolts: l.LargestVolts, Gate: high,
			Do: fmt.Sprintf("Cover both neighbours, lift the bridge, cover both ends. Then measure the largest "+
				"piece: about %.1f V.", l.LargestVolts)}
		if l.Disconnect {
			s.Title = fmt.Sprintf("Lift %d: service disconnect, after module %d", i+1, l.After)
			s.Do = fmt.Sprintf("Pull it, keep it in a pocket, wait ten minutes for capacitors. Then measure the "+
				"larger side: about %.1f V.", l.LargestVolts)
		}
		out = append(out, s)
	}
	for i := range out {
		out[i].Rule = rule
	}
	left := plan.WholeVolts
	if n := len(plan.Lifts); n > 0 {
		left = plan.Lifts[n-1].LargestVolts
	}
	return append(out, gates.Step{Rule: rule, Key: "isolation-after", Title: "Isolation after",
		Do:   "Each piece against the case, before anything is lifted out; the largest one is written down.",
		Gate: high, Ask: gates.AskIsolation, ExpectVolts: left})
}

// JudgeVolts compares a measured voltage with the plan's for that step.
func JudgeVolts(s gates.Step, volts, limit float64) (ok bool, f finding.Finding) {
	f = finding.Finding{Level: finding.Note, Code: "as-planned", Subject: s.Title, Measured: finding.Of(volts),
		Limit: finding.Of(s.ExpectVolts), Unit: "V", Rule: rule, Text: fmt.Sprintf("%.1f V, as planned.", volts),
		Do: "Go on."}
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
