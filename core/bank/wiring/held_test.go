package wiring_test

import (
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

var heldNets = map[string]func() netlist.Netlist{
	"loop-with-voltage": func() netlist.Netlist {
		n := bank(3, 1, 2)
		n.Conductors = append(n.Conductors, cond("X", netlist.Bar, "M2a.neg", "M2a.pos"))
		return n
	},
	"reversed": func() netlist.Netlist {
		n := bank(3, 1, 2)
		conductor(&n, "L1").To = "M2a.pos"
		conductor(&n, "L2").From = "M2a.neg"
		return n
	},
	"unmonitored": func() netlist.Netlist {
		n := bank(1, 2, 1)
		conductor(&n, "J1b1").Kind = netlist.Fuse
		return n
	},
	"disconnected": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Modules = append(n.Modules, mod("M9", 2))
		return n
	},
	"unprotected": func() netlist.Netlist { n := bank(2, 1, 2); conductor(&n, "F1").Kind = netlist.Cable; return n },
	"bms-bypassed": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Conductors = append(n.Conductors, cond("N", netlist.Cable, "M1a.neg", "OUT-"))
		return n
	},
	"shunt-bypassed": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Terminals.Minus = []string{"BUS-"}
		n.Conductors = append(n.Conductors, cond("S", netlist.Shunt, "OUT-", "BUS-"),
			cond("N", netlist.Cable, "OUT-", "BUS-"))
		return n
	},
	"no-bms": func() netlist.Netlist { n := bank(2, 1, 2); n.BMS = nil; return n },
	"bms-cannot-disconnect": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.BMS[0].Kind = netlist.Contactor
		return n
	},
	"sense-step": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.BMS[0].Sense[1], n.BMS[0].Sense[2] = n.BMS[0].Sense[2], n.BMS[0].Sense[1]
		return n
	},
	"sense-missing":      func() netlist.Netlist { n := bank(2, 1, 2); n.BMS[0].Sense[2] = nil; return n },
	"unlike-chemistries": func() netlist.Netlist { n := bank(2, 1, 2); n.Modules[1].Chemistry = chem.LFP; return n },
	"terminals-swapped": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Terminals.Plus, n.Terminals.Minus = n.Terminals.Minus, n.Terminals.Plus
		return n
	},
	"string-without-fuse": func() netlist.Netlist { return onBars(4, false, false, false, false)(12) },
	"voltage-rating": func() netlist.Netlist {
		n := bank(8, 1, 2)
		conductor(&n, "F1").VoltageRatingV = finding.Of(58)
		return n
	},
	"interrupt-rating": func() netlist.Netlist {
		n := bank(8, 1, 2)
		conductor(&n, "F1").InterruptA = finding.Of(1000)
		return n
	},
	"fuse-far": func() netlist.Netlist {
		n := bank(2, 1, 2)
		conductor(&n, "F1").From = "STUD"
		c := cond("W", netlist.Cable, "M2a.pos", "STUD")
		c.LengthMM = finding.Of(201)
		n.Conductors = append(n.Conductors, c)
		return n
	},
	"fuse-above-conductor": func() netlist.Netlist {
		n := bank(2, 1, 2)
		conductor(&n, "L1").RatingA = finding.Of(150)
		return n
	},
	"group-low":      func() netlist.Netlist { n := bank(2, 1, 2); n.Modules[0].Groups[1].Volts = 2.9; return n },
	"group-over":     func() netlist.Netlist { n := bank(2, 1, 2); n.Modules[0].Groups[1].Volts = 4.25; return n },
	"never-recharge": func() netlist.Netlist { n := bank(2, 1, 2); n.Modules[0].Groups[1].Volts = 1.9; return n },
	"middle-tap": func() netlist.Netlist {
		n := bank(3, 1, 2)
		n.Terminals.Plus = append(n.Terminals.Plus, "T12")
		n.Conductors = append(n.Conductors, cond("T", netlist.Fuse, "M1a.pos", "T12"))
		return n
	},
	"b-minus-off-lead-0": func() netlist.Netlist { n := bank(3, 1, 2); n.BMS[0].BMinus = "M1a.t1"; return n },
	"switch-volts":       func() netlist.Netlist { n := bank(8, 1, 2); n.BMS[0].SwitchV = finding.Of(60); return n },
	"earth-before-bms": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Terminals.Earth = []string{"M1a.neg"}
		return n
	},
	"fuse-in-earthed-pole": func() netlist.Netlist {
		n := bank(2, 1, 2)
		n.Terminals.Earth = []string{"OUT+"}
		return n
	},
}

// Each mistake with what it is, how hard, and what was measured against what, worked out by hand: modules of two groups
// of 3.7 V, 4.20 V at the most, and 1.5 mΩ each; bars of 0.1 mΩ that bear 200 A. The bank without the mistake has none.
func TestMistakesAreHeld(t *testing.T) {
	none := findingtest.None
	for _, c := range []struct {
		code              string
		level             finding.Level
		measured, against float64
		unit              string
	}{
		{"fuse-far", finding.Stop, 201, 200, "mm"},
		{"fuse-above-conductor", finding.Stop, 200, 150, "A"},
		{"never-recharge", finding.Refuse, 1.9, 2, "V"},
		{"fuse-in-earthed-pole", finding.Stop, 0, 1, "devices"},
		{"loop-with-voltage", finding.Refuse, 7.4, 0, "V"},
		{"bms-bypassed", finding.Stop, none, none, ""},
		{"shunt-bypassed", finding.Stop, none, none, ""},
		{"bms-cannot-disconnect", finding.Refuse, 0, 1, "switches"},
		{"unlike-chemistries", finding.Refuse, 2, 1, "chemistries"},
		{"string-without-fuse", finding.Stop, 0, 1, "devices"},
		{"group-low", finding.Stop, 2.9, 3, "V"},
		{"middle-tap", finding.Stop, 4, 0, "groups"},
		{"reversed", finding.Stop, none, none, ""},
		{"unprotected", finding.Stop, 0, 1, "devices"},
		{"sense-missing", finding.Stop, none, none, ""},
		{"terminals-swapped", finding.Stop, 4, 0, "groups"},
		{"interrupt-rating", finding.Stop, 1.25 * 67.2 / (16*0.0015 + 7*0.0001), 1000, "A"},
		{"b-minus-off-lead-0", finding.Refuse, 1, 0, "groups"},
		{"earth-before-bms", finding.Stop, none, none, ""},
		{"unmonitored", finding.Stop, 1, 0, "groups"},
		{"disconnected", finding.Stop, 1, 0, "modules"},
		{"no-bms", finding.Refuse, 0, 1, "BMS"},
		{"voltage-rating", finding.Stop, 16 * 4.2, 58, "V"},
		{"group-over", finding.Stop, 4.25, 4.2, "V"},
		{"switch-volts", finding.Stop, 16 * 4.2, 60, "V"},
		{"sense-step", finding.Stop, -1, 1, "groups"},
	} {
		t.Run(c.code, func(t *testing.T) {
			net := heldNets[c.code]
			if net == nil {
				t.Fatal("no drawing of it")
			}
			findingtest.Holds(t, findings(t, net()), c.code, c.level, c.measured, c.against, c.unit)
			findingtest.Lacks(t, findings(t, bank(4, 1, 2)), c.code)
		})
	}
}

// An edge more or less: nothing is said where a limit is met.
func TestMistakesEndAtTheirEdges(t *testing.T) {
	for code, change := range map[string]func(n *netlist.Netlist){
		"fuse-above-conductor": func(n *netlist.Netlist) { conductor(n, "L1").RatingA = finding.Of(200) },
		"group-low":            func(n *netlist.Netlist) { n.Modules[0].Groups[1].Volts = 3 },
		"group-over":           func(n *netlist.Netlist) { n.Modules[0].Groups[1].Volts = 4.22 },
		"never-recharge":       func(n *netlist.Netlist) { n.Modules[0].Groups[1].Volts = 2 },
		"voltage-rating":       func(n *netlist.Netlist) { conductor(n, "F1").VoltageRatingV = finding.Of(67.2) },
		"interrupt-rating":     func(n *netlist.Netlist) { conductor(n, "F1").InterruptA = finding.Of(3402) },
		"switch-volts":         func(n *netlist.Netlist) { n.BMS[0].SwitchV = finding.Of(67.2) },
		"fuse-far": func(n *netlist.Netlist) {
			conductor(n, "F1").From = "STUD"
			c := cond("W", netlist.Cable, "M8a.pos", "STUD")
			c.LengthMM = finding.Of(200)
			n.Conductors = append(n.Conductors, c)
		},
	} {
		n := bank(8, 1, 2)
		change(&n)
		findingtest.Lacks(t, findings(t, n), code)
	}
}

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
