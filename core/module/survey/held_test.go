package survey_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/survey"
)

// One reading among six of 3.711 V, at each edge of what a group may show (NMC: never recharged below 2.00 V, charged
// to 4.20 V; 20 mV above are put down to the meter, 100 mV above are quarantine once they are confirmed).
func TestEdgesOfAReadingAreHeld(t *testing.T) {
	type way struct {
		confirmed bool
		rest      float64
	}
	once, twice := way{false, 120}, way{true, 120}
	of := func(v float64, w way) []finding.Finding {
		t.Helper()
		m := module(chem.NMC, 3.711, 3.711, v, 3.711, 3.711, 3.711)
		m.Readings[2].Confirmed, m.RestMinutes = w.confirmed, w.rest
		return judge(t, m).Findings
	}
	for _, c := range []struct {
		v       float64
		way     way
		code    string
		level   finding.Level
		against float64
	}{
		{1.99, once, "below-never-recharge-unconfirmed", finding.Stop, 2},
		{1.99, way{true, 5}, "below-never-recharge-unconfirmed", finding.Stop, 2}, // not at rest: it does not confirm
		{1.99, twice, "below-never-recharge", finding.Refuse, 2},
		{4.221, once, "over-limit", finding.Stop, 4.2},
		{4.299, twice, "over-limit", finding.Stop, 4.2},
		{4.301, once, "over-limit-unconfirmed", finding.Stop, 4.2},
		{4.301, twice, "over-limit-quarantine", finding.Refuse, 4.2},
		{7.422, once, "spans-groups", finding.Stop, 3.711},
		{0.49, once, "reread", finding.Stop, 0.5},
		{10.01, once, "reread", finding.Stop, 4.3}, // above anything a group shows
		{-3.711, once, "reread", finding.Stop, 0.5},
	} {
		findingtest.Holds(t, of(c.v, c.way), c.code, c.level, c.v, c.against, "V")
	}
	for v, code := range map[float64]string{2.0: "below-never-recharge-unconfirmed", 4.22: "over-limit",
		4.3: "over-limit-unconfirmed", 0.5: "reread", 10: "reread"} {
		findingtest.Lacks(t, of(v, once), code)
	}
}

// All groups of a module that lose charge alike are a leak, or something that draws on it: NMC from 60 to 53 % in
// sixteen days is 13.3 % in a month of 30.4 days, against the 3 % from which a group leaks. Above 15 % it was
// discharged.
func TestALeakOfAllIsHeld(t *testing.T) {
	k, err := chem.Lookup(chem.NMC)
	if err != nil {
		t.Fatal(err)
	}
	at := func(soc float64) survey.Module {
		v := k.Curve.Volts(soc)
		m := module(chem.NMC, v, v, v, v, v, v)
		m.RestMinutes, m.AccuracyVolts = 300, 0.001
		return m
	}
	over := func(to, days float64) []finding.Finding {
		r := judge(t, at(to))
		survey.Drift(&r, judge(t, at(0.6)), at(to), days, survey.DefaultPolicy)
		return r.Findings
	}
	findingtest.Holds(t, over(0.53, 16), "drift-common", finding.Stop, 7/16.0*30.4, 3, "%/month")
	findingtest.Lacks(t, over(0.53, 14), "drift-common") // 15.2 %: that was a load
	findingtest.Lacks(t, over(0.57, 31), "drift-common") // 2.9 %
}
