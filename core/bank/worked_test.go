package bank_test

import (
	"fmt"

	"pandrel/core/bank/network"
	"pandrel/core/module/sense"
)

// Levels say what may be bolted and what a sense lead must read.
func Example() {
	l := network.NewLevels(7)
	for i := range 6 { // two modules of three groups, the bar between them already walked: point 3
		l.Join(i, i+1, 1, 3.7)
	}
	count, volts, _ := l.Between(2, 3)
	fmt.Printf("a bar from point 2 to point 3: %d group in the loop, %.1f V\n", count, volts)
	var expected []float64
	var measured []sense.Measured
	for i := range 7 {
		_, v, _ := l.Between(0, i)
		expected = append(expected, v)
		measured = append(measured, sense.Measured{BMS: "B1", Input: i, Volts: v})
	}
	measured[4].Volts, measured[5].Volts = measured[5].Volts, measured[4].Volts
	v, _ := sense.JudgeLeads("B1", expected, measured, 0.01)
	fmt.Printf("lead 4 is to read %.1f V; %s: %v\n", expected[4], v.Kind, v.Inputs)
	// Output:
	// a bar from point 2 to point 3: 1 group in the loop, 3.7 V
	// lead 4 is to read 14.8 V; swapped: [4 5]
}
