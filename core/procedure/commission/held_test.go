package commission_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
)

// What keeps a bank out of service: a survey older than seven days or none, nobody's word on frost, and a bank beside
// it that is unlike.
func TestWhatKeepsOutOfServiceIsHeld(t *testing.T) {
	none := findingtest.None
	fresh := func(days ...float64) []finding.Finding {
		of := map[string]float64{}
		for i, d := range days {
			of[string(rune('A'+i))] = d
		}
		if f, ok := commission.Fresh(of); !ok {
			return []finding.Finding{f}
		}
		return nil
	}
	findingtest.Holds(t, fresh(1, 7.1, 3), "bank-not-surveyed", finding.Stop, 7.1, 7, "days")
	findingtest.Lacks(t, fresh(1, 7, 3), "bank-not-surveyed")
	findingtest.Holds(t, fresh(1, -1, 3), "bank-not-surveyed", finding.Stop, none, none, "")

	frost, ok := commission.Frost(commission.Bank{})
	if ok {
		t.Error("nobody was asked about frost, and it passes")
	}
	findingtest.Holds(t, []finding.Finding{frost}, "frost-not-asked", finding.Stop, none, none, "")
	if _, ok := commission.Frost(commission.Bank{FrostAsked: true}); !ok {
		t.Error("who was asked is asked again")
	}

	step := func(title string, done, failed bool) gates.State {
		return gates.State{Step: gates.Step{Key: title, Title: title, Rule: "rules §9"}, Done: done, Failed: failed,
			Reading: "14.40 V"}
	}
	built := func(states ...gates.State) []finding.Finding {
		return commission.Situation{Leads: []commission.Leads{}, SurveyDays: map[string]float64{"A": 1},
			Bank: commission.Bank{FrostAsked: true}, Build: states}.Open()
	}
	failed := built(step("Fit L1", true, false), step("Fit L2", false, true), step("Fit F1", false, false))
	findingtest.Holds(t, failed, "build-step-failed", finding.Stop, none, none, "")
	findingtest.Holds(t, failed, "build-not-signed", finding.Caution, 1, 0, "steps")
	whole := built(step("Fit L1", true, false), step("Fit L2", true, false))
	findingtest.Lacks(t, whole, "build-step-failed")
	findingtest.Lacks(t, whole, "build-not-signed")
	findingtest.Lacks(t, built(), "build-not-signed") // built by the sheet on paper

	unlike := func(own, other chem.ID, series, ofOther int) []finding.Finding {
		if f, is := commission.Unlike("Yard", own, other, series, ofOther); is {
			return []finding.Finding{f}
		}
		return nil
	}
	findingtest.Holds(t, unlike(chem.NMC, chem.LFP, 14, 14), "beside-unlike", finding.Refuse, none, none, "")
	findingtest.Holds(t, unlike(chem.NMC, chem.NMC, 14, 13), "beside-unlike", finding.Refuse, 14, 13, "groups")
	findingtest.Lacks(t, unlike(chem.NMC, chem.NMC, 14, 14), "beside-unlike")
	findingtest.Lacks(t, unlike(chem.NMC, "", 14, 0), "beside-unlike")
}
