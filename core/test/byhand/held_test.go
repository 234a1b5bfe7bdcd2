package byhand_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/test/byhand"
	"pandrel/core/test/run"
)

// Beside a test by hand: each stop with what was read against what, four NMC groups at 10 A (4.20 V, never below
// 2.00 V, charged from 0 to 45 °C; all groups read at least each quarter of an hour).
func TestStopsByHandAreHeld(t *testing.T) {
	with := func(r byhand.Reading, c float64) byhand.Reading { r.TempC = &c; return r }
	sum := func(s, amps, volts float64) byhand.Reading {
		return byhand.Reading{Seconds: s, Amps: amps, Volts: volts}
	}
	all := at(600, -10, 3.7, 3.7, 3.7, 3.7)
	misread := at(600, -10, 3.7, 3.7, 3.7, 3.7)
	misread.Volts = 12
	for _, c := range []struct {
		code              string
		level             finding.Level
		measured, against float64
		unit              string
		step              run.Step
		now               float64
		readings          []byhand.Reading
	}{
		{"groups-first", finding.Stop, 0, 4, "groups", load, 600, []byhand.Reading{sum(600, -10, 14.8)}},
		{"groups-old", finding.Stop, 961 / 60.0, 15, "min", load, 600 + 961, []byhand.Reading{all}},
		{"total-moved", finding.Stop, 0.8, 0.7, "V", load, 700, []byhand.Reading{all, sum(700, -10, 14)}},
		{"groups-again", finding.Stop, 4, 10, "A", load, 700, []byhand.Reading{all, sum(700, -4, 14.75)}},
		{"groups-apart", finding.Stop, 14.8, 12, "V", load, 610, []byhand.Reading{misread}},
		{"over", finding.Stop, 4.221, 4.2, "V", charge, 60, []byhand.Reading{at(60, 10, 4.1, 4.221, 4.1, 4.1)}},
		{"never-recharge", finding.Stop, 1.99, 2, "V", load, 60, []byhand.Reading{at(60, -10, 3.2, 1.99, 3.2, 3.2)}},
		{"groups", finding.Stop, 2, 4, "groups", load, 60, []byhand.Reading{at(60, -10, 3.7, 3.7)}},
		{"hot", finding.Stop, 60.1, 60, "°C", load, 600, []byhand.Reading{with(all, 60.1)}},
		{"cold", finding.Refuse, -0.1, 0, "°C", charge, 60,
			[]byhand.Reading{with(at(60, 10, 3.7, 3.7, 3.7, 3.7), -0.1)}},
		{"direction", finding.Stop, -10, 10, "A", charge, 60, []byhand.Reading{at(60, -10, 3.7, 3.7, 3.7, 3.7)}},
		{"too-much", finding.Stop, 20, 10, "A", charge, 60, []byhand.Reading{at(60, 20, 3.7, 3.7, 3.7, 3.7)}},
		{"no-full-charge", finding.Stop, 0, 4, "groups", charge, 60, []byhand.Reading{sum(60, 10, 15)}},
		{"time", finding.Stop, 6, 6, "h", load, 21600, []byhand.Reading{at(21000, -10, 3.3, 3.3, 3.3, 3.3)}},
	} {
		t.Run(c.code, func(t *testing.T) {
			j, err := byhand.Of(c.step, chem.NMC, c.readings, c.now)
			if err != nil {
				t.Fatal(err)
			}
			findingtest.Holds(t, j.Findings, c.code, c.level, c.measured, c.against, c.unit)
			fine := at(600, c.step.Amps, 3.7, 3.7, 3.7, 3.7)
			good, err := byhand.Of(c.step, chem.NMC, []byhand.Reading{fine}, 620)
			if err != nil {
				t.Fatal(err)
			}
			findingtest.Lacks(t, good.Findings, c.code)
		})
	}
}
