package plan_test

import (
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// A disconnect by hand sits where boards meet, and nowhere else.
func TestADisconnectByHand(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	s.Device = bms.Device{Name: "two boards", Switch: bms.Relay, GroupsLow: 1, GroupsHigh: 7, Stackable: true,
		BoardGroups: []int{7, 7}}
	for after, want := range map[int]string{1: "disconnect-data", 9: "disconnect-nowhere"} {
		s.Parts.PartAfter = after
		w, err := plan.CheckWiring(s)
		if err != nil {
			t.Fatal(err)
		}
		level := finding.Caution
		if after == 9 {
			level = finding.Refuse
		}
		if !has(w.Report.Findings, want, level) {
			t.Errorf("behind %d: no %s in %+v", after, want, w.Report.Findings)
		}
	}
	s.Device.BoardGroups, s.Device.GroupsHigh, s.Parts.PartAfter = nil, 16, 1
	w, err := plan.CheckWiring(s)
	if err != nil || !has(w.Report.Findings, "disconnect-inside", finding.Refuse) {
		t.Errorf("one board on both sides of it: %+v, %v", w.Report.Findings, err)
	}
}

// Closed packs in series each bear the whole, and that has to be known.
func TestClosedPacksInSeries(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	s.Type.Closed = true
	w, err := plan.CheckWiring(s)
	if err != nil {
		t.Fatal(err)
	}
	findingtest.Holds(t, w.Report.Findings, "closed-switch", finding.Stop, w.FullV, findingtest.None, "V")
	s.Type.SwitchVolts = 20
	w, _ = plan.CheckWiring(s)
	findingtest.Holds(t, w.Report.Findings, "closed-switch-low", finding.Refuse, w.FullV, 20, "V")
	s.Type.SwitchVolts = 100
	w, _ = plan.CheckWiring(s)
	findingtest.Lacks(t, w.Report.Findings, "closed-switch-low")
	findingtest.Lacks(t, w.Report.Findings, "closed-switch")
}

func has(fs []finding.Finding, code string, l finding.Level) bool {
	for _, f := range fs {
		if f.Code == code && f.Level == l {
			return true
		}
	}
	return false
}

// A BMS that wakes on a charger is held against the bank as it stands and against that charger.
func TestWhatWakesIt(t *testing.T) {
	s := situation(t, match.ParallelFirst) // 14 groups at 3.78 V
	s.Device = bms.Device{Name: "own", Switch: bms.Relay, GroupsLow: 1, GroupsHigh: 16, WakeVolts: 3}
	s.Need.ChargeMaxVolts = 55
	w, err := plan.CheckWiring(s)
	if err != nil || !has(w.Report.Findings, "wakes", finding.Caution) {
		t.Errorf("%+v, %v", w.Report.Findings, err)
	}
	s.Need.ChargeMaxVolts = 57
	if w, _ = plan.CheckWiring(s); !has(w.Report.Findings, "wakes", finding.Note) {
		t.Errorf("%+v", w.Report.Findings)
	}
	s.Design.Candidate.Chemistry = ""
	w, _ = plan.CheckWiring(s)
	findingtest.Holds(t, w.Report.Findings, "wake-no-charge", finding.Stop, 14*3.78+3, 57, "V")
}
