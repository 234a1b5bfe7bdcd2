package pack

import (
	"fmt"
	"math"
	"slices"
)

// Place is a place where the service disconnect may sit: after a module, with the voltages of both
// sides once it is pulled.
type Place struct {
	After         int
	NegativeVolts float64 // from the main negative to the disconnect
	PositiveVolts float64
}

// LargerVolts is the higher of both sides.
func (p Place) LargerVolts() float64 { return max(p.NegativeVolts, p.PositiveVolts) }

// Places lists where the disconnect may sit: at any bridge that is not fixed. The place that leaves
// the least voltage comes first: that is where makers put it most often. It fails as Split does.
func Places(p Pack) ([]Place, error) {
	if _, err := Split(p); err != nil {
		return nil, err
	}
	whole := 0.0
	for _, v := range p.Volts {
		whole += v
	}
	var out []Place
	sum := 0.0
	for i, v := range p.Volts[:len(p.Volts)-1] {
		sum += v
		if !slices.Contains(p.Fixed, i+1) {
			out = append(out, Place{i + 1, sum, whole - sum})
		}
	}
	slices.SortStableFunc(out, func(a, b Place) int {
		switch d := a.LargerVolts() - b.LargerVolts(); {
		case d < -1e-9:
			return -1
		case d > 1e-9:
			return 1
		}
		return a.After - b.After
	})
	return out, nil
}

// Located returns the places that agree with the voltage measured from the main negative to the disconnect once it is
// pulled, within 1 V or 2 %; none means that the list of modules is wrong, that another bridge is open, or that the
// disconnect sits at an end. It fails for a reading that is no voltage of this pack.
func Located(p Pack, negativeVolts float64) ([]Place, error) {
	all, err := Places(p)
	if err != nil {
		return nil, err
	}
	if math.IsNaN(negativeVolts) || math.Abs(negativeVolts) > 2000 {
		return nil, fmt.Errorf("%v V: expected the voltage from the main negative to the disconnect", negativeVolts)
	}
	v := math.Abs(negativeVolts)
	return slices.DeleteFunc(all, func(x Place) bool { return math.Abs(x.NegativeVolts-v) > max(1, 0.02*v) }), nil
}
