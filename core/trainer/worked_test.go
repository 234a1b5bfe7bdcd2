package trainer_test

import (
	"fmt"
	"math/rand/v2"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
)

// Swapped probes change the sign and nothing else; half charge lies where the rest curve says.
func Example() {
	m := virtual.New(rand.New(rand.NewPCG(1, 7)), "K-001", virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46,
		SoH: 0.85, SoC: 0.5})
	m.SetSoC(0.5)
	face := virtual.Face{"minus": 0, "plus": 7}
	there, _ := m.Probe(face, "plus", "minus")
	back, _ := m.Probe(face, "minus", "plus")
	nmc, _ := chem.Lookup(chem.NMC)
	fmt.Printf("%.2f V there, %.2f V back, %.2f V by the curve\n", there, back, 7*nmc.Curve.Volts(0.5))
	// Output: 25.97 V there, -25.97 V back, 25.97 V by the curve
}
