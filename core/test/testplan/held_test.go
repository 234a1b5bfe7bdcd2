package testplan_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/bench/kit"
	"pandrel/core/test/testplan"
)

// What keeps a test from being planned, with what was measured against what: NMC of seven groups, charged at 0 to
// 45 °C, never recharged below 2.00 V, on a bench whose devices take eight groups a channel.
func TestWhatKeepsAPlanIsHeld(t *testing.T) {
	for _, c := range []struct {
		code              string
		level             finding.Level
		measured, against float64
		unit              string
		change            func(m *testplan.Module, k *kit.Kit)
	}{
		{"hot", finding.Stop, 45.1, 45, "°C", func(m *testplan.Module, _ *kit.Kit) { m.TempC = finding.Of(45.1) }},
		{"cold", finding.Refuse, -0.1, 0, "°C", func(m *testplan.Module, _ *kit.Kit) { m.TempC = finding.Of(-0.1) }},
		{"never-recharge", finding.Refuse, 1.99, 2, "V", func(m *testplan.Module, _ *kit.Kit) { m.Volts[2] = 1.99 }},
		{"never-recharge", finding.Refuse, 0, 2, "V", func(m *testplan.Module, _ *kit.Kit) { m.EverBelow = true }},
		{"no-full-charge", finding.Stop, 0, 7, "groups", func(m *testplan.Module, _ *kit.Kit) { m.Monitored = false }},
		{"too-many-groups", finding.Stop, 40, 8, "groups", func(m *testplan.Module, _ *kit.Kit) {
			m.Series, m.Volts = 40, nil
		}},
		{"half-a-bench", finding.Stop, 0, 0, "", func(_ *testplan.Module, k *kit.Kit) { k.Devices = k.Devices[1:2] }},
		{"no-device", finding.Stop, 0, 0, "", func(_ *testplan.Module, k *kit.Kit) { k.Devices = nil }},
		{"held", finding.Refuse, 0, 0, "", func(m *testplan.Module, _ *kit.Kit) { m.Held = "it is in quarantine" }},
		{"not-isolated", finding.Stop, 0, 0, "", func(m *testplan.Module, k *kit.Kit) {
			m.Series, m.Volts = 14, nil
			k.Devices = k.Devices[:1]
			k.Devices[0].Isolated = false
		}},
	} {
		m, k := module(), kit.Small()
		findingtest.Lacks(t, plan(t, m, k, "").Findings, c.code)
		c.change(&m, &k)
		p := plan(t, m, k, "")
		findingtest.Holds(t, p.Findings, c.code, c.level, c.measured, c.against, c.unit)
		if !p.Refused {
			t.Errorf("%s does not refuse the plan", c.code)
		}
	}
	for code, change := range map[string]func(m *testplan.Module){
		"hot":            func(m *testplan.Module) { m.TempC = finding.Of(45) },
		"cold":           func(m *testplan.Module) { m.TempC = finding.Of(0) },
		"never-recharge": func(m *testplan.Module) { m.Volts[2] = 2 },
	} {
		m := module()
		change(&m)
		findingtest.Lacks(t, plan(t, m, kit.Small(), "").Findings, code)
	}
}
