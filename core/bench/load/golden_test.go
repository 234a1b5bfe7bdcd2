package load_test

import (
	"testing"

	"pandrel/core/bench/load"
	"pandrel/golden"
)

func TestWhereLoadsChange(t *testing.T) {
	type asked struct {
		Resistor         load.Resistor
		Series, Parallel int
		Wanted           load.Wanted
	}
	w := load.Wanted{Amps: 12, StartVolts: 28.7, EndVolts: 21, Derate: 0.7, WireAmps: 20, ClampAmps: 30}
	r := load.Resistor{Name: "heater", Ohms: 2, Watts: 300, Count: 6}
	golden.Judged(t, "at", []golden.Case[asked]{{Name: "two in parallel", In: asked{r, 1, 2, w}}, {Name: "in series",
		In: asked{r, 3, 1, w}}}, func(a asked) (any, error) {
		n, fs, err := load.At(a.Resistor, a.Series, a.Parallel, a.Wanted)
		return []any{n, fs}, err
	})
	golden.Judged(t, "find", []golden.Case[load.Wanted]{{Name: "a heap", In: w}}, func(w load.Wanted) (any, error) {
		return load.Find([]load.Resistor{r, {Name: "coil", Ohms: 0.47, Watts: 100, Count: 20}, {Name: "one", Ohms: 10,
			Watts: 50, Count: 1}}, w, 5)
	})
}
