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
