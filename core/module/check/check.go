// Package check finds out with few readings whether a module is wired as its type is, before it is trusted to be one.
package check

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/layout"
)

// Pair is one reading of a check: Red lies Groups groups above Black when the module is like its type.
type Pair struct {
	Red    string
	Black  string
	Groups int
}

// Plan returns a short list of readings that reveal a swapped, reversed or missing part in another module of a known
// layout: every point once, the outermost against each other and so inwards. With P points that is ⌈P/2⌉ readings, one
// more for each pair doubled in the middle. The readings span different numbers of groups, so that a group at zero does
// not lower them all alike. Exchanging two points of different nodes changes at least one of them by a whole group; a
// dead point makes one zero; a module turned round makes all negative. What it cannot see is named by Blind.
func Plan(m layout.Map) []Pair {
	type at struct {
		name string
		rank int
	}
	var pts []at
	groups := m.GroupsBelow()
	for i, n := range m.Nodes {
		for _, p := range n.Points {
			pts = append(pts, at{p, groups[i]})
		}
	}
	slices.SortStableFunc(pts, func(a, b at) int { return cmp.Compare(a.rank, b.rank) })
	n := len(pts)
	if n < 2 || pts[0].rank == pts[n-1].rank {
		return nil
	}
	var out []Pair
	first, last := pts[0], pts[n-1]
	add := func(hi, lo at) { out = append(out, Pair{hi.name, lo.name, hi.rank - lo.rank}) }
	alone := func(p at) { // against the end that is not its own node
		if p.rank > first.rank {
			add(p, first)
		} else {
			add(last, p)
		}
	}
	for i := range n / 2 {
		lo, hi := pts[i], pts[n-1-i]
		if hi.rank > lo.rank {
			add(hi, lo)
		} else { // doubled in the middle: a zero between them would tell nothing
			alone(lo)
			alone(hi)
		}
	}
	if n%2 == 1 {
		alone(pts[n/2])
	}
	return out
}

// Blind says what a check does not see.
const Blind = "Not checked: exchanges among doubled points, isolation from the case, and two mistakes that cancel."

// JudgePairs compares the readings of a check with what the layout lets expect. volts are in the
// order of the plan. It fails when their number differs or one is not a number.
func JudgePairs(plan []Pair, volts []float64, id chem.ID) ([]finding.Finding, error) {
	if len(plan) != len(volts) || len(plan) == 0 {
		return nil, fmt.Errorf("%s: expected %d", numeral.Count(len(volts), "reading"), len(plan))
	}
	low, high := 1.0, 4.3
	if c, err := chem.Lookup(id); err == nil {
		low, high = c.NeverRechargeVolts, c.ChargeLimitVolts+chem.OverToleranceVolts
	}
	var each []float64
	for i, v := range volts {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return nil, fmt.Errorf("reading %d is not a number: expected volts", i+1)
		}
		each = append(each, v/float64(plan[i].Groups))
	}
	sorted := slices.Clone(each)
	slices.Sort(sorted)
	mid := sorted[len(sorted)/2]
	out := []finding.Finding{}
	say := func(code, subject string, measured, limit float64, text, do string) {
		out = append(out, finding.New(finding.Stop, code).About(subject).
			Reads(numeral.Round3(measured), "V").Against(numeral.Round3(limit)).By("rules §2").
			Says("%s", text).
			Then("%s", do))
	}
	if !slices.ContainsFunc(each, func(v float64) bool { return v > 0 }) && mid < -low {
		say(codeCheckReversed, "module", volts[0], -volts[0], "Every reading is negative: the module's marks or its "+
			"connector are the other way round.", "Mark its true polarity, and do not wire it as its type.")
		return out, nil
	}
	if mid < low || mid > high {
		say(codeCheckRange, "module", mid, low, fmt.Sprintf("The readings come to %.3f V per group, outside what a "+
			"group can have.", mid), "Map this module by itself before using it.")
	}
	for i, p := range plan {
		want := mid * float64(p.Groups)
		name := p.Red + " to " + p.Black
		switch d := volts[i] - want; {
		// Groups of one module agree within 100 mV, so a sum of n of them within n times that, and
		// never by as much as half a group.
		case math.Abs(d) <= min(layout.AgreeVolts*float64(p.Groups), 0.4*math.Abs(mid)):
		case math.Abs(volts[i]) < layout.FloatingVolts:
			say(codeCheckDeadTap, name, volts[i], want, fmt.Sprintf("%s reads %.3f V where %.2f V is expected: one "+
				"of the two is a dead tap, or both are on one node.", name, volts[i], want),
				"Read each of the two against a post. Use neither for a sense lead before.")
		default:
			say(codeCheckDiffers, name, volts[i], want, fmt.Sprintf("%s reads %.2f V where %.2f V is expected, off "+
				"by about %.0f groups: swapped points, or a part is missing.", name, volts[i], want,
				math.Abs(math.Round(d/mid))), "Map this module by itself before using it.")
		}
	}
	return out, nil
}
