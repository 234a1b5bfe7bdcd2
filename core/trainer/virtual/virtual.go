// Package virtual is the simulated side of Pandrel: modules with a hidden truth, a meter that
// reads them, and a test bench that discharges them.
//
// Everything is deterministic from the random source that is passed in, so that demo data, tests
// and practice modules hang together: a survey, a trace and a grade of one module all come from
// the same hidden capacity, resistance, charge and leakage.
//
// A group is modelled as its rest curve behind a series resistance R0 and one RC pair with
// R1 = 0.6·R0 and τ = 40 s (rules §11).
package virtual

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"pandrel/core/base/chem"
)

// Model constants of the RC pair.
const (
	rcShare   = 0.6
	rcSeconds = 40.0
)

// Group is one cell group's hidden truth. SoC is a fraction 0…1; LeakageAmps discharges it for
// ever; ResistanceOhms is R0, the ohmic part.
type Group struct {
	CapacityAh     float64
	ResistanceOhms float64
	SoC            float64
	LeakageAmps    float64
}

// Module is a simulated module; group 0 is at the main negative.
type Module struct {
	Name      string
	Chemistry chem.Chemistry
	Groups    []Group
}

// Spec describes the population a module is drawn from. Spreads are relative standard deviations.
type Spec struct {
	Chemistry      chem.ID
	Series         int
	RatedAh        float64
	SoH            float64
	CapacitySpread float64
	SoC            float64
	SoCSpread      float64
	ResistanceOhms float64
}

// New draws a module from spec. It panics when the chemistry is not known: specs are code.
func New(rng *rand.Rand, name string, spec Spec) Module {
	c, err := chem.Lookup(spec.Chemistry)
	if err != nil {
		panic(err)
	}
	m := Module{Name: name, Chemistry: c}
	for range spec.Series {
		m.Groups = append(m.Groups, Group{
			CapacityAh:     spec.RatedAh * spec.SoH * (1 + spec.CapacitySpread*rng.NormFloat64()),
			ResistanceOhms: spec.ResistanceOhms * (1 + 0.03*rng.NormFloat64()),
			SoC:            min(1, max(0, spec.SoC+spec.SoCSpread*rng.NormFloat64())),
		})
	}
	return m
}

// Clone returns a copy that shares nothing with m.
func (m Module) Clone() Module {
	m.Groups = slices.Clone(m.Groups)
	return m
}

// Age lets days pass at rest: leakage lowers the charge of the groups that have it.
func (m *Module) Age(days float64) {
	for i := range m.Groups {
		g := &m.Groups[i]
		g.SoC = max(-0.2, g.SoC-g.LeakageAmps*24*days/g.CapacityAh)
	}
}

// SetSoC brings every group to the same state of charge, as a careful top balance would.
func (m *Module) SetSoC(soc float64) {
	for i := range m.Groups {
		m.Groups[i].SoC = soc
	}
}

// RestVolts returns the rest voltage of each group.
func (m Module) RestVolts() []float64 {
	out := make([]float64, len(m.Groups))
	for i, g := range m.Groups {
		out[i] = m.groupRest(g)
	}
	return out
}

// overdrawnVoltsPerSoC is how steeply the rest voltage falls once a group is taken beyond empty,
// and overfullVoltsPerSoC how it rises beyond full.
const (
	overdrawnVoltsPerSoC = 20.0
	overfullVoltsPerSoC  = 4.0
)

// groupRest is the rest voltage of g: its curve inside 0…1, steep straight lines outside it, never below zero.
func (m Module) groupRest(g Group) float64 {
	switch {
	case g.SoC < 0:
		return max(0, m.Chemistry.Curve.Volts(0)+overdrawnVoltsPerSoC*g.SoC)
	case g.SoC > 1:
		return m.Chemistry.Curve.Volts(1) + overfullVoltsPerSoC*(g.SoC-1)
	}
	return m.Chemistry.Curve.Volts(g.SoC)
}

// Meter reads voltages with noise (standard deviation) and a last digit, both in volts.
type Meter struct {
	NoiseVolts float64
	Digit      float64
	rng        *rand.Rand
}

// NewMeter returns a meter; digit 0 means 1 mV.
func NewMeter(rng *rand.Rand, noiseVolts, digit float64) *Meter {
	if digit <= 0 {
		digit = 0.001
	}
	return &Meter{noiseVolts, digit, rng}
}

// Read returns what the meter shows for volts.
func (m *Meter) Read(volts float64) float64 {
	shown := math.Round((volts+m.NoiseVolts*m.rng.NormFloat64())/m.Digit) * m.Digit
	return math.Round(shown*1e6) / 1e6
}

// Face is where a probe can touch a module: the name of each point and the node it sits on, 0
// below group 1. A node of Dead is connected to nothing and reads zero against everything.
type Face map[string]int

// Dead marks a point that is connected to nothing.
const Dead = -1

// Probe returns the true voltage between two points of face; it is 0 where either is dead.
func (m Module) Probe(face Face, red, black string) (float64, error) {
	r, ok1 := face[red]
	b, ok2 := face[black]
	if !ok1 || !ok2 {
		return 0, fmt.Errorf("virtual: no point %q or %q on module %s", red, black, m.Name)
	}
	if r == Dead || b == Dead {
		return 0, nil
	}
	v := m.RestVolts()
	sum := 0.0
	for i := min(r, b); i < max(r, b); i++ {
		sum += v[i]
	}
	if r < b {
		sum = -sum
	}
	return sum, nil
}
