package bench_test

import (
	"fmt"

	"pandrel/core/bench/load"
)

// Twelve resistors of 1 Ω on 14 V.
func Example() {
	n, _, _ := load.At(load.Resistor{Name: "1 Ω", Ohms: 1, Watts: 100, Count: 12}, 4, 3, load.Wanted{StartVolts: 14})
	fmt.Printf("%.2f Ω, %.1f A, %.2f W in each of %.0f W\n", n.Ohms, n.StartAmps, n.EachWatts, n.MayWatts)
	// Output: 1.33 Ω, 10.5 A, 12.25 W in each of 50 W
}
