package bms_test

import (
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Where a device opens for a group is held against the chemistry: what is made for another one is refused.
func TestWhereItOpens(t *testing.T) {
	judged := func(id chem.ID, over, under float64) []finding.Finding {
		d := bms.Device{Name: "own", Switch: bms.Relay, GroupsLow: 4, GroupsHigh: 4, OverVolts: over, UnderVolts: under}
		list, err := bms.Choose(bms.Need{Chemistry: id, Groups: 4}, []bms.Device{d})
		if err != nil || len(list) != 1 {
			t.Fatalf("%v %v", list, err)
		}
		return list[0].Findings
	}
	for _, c := range []struct {
		name        string
		id          chem.ID
		over, under float64
		code        string
		level       finding.Level
		v, limit    float64
	}{
		{"4.25 V over LFP", chem.LFP, 4.25, 2.5, "opens-high", finding.Refuse, 4.25, 3.65},
		{"3.70 V over LFP", chem.LFP, 3.70, 2.5, "opens-high", finding.Caution, 3.70, 3.65},
		{"4.25 V over NMC", chem.NMC, 4.25, 3.0, "opens-high", finding.Caution, 4.25, 4.20},
		{"2.20 V under NMC", chem.NMC, 4.2, 2.2, "opens-low", finding.Caution, 2.2, 3.0},
		{"1.50 V under NMC", chem.NMC, 4.2, 1.5, "opens-low", finding.Refuse, 1.5, 2.0},
	} {
		t.Run(c.name, func(t *testing.T) {
			findingtest.Holds(t, judged(c.id, c.over, c.under), c.code, c.level, c.v, c.limit, "V")
		})
	}
	for _, code := range []string{"opens-high", "opens-low"} {
		findingtest.Lacks(t, judged(chem.LFP, 3.6, 2.5), code) // four small boards of the kind that people have
		findingtest.Lacks(t, judged(chem.LFP, 0, 0), code)     // nothing is known
	}
}

// What is known of its supply and of its ports is said with the point, and what nobody said is not.
func TestSupplyAndPorts(t *testing.T) {
	if text := (bms.Device{}).SupplyText("M-3+") + (bms.Device{Supply: bms.SupplyLeads}).SupplyText("M-3+") +
		(bms.Device{}).PortText(); text != "" {
		t.Errorf("of a device of which nothing is known: %q", text)
	}
	for _, kind := range []string{bms.SupplyDoubled, bms.SupplyOwn} {
		text := (bms.Device{Supply: kind}).SupplyText("M-3+")
		if !strings.Contains(text, "goes to M-3+") || !strings.Contains(text, "fuse of at most 3 A") {
			t.Errorf("%s: %q", kind, text)
		}
	}
	if text := (bms.Device{ChargePort: bms.PortOwn}).PortText(); !strings.Contains(text, "goes round its switch") {
		t.Errorf("a port of its own: %q", text)
	}
	for field, d := range map[string]bms.Device{"supply": {Supply: "x"}, "charge_port": {ChargePort: "x"},
		"under_v": {OverVolts: 3, UnderVolts: 3.5}, "over_v": {OverVolts: 48}} {
		d.Name, d.GroupsHigh = "own", 4
		if got, _ := d.Check(); got != field {
			t.Errorf("%+v: %q, expected %s", d, got, field)
		}
	}
}
