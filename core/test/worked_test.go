package test_test

import (
	"encoding/json"
	"fmt"

	"pandrel/core/base/chem"
	"pandrel/core/test/kind"
)

// A lamp of 294 W for two hours on seven groups.
func Example() {
	k := kind.Kept{Source: kind.Ran, Given: json.RawMessage(`{"hours":"2","watts":"294"}`)}
	f, _, _ := k.Figures(kind.Subject{Chemistry: chem.NMC, Series: 7})
	fmt.Printf("%s, %.0f Wh\n", f.Capacity().Text(1, "Ah"), f.EnergyWh)
	// Output: at least 20.0 Ah, 588 Wh
}
