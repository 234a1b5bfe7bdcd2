package base_test

import (
	"fmt"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
)

// The same uncertainty of a voltage is half a per cent of charge on a slope, and tens of per cent on a plateau.
func Example() {
	for _, r := range []struct {
		id    chem.ID
		typed string
	}{{chem.NMC, "3,80"}, {chem.LFP, "3.295"}} {
		n, _ := numeral.Parse(r.typed)
		c, _ := chem.Lookup(r.id)
		in := c.Curve.SoCInterval(n.Value, 0.005+c.HysteresisVolts)
		fmt.Printf("%s at %.3f V: %.0f to %.0f %%, voltage can tell: %v\n", r.id, n.Value, 100*in.Low, 100*in.High,
			in.Width() <= chem.CannotTellWidth)
	}
	// Output:
	// nmc at 3.800 V: 59 to 61 %, voltage can tell: true
	// lfp at 3.295 V: 40 to 66 %, voltage can tell: false
}
