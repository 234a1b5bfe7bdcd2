package pack

import (
	"fmt"
	"math"

	"pandrel/core/finding"
)

// What a step asks for.
const (
	AskConfirm   = "confirm"   // a person says that it is so
	AskIsolation = "isolation" // both ends against the case
	AskVolts     = "volts"     // one voltage, to be near ExpectVolts
)

// voltsWithin is how near a measured voltage must be to the plan's, as a fraction.
const voltsWithin = 0.05

// Step is one line of taking a pack apart. Gate steps must be done, or overridden in writing,
// before any later step may be recorded.
type Step struct {
	Key         string
	Title       string
	Do          string
	Gate        bool
	Ask         string
	ExpectVolts float64
	Lift        int // the bridge to lift, by the module before it; 0 for other steps
}

// Record is a step as it was done. OK is false where a reading did not pass; Override is the
// written reason for going on all the same.
type Record struct {
	Key      string
	OK       bool
	Override string
}

// Steps returns the work in order: people, equipment and meter, isolation before, the lifts, and
// isolation after. A pack that never stands above the limit has no gates.
func Steps(p Pack, plan Plan) []Step {
	high := plan.WholeVolts > plan.LimitVolts
	out := []Step{
		{Key: "history", Title: "History", Do: "Flood, crash and recall history asked for and written down. With any of them the pack is not opened here.", Gate: true, Ask: AskConfirm},
		{Key: "person", Title: "Second person", Do: "A second person is here, knows where to switch off and whom to call.", Gate: high, Ask: AskConfirm},
		{Key: "equipment", Title: "Protective equipment", Do: "Gloves for the voltage and in date, face shield, insulated tools; rings and watches off.", Gate: high, Ask: AskConfirm},
		{Key: "meter", Title: "Meter proved", Do: "On a known source, with fused shrouded probes of the right category. Prove, test, prove again.", Gate: high, Ask: AskConfirm},
		{Key: "isolation-before", Title: "Isolation before", Do: "Both ends against the case, each when the reading has settled, one probe per connector.", Gate: high, Ask: AskIsolation},
	}
	for i, l := range plan.Lifts {
		s := Step{Key: fmt.Sprintf("lift-%d", l.After), Title: fmt.Sprintf("Lift %d: bridge after module %d", i+1, l.After), Ask: AskVolts, ExpectVolts: l.LargestVolts, Lift: l.After,
			Do: fmt.Sprintf("Cover both neighbours, lift the bridge, cover both ends. Then measure the largest piece: about %.1f V.", l.LargestVolts)}
		if l.Disconnect {
			s.Title = fmt.Sprintf("Lift %d: service disconnect, after module %d", i+1, l.After)
			s.Do = fmt.Sprintf("Pull it, keep it in a pocket, wait ten minutes for capacitors. Then measure the larger side: about %.1f V.", l.LargestVolts)
			s.Gate = high
		}
		out = append(out, s)
	}
	return append(out, Step{Key: "isolation-after", Title: "Isolation after", Do: "Each piece against the case, before anything is lifted out.", Gate: high, Ask: AskIsolation})
}

// State is a step with what was recorded of it.
type State struct {
	Step
	Done       bool
	Overridden string
	Failed     bool // recorded with a reading that did not pass, and not overridden
	WaitsFor   string
}

// States joins steps and records; the newest record of a step counts, except that an override
// stays. A step waits for the first gate before it that is not done.
func States(steps []Step, records []Record) []State {
	out := make([]State, len(steps))
	gate := ""
	for i, s := range steps {
		st := State{Step: s, WaitsFor: gate}
		for _, r := range records {
			if r.Key != s.Key {
				continue
			}
			st.Done, st.Failed = r.OK, !r.OK
			if r.Override != "" {
				st.Overridden = r.Override
			}
		}
		if st.Overridden != "" {
			st.Done, st.Failed = true, false
		}
		if s.Gate && !st.Done && gate == "" {
			gate = s.Title
		}
		out[i] = st
	}
	return out
}

// MayRecord returns the finding that keeps a step from being recorded, nil where nothing does.
// History of flood or recall cannot be overridden; an open gate can, with a reason for it.
func MayRecord(steps []Step, records []Record, key string) (*finding.Finding, error) {
	for _, st := range States(steps, records) {
		if st.Key != key {
			continue
		}
		if st.WaitsFor == "" {
			return nil, nil
		}
		return &finding.Finding{Level: finding.Stop, Code: "gate-open", Subject: st.Title, Rule: rule, Text: fmt.Sprintf("'%s' is not done: the steps after it may not be recorded.", st.WaitsFor),
			Do: "Do it first. Going on all the same needs a written reason at that step, which stays visible for ever."}, nil
	}
	return nil, fmt.Errorf("step %q: expected one of this pack's steps", key)
}

// JudgeVolts compares a measured voltage with the plan's for that step.
func JudgeVolts(s Step, volts, limit float64) (ok bool, f finding.Finding) {
	f = finding.Finding{Level: finding.Note, Code: "as-planned", Subject: s.Title, Measured: finding.Of(volts), Limit: finding.Of(s.ExpectVolts), Unit: "V", Rule: rule, Text: fmt.Sprintf("%.1f V, as planned.", volts), Do: "Go on."}
	if d := math.Abs(math.Abs(volts) - s.ExpectVolts); d > max(1, voltsWithin*s.ExpectVolts) {
		f.Level, f.Code = finding.Stop, "not-as-planned"
		f.Text = fmt.Sprintf("%.1f V where about %.1f V was planned: another bridge is open, a module is missing from the list, or the probes are on the wrong piece.", volts, s.ExpectVolts)
		f.Do = "Stop. Measure every piece before lifting anything else."
		return false, f
	}
	if math.Abs(volts) > limit {
		f.Text = fmt.Sprintf("%.1f V, as planned, and still above %.0f V.", volts, limit)
		f.Do = "Go on as with high voltage."
	}
	return true, f
}
