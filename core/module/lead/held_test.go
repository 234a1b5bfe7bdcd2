package lead_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/lead"
)

// A lead that does not fit is stopped with what is where instead of what: seven groups, eight inputs from node 0 up.
func TestALeadThatDoesNotFitIsHeld(t *testing.T) {
	of := func(dead string, change func(a *lead.Lead)) []finding.Finding {
		t.Helper()
		a := good(t)
		change(&a)
		fs, err := lead.CheckPins(a, trike(t, dead))
		if err != nil {
			t.Fatal(err)
		}
		return fs
	}
	none := func(*lead.Lead) {}
	a := good(t)
	at := func(input int) int {
		for i, w := range a.Wires {
			if w.Input == input {
				return i
			}
		}
		t.Fatalf("no wire to input %d", input)
		return 0
	}
	for _, code := range []string{"inputs", "no-wire", "dead-pin", "wrong-node"} {
		findingtest.Lacks(t, of("", none), code)
	}
	findingtest.Holds(t, of("", func(a *lead.Lead) { a.Inputs = 9 }), "inputs", finding.Stop, 9, 8, "node")
	findingtest.Holds(t, of("", func(a *lead.Lead) { a.Wires = append(a.Wires[:at(3)], a.Wires[at(3)+1:]...) }),
		"no-wire", finding.Stop, -1, 3, "node")
	findingtest.Holds(t, of("", func(a *lead.Lead) {
		a.Wires[at(2)].Point, a.Wires[at(5)].Point = a.Wires[at(5)].Point, a.Wires[at(2)].Point
	}), "wrong-node", finding.Stop, 5, 2, "node")
	dead := a.Wires[at(4)].Point
	findingtest.Holds(t, of(dead, none), "dead-pin", finding.Stop, -1, 4, "node")
}
