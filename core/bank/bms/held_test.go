package bms_test

import (
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Of a device nobody knows whether it opens: it is refused until somebody reads it; so is one that only watches.
func TestWhatMayNotOpenIsRefused(t *testing.T) {
	n := bms.Need{Groups: 4, Chemistry: chem.LFP, LoadAmps: 20, ChargeAmps: 10, CapacityAh: 100}
	for _, c := range []struct {
		sw   string
		code string
	}{{"", "switch-unknown"}, {bms.Monitor, "monitor-only"}} {
		d := bms.Catalogue()[0]
		d.Switch = c.sw
		cs, err := bms.Choose(n, []bms.Device{d})
		if err != nil {
			t.Fatal(err)
		}
		findingtest.Holds(t, cs[0].Findings, c.code, finding.Refuse, 0, 1, "switches")
		if !cs[0].Refused {
			t.Errorf("%q is not refused", c.sw)
		}
	}
}

// Each refusal with what it measures against what: a transistor BMS for four LFP groups, 60 A, 120 A for seconds, 30 A
// of charge, without a cut-off in frost.
func TestRefusalsAreHeldAtTheirEdges(t *testing.T) {
	base := bms.Need{Groups: 4, Chemistry: chem.LFP, LoadAmps: 20, ChargeAmps: 10, CapacityAh: 100}
	of := func(f func(n *bms.Need)) []finding.Finding {
		n := base
		f(&n)
		return choice(t, n, "T4-60").Findings
	}
	findingtest.Holds(t, of(func(n *bms.Need) { n.Groups = 5 }), "groups", finding.Refuse, 5, 4, "groups")
	findingtest.Holds(t, of(func(n *bms.Need) { n.Groups = 3 }), "groups", finding.Refuse, 3, 4, "groups")
	findingtest.Holds(t, of(func(n *bms.Need) { n.Chemistry = chem.NMC }), "chemistry", finding.Refuse, 0, 0, "")
	// 48 A × 1.25 is what it carries.
	findingtest.Holds(t, of(func(n *bms.Need) { n.LoadAmps = 48.8 }), "continuous-current", finding.Refuse, 61, 60, "A")
	findingtest.Lacks(t, of(func(n *bms.Need) { n.LoadAmps = 48 }), "continuous-current")
	findingtest.Holds(t, of(func(n *bms.Need) { n.PeakAmps = 121 }), "peak-current", finding.Refuse, 121, 120, "A")
	findingtest.Lacks(t, of(func(n *bms.Need) { n.PeakAmps = 120 }), "peak-current")
	findingtest.Holds(t, of(func(n *bms.Need) { n.ChargeAmps = 30.5 }), "charge-current", finding.Refuse, 30.5, 30, "A")
	findingtest.Lacks(t, of(func(n *bms.Need) { n.ChargeAmps = 30 }), "charge-current")
	findingtest.Holds(t, of(func(n *bms.Need) { n.FreezesHere = true }), "no-frost-cutoff", finding.Refuse, 0, 0, "°C")
	n := base
	n.FreezesHere = true
	findingtest.Lacks(t, choice(t, n, "T8-100").Findings, "no-frost-cutoff") // one that stops charging in frost
}
