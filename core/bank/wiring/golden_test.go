package wiring_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/golden"
)

// rated is a bank on which every number that is judged is known.
func rated(s, p, g int) netlist.Netlist {
	n := bank(s, p, g)
	for i := range n.Conductors {
		c := &n.Conductors[i]
		c.LengthMM, c.AreaMM2, c.VoltageRatingV, c.InterruptA = finding.Of(150), finding.Of(35), finding.Of(80),
			finding.Of(20000)
		if c.Kind == netlist.Fuse {
			c.RatingA = finding.Of(100)
		}
	}
	for i := range n.Modules {
		n.Modules[i].ChargeA, n.Modules[i].DischargeA = 60, 110
	}
	n.DesignA, n.BMS[0].SwitchV = 75, finding.Of(80)
	return n
}

// Each drawing with a mistake, each sound one: all that is said of it, and where that changes.
func TestWhereDrawingsChange(t *testing.T) {
	unlike := rated(2, 2, 3)
	unlike.Modules[1].Groups[1] = netlist.Group{Volts: 3.62, Ah: 35, MOhm: 2.4}
	strings := func() netlist.Netlist {
		n := rated(2, 2, 2)
		n.Conductors = slices.DeleteFunc(n.Conductors, func(c netlist.Conductor) bool { return c.Kind == netlist.Bond })
		return n
	}()
	lfp := rated(4, 1, 4)
	for i := range lfp.Modules {
		lfp.Modules[i].Chemistry = chem.LFP
		for k := range lfp.Modules[i].Groups {
			lfp.Modules[i].Groups[k] = netlist.Group{Volts: 3.3, Ah: 100, MOhm: 0.8}
		}
	}
	solve := func(n netlist.Netlist) (any, error) {
		r, err := wiring.CheckNetlist(n)
		if err != nil {
			return nil, err
		}
		return struct {
			Report wiring.Report
			Leads  []float64
		}{r, r.Expected("B1")}, nil
	}
	golden.Judged(t, "drawings", []golden.Case[netlist.Netlist]{{Name: "rated", In: rated(2, 1, 2)},
		{Name: "strings", In: strings}}, solve)
	golden.Answers(t, "unlike", []golden.Case[netlist.Netlist]{{Name: "unlike", In: unlike}, {Name: "LFP", In: lfp}},
		solve)
	var cases []golden.Case[netlist.Netlist]
	for _, code := range slices.Sorted(maps.Keys(heldNets)) {
		cases = append(cases, golden.Case[netlist.Netlist]{Name: code, In: heldNets[code]()})
	}
	for k := range 12 {
		m := &maker{rng: rand.New(rand.NewPCG(uint64(k), 64))}
		m.bank()
		cases = append(cases, golden.Case[netlist.Netlist]{Name: fmt.Sprint("drawn ", k), In: m.n})
	}
	golden.Answers(t, "mistakes", cases, solve)
	bare := func(n netlist.Netlist) (any, error) {
		r, err := wiring.CheckNetlist(n)
		r.Nets, r.Potentials, r.PotentialsOn, r.SenseTable, r.BuildOrder = nil, nil, nil, nil, nil
		return r, err
	}
	cases = nil
	inject := func(name string, put func(m *maker) bool) {
		for seed := uint64(0); seed < 200; seed++ {
			m := &maker{rng: rand.New(rand.NewPCG(seed, 63))}
			if m.bank(); put(m) {
				cases = append(cases, golden.Case[netlist.Netlist]{Name: name, In: m.n})
				return
			}
		}
	}
	for _, f := range faults {
		inject(f.name, f.inject)
	}
	for _, f := range unprotected {
		inject(f.name, f.inject)
	}
	golden.Answers(t, "injected", cases, bare)
	var judged []golden.Case[netlist.Netlist]
	for _, code := range []string{"fuse-far"} {
		judged = append(judged, golden.Case[netlist.Netlist]{Name: code, In: heldNets[code]()})
	}
	golden.Judged(t, "edges", judged, bare)
}
