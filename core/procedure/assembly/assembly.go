// Package assembly is a bank being put together, worked step by step: the steps of package build as work with gates.
//
// The order of the build is the one that leaves least within reach, and a person may leave it. What is done out of turn
// is judged on the bank as it is then: what has been fitted so far, and nothing else.
package assembly

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/build"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/procedure/gates"
)

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeFirst   = "step-comes-first"
	codeHides   = "hides-open-joints"
	codeReach   = "reach-out-of-turn"
	codeLooksAs = "reading-looks-like"
	codeNotGood = "leads-not-good"
)

const rule = "rules §9; hazards"

// Steps are the steps of a build as work with gates: the bench first, B− before any lead, every lead measured before
// any device or plug. What lies between may be done in another order, where that does no harm.
func Steps(list []build.Step) (out []gates.Step) {
	for _, s := range list {
		g := gates.Step{Key: s.Key, Title: s.Title, Do: s.Do, Ask: gates.AskConfirm, Rule: rule, Unit: "V"}
		switch {
		case s.Read == nil:
		case s.Read.Beside != "":
			g.Ask, g.Other, g.High = gates.AskTotals, s.Read.Beside, s.Read.High*1000
		case s.Read.Low <= 0:
			// across a gap or an empty holder nothing may stand: whatever the reason, no writing passes that
			g.Ask, g.High, g.Must = gates.AskReading, max(-s.Read.Low, s.Read.High), true
		default:
			g.Ask, g.Low, g.High, g.Signed = gates.AskReading, s.Read.Low, s.Read.High, true
		}
		g.Gate = s.Key == "prepare" || strings.HasPrefix(s.Key, build.Negative) ||
			strings.HasPrefix(s.Key, build.MeasureLeads)
		g.Must = g.Must || g.Gate || strings.HasPrefix(s.Key, build.PlugIn)
		out = append(out, g)
	}
	return out
}

// Next is the step to be done now: the one that was chosen, else the first that is not done. Nothing that was left out
// is forgotten.
func Next(states []gates.State, chosen string) *gates.State {
	for i := range states {
		if states[i].Key == chosen {
			return &states[i]
		}
	}
	for i := range states {
		if !states[i].Done {
			return &states[i]
		}
	}
	return nil
}

// Now is a bank as it stands while it is built.
type Now struct {
	Netlist    netlist.Netlist
	Steps      []build.Step
	Done       map[string]bool // by the key of a step
	TouchVolts float64
	Covers     map[string][]string // the joints that each module hides once it stands
	LeadsGood  map[string]bool     // by BMS: its leads were measured, with a good verdict
}

// May says what keeps a step from being done on the bank as it is now, whatever its turn.
func May(n Now, key string) (out []finding.Finding) {
	var s build.Step
	for _, x := range n.Steps {
		if x.Key == key {
			s = x
		}
	}
	add := func(f finding.Finding) { out = append(out, f.About(s.Title).By(rule)) }
	for _, prefix := range []string{build.MeasureLeads, build.PlugIn} {
		if id, ok := strings.CutPrefix(key, prefix); ok && !n.LeadsGood[id] {
			add(finding.New(finding.Stop, codeNotGood).Reads(0, "verdicts").Against(1).
				Says("No good verdict on the sense leads of %s is on record for the bank as it is now.", id).
				Then("Read every lead into the table of sense leads, and judge them there. The plug stays out.").
				At(finding.PlaceLeads))
		}
	}
	if id, ok := strings.CutPrefix(key, build.PlugIn); ok {
		if open := n.open(func(x build.Step) bool { return x.Conductor != "" }); len(open) > 0 {
			add(finding.New(finding.Stop, codeFirst).Reads(float64(len(open)), "steps").Against(0).
				Says("%s is still to be fitted: a link that is made or opened with the plug of %s in may put the "+
					"whole string on one input.", finding.Names(open, "joints"), id).
				Then("Fit them first. The plug goes in last of all."))
		}
	}
	if open := n.open(func(x build.Step) bool {
		return x.Conductor != "" && slices.Contains(n.Covers[s.Module], x.Conductor)
	}); s.Module != "" && len(open) > 0 {
		add(finding.New(finding.Stop, codeHides).Reads(float64(len(open)), "joints").Against(0).
			Says("%s covers posts of %s, which is still to be fitted: out of reach once it stands.", s.Module,
				finding.Names(open, "joints")).
			Then("Fit and measure those first."))
	}
	if s.Conductor == "" {
		return out
	}
	if missing := n.unplaced(s.Conductor); len(missing) > 0 {
		add(finding.New(finding.Stop, codeFirst).Reads(float64(len(missing)), "modules").Against(0).
			Says("%s not measured in its place yet: which of its posts is plus is not proved.",
				finding.Was(missing, "modules")).
			Then("Place it and read it first."))
	}
	if f, ok := n.reach(s); ok {
		add(f)
	}
	return out
}

// open lists what is to be fitted or done yet, by the names of the joints.
func (n Now) open(of func(build.Step) bool) (out []string) {
	for _, x := range n.Steps {
		if of(x) && !n.Done[x.Key] {
			name := x.Conductor
			if name == "" {
				name = x.Title
			}
			out = append(out, name)
		}
	}
	return out
}

// unplaced lists the modules that a joint ends at and that nobody measured in their places.
func (n Now) unplaced(joint string) (out []string) {
	for _, c := range n.Netlist.Conductors {
		if c.ID != joint {
			continue
		}
		for _, end := range []string{c.From, c.To} {
			id, _, _ := strings.Cut(end, ".")
			for _, x := range n.Steps {
				if x.Module == id && !n.Done[x.Key] {
					out = append(out, id)
				}
			}
		}
	}
	return out
}

// reach says what a joint leaves within reach, where bare work that comes before it is not done yet.
func (n Now) reach(s build.Step) (f finding.Finding, ok bool) {
	volts := Exposed(n, s.Conductor)
	if volts <= n.TouchVolts {
		return f, false
	}
	var before []string
	for _, x := range n.Steps {
		if x.Key == s.Key {
			break
		}
		if !n.Done[x.Key] {
			before = append(before, x.Title)
		}
	}
	if len(before) == 0 {
		return f, false
	}
	return finding.New(finding.Stop, codeReach).Reads(math.Round(volts*100)/100, "V").Against(n.TouchVolts).
		Says("Out of its turn it leaves %.1f V within reach, and bare work is to be done yet: %s.", volts,
			finding.Names(before, "steps")).
		Then("Do those first, in their order."), true
}

// Exposed is the greatest voltage within one part of the bank as it is now, with one joint more; volts.
func Exposed(n Now, joint string) float64 {
	net := n.Netlist
	net.Conductors = nil
	for _, c := range n.Netlist.Conductors {
		if c.ID == joint || n.Done["fit "+c.ID] {
			net.Conductors = append(net.Conductors, c)
		}
	}
	net.BMS = nil
	x, err := netlist.Index(net)
	if err != nil {
		return 0
	}
	low, high := floor.Spans(x, floor.Closed(x))
	most := 0.0
	for r := range low {
		most = max(most, high[r]-low[r])
	}
	return most
}

// LooksLike says what a reading that does not pass most looks like: probes that touch nothing, swapped, or another
// module. It returns nothing where it looks like nothing that is known.
func LooksLike(n Now, key string, volts float64) []finding.Finding {
	var s build.Step
	for _, x := range n.Steps {
		if x.Key == key {
			s = x
		}
	}
	if s.Read == nil || s.Read.Beside != "" {
		return nil
	}
	about := func(format string, args ...any) []finding.Finding {
		return []finding.Finding{finding.New(finding.Note, codeLooksAs).About(s.Title).Reads(volts, "V").By(rule).
			Says(format, args...).Then("Measure again before anything is fitted.")}
	}
	if s.Read.Low > 0 && math.Abs(volts) < limits.StepVolts*4 {
		return about("Next to nothing: the probes touch one post twice, or nothing at all. Prove the meter on a " +
			"known source.")
	}
	for _, m := range n.Netlist.Modules {
		total := 0.0
		for _, g := range m.Groups {
			total += g.Volts
		}
		if m.ID != s.Module && math.Abs(math.Abs(volts)-total) <= limits.StepTolerance(total) {
			what := "another module"
			if s.Module == "" {
				what = "a whole module lies across the gap: the two ends are not the ones that are meant"
			}
			return about("%.2f V is what %s stands at: %s.", volts, m.ID, what)
		}
	}
	if middle := (s.Read.Low + s.Read.High) / 2; s.Read.Low > 0 && volts > 0 {
		return about("%.2f V away from what was surveyed last: charged, discharged or leaked since, or not this "+
			"module.", math.Abs(volts-middle))
	}
	return nil
}

// Said is the state of a build in a sentence: the step to do now, of how many.
func Said(states []gates.State, next *gates.State) string {
	done := 0
	for _, st := range states {
		if st.Done {
			done++
		}
	}
	if next == nil {
		return fmt.Sprintf("All %d steps are signed.", len(states))
	}
	return fmt.Sprintf("%d of %d steps are signed. Now: %s.", done, len(states), next.Title)
}
