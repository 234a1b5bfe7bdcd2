package wiring_test

import (
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

func findings(t *testing.T, n netlist.Netlist) []finding.Finding {
	t.Helper()
	return check(t, n).Findings
}

// The design current runs through what lies in the load's row; of two strings each carries a half.
func TestARatingBearsTheDesignCurrent(t *testing.T) {
	at := func(n netlist.Netlist, amps float64) []finding.Finding {
		n.DesignA = amps
		return findings(t, n)
	}
	findingtest.Holds(t, at(bank(4, 1, 2), 200.1), "current-rating", finding.Stop, 200.1, 200, "A")
	findingtest.Lacks(t, at(bank(4, 1, 2), 200), "current-rating")
	two := onBars(4, false, true, false, false)(8)
	for i := range two.Conductors { // what all of it runs through is large enough
		if two.Conductors[i].To == "OUT+" {
			two.Conductors[i].RatingA = finding.Of(1000)
		}
	}
	findingtest.Holds(t, at(two, 402), "current-rating", finding.Stop, 201, 200, "A")
	findingtest.Lacks(t, at(two, 400), "current-rating")
}

// A BMS of n groups has n + 1 leads, no more and no fewer.
func TestLeadsAreCounted(t *testing.T) {
	for _, c := range []struct {
		groups int
		wrong  bool
	}{{8, false}, {9, true}, {7, true}} {
		n := bank(4, 1, 2) // eight groups, nine leads
		n.BMS[0].Groups = c.groups
		if fs := findings(t, n); c.wrong {
			findingtest.Holds(t, fs, "sense-count", finding.Stop, 9, float64(c.groups+1), "leads")
		} else {
			findingtest.Lacks(t, fs, "sense-count")
		}
	}
}

// A terminal that nothing joins to the cells is a stop, whether the conductor is missing or hangs in the air.
func TestATerminalApartIsNamed(t *testing.T) {
	for _, side := range []string{"plus", "minus"} {
		n := bank(4, 1, 2)
		n.Conductors = append(n.Conductors, cond("X", netlist.Bar, "FAR", "AWAY"))
		if side == "plus" {
			n.Terminals.Plus = append(n.Terminals.Plus, "FAR")
		} else {
			n.Terminals.Minus = append(n.Terminals.Minus, "FAR")
		}
		findingtest.Holds(t, findings(t, n), "terminal-apart", finding.Stop, findingtest.None, findingtest.None, "")
	}
	findingtest.Lacks(t, findings(t, bank(4, 1, 2)), "terminal-apart")
}
