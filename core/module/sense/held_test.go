package sense_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/sense"
)

// Each mistake of sense leads is a stop with what was read against what was expected there: steps of 3.7 V.
func TestMistakesOfLeadsAreHeld(t *testing.T) {
	expected := []float64{0, 3.7, 7.4, 11.1, 14.8}
	for _, c := range []struct {
		kind           string
		read, expected float64
		change         func(m []sense.Measured)
	}{
		{"swapped", 7.4, 3.7, func(m []sense.Measured) { m[1].Volts, m[2].Volts = m[2].Volts, m[1].Volts }},
		{"reversed", 0, 0, func(m []sense.Measured) {
			for i := range m {
				m[i].Volts = -m[i].Volts
			}
		}},
		{"open", 0.02, 7.4, func(m []sense.Measured) { m[2].Volts = 0.02 }},
		{"wrong", 9, 7.4, func(m []sense.Measured) { m[2].Volts = 9 }},
		{"wrong", 7.4, 11.1, func(m []sense.Measured) { m[2].Volts, m[3].Volts = 3.7, 7.4 }},
		{"shifted", 3.7, 7.4, func(m []sense.Measured) { m[2].Volts, m[3].Volts, m[4].Volts = 3.7, 7.4, 11.1 }},
	} {
		m := read(expected)
		c.change(m)
		v, err := sense.JudgeLeads("B1", expected, m, 0.01)
		if err != nil {
			t.Fatal(err)
		}
		findingtest.Holds(t, v.Findings, "sense-"+c.kind, finding.Stop, c.read, c.expected, "V")
		good, err := sense.JudgeLeads("B1", expected, read(expected), 0.01)
		if err != nil {
			t.Fatal(err)
		}
		findingtest.Lacks(t, good.Findings, "sense-"+c.kind)
	}
}

// A meter that may be a tenth of a step wrong tells no neighbours apart.
func TestAMeterMustTellNeighboursApart(t *testing.T) {
	expected := []float64{0, 3.7, 7.4, 11.1, 14.8}
	of := func(accuracy float64) []finding.Finding {
		t.Helper()
		v, err := sense.JudgeLeads("B1", expected, read(expected), accuracy)
		if err != nil {
			t.Fatal(err)
		}
		return v.Findings
	}
	findingtest.Holds(t, of(0.38), "sense-accuracy", finding.Stop, 0.38, 0.37, "V")
	findingtest.Lacks(t, of(0.36), "sense-accuracy")
}
