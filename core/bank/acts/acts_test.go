package acts_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/acts"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func bank() acts.Bank {
	return acts.Bank{Chemistry: chem.NMC, Series: 7, Ah: 50, MOhm: 14, ChargeAmps: 10, DischargeAmps: 10}
}

func has(fs []finding.Finding, code string) bool {
	for _, f := range fs {
		if f.Code == code {
			return true
		}
	}
	return false
}

// A threshold of the whole is where rest volts and the current's drop make it; a delay is charge that flows.
func TestWhereAThresholdIs(t *testing.T) {
	k, _ := chem.Lookup(chem.NMC)
	b := bank()
	at := 7*k.Curve.Volts(0.8) + 10*0.014
	r, err := acts.Order(b, []acts.Threshold{{Name: "x", Top: true, Volts: at}, {Name: "later", Top: true, Volts: at,
		DelayS: 360}, {Name: "low", Volts: 7*k.Curve.Volts(0.2) - 10*0.014}})
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(r.Top[0].SoC-0.8) > 1e-6 || math.Abs(r.Top[1].SoC-0.82) > 1e-6 || math.Abs(r.Bottom[0].SoC-0.2) > 1e-6 {
		t.Errorf("%+v", r)
	}
}

// Unequal groups bring what is of a group forward, at both ends.
func TestUnequalGroupsActEarlier(t *testing.T) {
	b := bank()
	ts := []acts.Threshold{{Name: "g", Top: true, Group: true, Volts: 4.0}, {Name: "low", Group: true, Volts: 3.5}}
	even, _ := acts.Order(b, ts)
	b.SpreadShare = 0.05
	apart, _ := acts.Order(b, ts)
	if d := even.Top[0].SoC - apart.Top[0].SoC; math.Abs(d-0.05) > 1e-9 {
		t.Errorf("at the top %v earlier", d)
	}
	if d := apart.Bottom[0].SoC - even.Bottom[0].SoC; math.Abs(d-0.05) > 1e-9 {
		t.Errorf("at the bottom %v earlier", d)
	}
}

func TestVerdicts(t *testing.T) {
	k, _ := chem.Lookup(chem.NMC)
	for _, c := range []struct {
		name string
		ts   []acts.Threshold
		code string
		not  bool
	}{
		{"a charger above the BMS", []acts.Threshold{{Name: "charger's setting", Top: true, Volts: 29.6}, {Name: "BMS",
			Top: true, Group: true, Volts: 4.15, Disconnects: true}}, "bms-first-top", false},
		{"the charger first", []acts.Threshold{{Name: "charger's setting", Top: true, Volts: 28.4}, {Name: "BMS",
			Top: true, Group: true, Volts: 4.2, Disconnects: true}}, "bms-first-top", true},
		{"nothing that opens", []acts.Threshold{{Name: "charger's setting", Top: true, Volts: 28.4}},
			"nothing-behind-top", false},
		{"a floor that nothing guards", []acts.Threshold{{Name: "group floor", Group: true, Volts: 3.0}, {Name: "BMS",
			Group: true, Volts: 2.8, Disconnects: true}}, "limit-first-bottom", false},
		{"usual settings", acts.Usual(k, 7, 23, 0), "limit-first-top", true},
	} {
		r, err := acts.Order(bank(), c.ts)
		if err != nil || has(r.Findings, c.code) == c.not {
			t.Errorf("%s: %v %+v", c.name, err, r.Findings)
		}
	}
	if _, err := acts.Order(acts.Bank{Chemistry: chem.NMC}, nil); err == nil {
		t.Error("a bank of nothing")
	}
}

func ExampleOrder() {
	k, _ := chem.Lookup(chem.NMC)
	r, _ := acts.Order(bank(), acts.Usual(k, 7, 23, 0))
	fmt.Println(r.Top[0].Name, "…", r.Bottom[0].Name)
	// Output: charger's setting … device's cut-off
}

func BenchmarkOrder(b *testing.B) {
	k, _ := chem.Lookup(chem.NMC)
	ts := acts.Usual(k, 7, 23, 32)
	for b.Loop() {
		if _, err := acts.Order(bank(), ts); err != nil {
			b.Fatal(err)
		}
	}
}
