package limits_test

import (
	"fmt"
	"testing"

	"pandrel/core/base/limits"
)

func ExampleStepTolerance() {
	fmt.Printf("%.3f V at 3.7 V, %.3f V at 52 V\n", limits.StepTolerance(3.7), limits.StepTolerance(52))
	// Output: 0.050 V at 3.7 V, 0.270 V at 52 V
}

func TestTouch(t *testing.T) {
	if limits.TouchVolts(true) >= limits.TouchVolts(false) {
		t.Error("a wet place is not stricter")
	}
	if limits.TouchVolts(false) != 60 || limits.TouchVolts(true) != 30 {
		t.Error("the limits of touch are 60 and 30 V DC")
	}
}

// A tolerance never falls as the voltage grows, is the same for swapped probes, and never below its floor.
func TestStepToleranceGrows(t *testing.T) {
	last := 0.0
	for v := 0.0; v <= 200; v += 0.5 {
		got := limits.StepTolerance(v)
		if got < last || got < limits.StepVolts || got != limits.StepTolerance(-v) {
			t.Fatalf("%v V: %v after %v", v, got, last)
		}
		last = got
	}
}
