package standing

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
)

// Opens says whether a bank's BMS opens its circuit by itself.
const (
	OpensYes = "yes"
	OpensNo  = "no"
	// "" is not known.
)

// Sitting is what was judged of a bank in one sitting; Every says that each of its groups was read.
type Sitting struct {
	Survey   survey.Result
	Findings []finding.Finding // of all that was read, of the whole too
	Every    bool
}

// stood is what the newest sitting of every group stopped, and each that left groups out since: those free nothing.
func stood(sittings []Sitting) (out []finding.Finding) {
	for _, s := range sittings {
		out = append(out, finding.Standing(s.Findings)...)
		if s.Every {
			break
		}
	}
	return out
}

// Holds lists what keeps a bank from going back into work, and calls it back where it is in work: a group that a survey
// stopped, one that was ever confirmed below never-recharge, no BMS of which it is known that it disconnects, no
// declared chemistry, a test of the whole bank that read a group where none may be. It may be drawn, read and taken out
// of work all the same. sittings are those that count, newest first; tested is what stopped the tests since the newest.
func Holds(c Cells, sittings []Sitting, tested []finding.Finding) []finding.Finding {
	var out []finding.Finding
	at := finding.PlaceInside
	add := func(l finding.Level, code, rule, text, do string) {
		out = append(out, finding.New(l, code).About("bank").By(rule).
			Says("%s", text).
			Then("%s", do).At(at))
	}
	seen := map[int]bool{}
	for _, s := range sittings {
		for _, g := range s.Survey.Groups {
			if g.Verdict == survey.Quarantine && !seen[g.Group] {
				seen[g.Group] = true
				f := finding.New(finding.Refuse, codeGroupQuarantined).About(fmt.Sprintf("group %d",
					g.Group)).Reads(g.Volts, "V").By("rules §3").
					Says("Group %d was confirmed at %.3f V, outside what may be charged again, also if it has "+
						"recovered.", g.Group, g.Volts).
					Then("Take the bank out of work, and that group out of the bank. No charge, " +
						"ever.").At(finding.PlaceGates)
				out = append(out, f)
			}
		}
	}
	out = append(append(out, stood(sittings)...), finding.Standing(tested)...)
	where := "and say so under 'Its inside'"
	if c.Designed {
		at, where = finding.PlaceBMS, "and choose it on the page of its design"
	}
	switch {
	case c.Opens == OpensYes:
	case c.Opens == OpensNo:
		add(finding.Refuse, codeNoBMS, "hazards", "Its BMS does not open the circuit by itself.", "Fit one that "+
			"disconnects, "+where+". Until then: out of work, no charge.")
	case c.Chosen != "":
		add(finding.Refuse, codeNoBMS, "hazards", "No BMS opens its circuit yet: "+c.Chosen+" is to be fitted.",
			"Fit it, read its settings back and prove that it opens; then say under 'Its inside' that it is in. Until "+
				"then it is not charged and not put back.")
	default:
		add(finding.Refuse, codeNoBMS, "hazards", "No BMS is known of this bank that opens the circuit by itself.",
			"Find out whether it has one, "+where+". Until then it may be read and taken out of work, not "+
				"charged and not put back.")
	}
	if c.Chemistry == "" {
		add(finding.Stop, codeUndeclared, "rules §1", "Its chemistry is not declared: no charge.",
			"Read it from a label or a data sheet, and say so under 'Its inside'.")
	}
	return finding.Sorted(out)
}

// codes of what is no judgement of a group.
const (
	codeNoBMS      = "no-bms"
	codeUndeclared = "chemistry-undeclared"
	codeFrost      = "charged-below-freezing"
)

// OfGroups are the holds that a group of the bank makes: nothing is added to such a bank.
func OfGroups(holds []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(finding.Standing(holds), func(f finding.Finding) bool {
		return f.Code == codeNoBMS || f.Code == codeUndeclared
	})
}

// Told is what holds a bank in a sentence, "" for nothing.
func Told(holds []finding.Finding) string {
	if len(holds) == 0 {
		return ""
	}
	return strings.TrimSpace(holds[0].Text + " " + holds[0].Do)
}
