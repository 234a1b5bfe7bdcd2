package netlist_test

import (
	"fmt"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/golden"
)

func text(s string) *string { return &s }

// two is a bank of two modules with everything that a netlist can say.
func two() netlist.Netlist {
	mod := func(id string) netlist.Module {
		return netlist.Module{ID: id, Chemistry: "nmc", Posts: map[string]int{"n": 0, "t": 1, "p": 2},
			Groups: []netlist.Group{{3.7, 40, 1.5}, {3.71, 41, 1.4}}}
	}
	return netlist.Netlist{Modules: []netlist.Module{mod("A"), mod("B")}, Conductors: []netlist.Conductor{
		{ID: "L", Kind: netlist.Bar, From: "A.p", To: "B.n", MOhm: 0.1, RatingA: finding.Of(100)},
		{ID: "F", Kind: netlist.Fuse, From: "B.p", To: "S", MOhm: 0.3, LengthMM: finding.Of(100),
			AreaMM2: finding.Of(25)},
		{ID: "K", Kind: netlist.Contactor, From: "S", To: "OUT+", Open: true}}, BMS: []netlist.BMS{{ID: "B1",
		Kind: netlist.Transistor, Groups: 4, BMinus: "A.n", PMinus: "OUT-", Sense: []*string{text("A.n"),
			text("A.t"), text("A.p"), text("B.t"), text("B.p")}}}, Terminals: netlist.Terminals{Plus: []string{"OUT+"},
		Minus: []string{"OUT-"}, Earth: []string{"OUT-"}}, DesignA: 40}
}

func TestWhereNetlistsChange(t *testing.T) {
	golden.Judged(t, "netlist", []golden.Case[netlist.Netlist]{{Name: "two modules", In: two(), Words: true}},
		func(n netlist.Netlist) (any, error) {
			c, err := netlist.Index(n)
			if err != nil {
				return nil, err
			}
			l := c.WithCells()
			c.JoinTies(l, (*netlist.Tie).Live)
			type tie struct {
				A, B                             int
				Opens, Overcurrent, Solid, Alive bool
			}
			var ties []tie
			for i := range c.Ties {
				x := &c.Ties[i]
				ties = append(ties, tie{x.A, x.B, x.Opens(), x.Overcurrent(), x.Solid(), x.Live()})
			}
			var levels []any
			for p := range 8 {
				root, count, volts := l.Find(p)
				levels = append(levels, root == p, count, volts)
			}
			return []any{c.Accessible(), ties, len(c.Cells), c.Graph(func(int) bool { return true }), levels,
				n.BMS[0].OwnPath()}, nil
		})
	var amps []any
	for _, k := range netlist.Kinds {
		for _, mm2 := range []float64{0, 0.5, 1, 2.5, 6, 10, 24.9, 25, 50, 95, 150, 300} {
			amps = append(amps, fmt.Sprint(k, " of ", mm2, " mm²: ", netlist.SectionAmps(k, mm2)))
		}
		by := netlist.BySection(&netlist.Conductor{Kind: k, AreaMM2: finding.Of(35), LengthMM: finding.Of(100)})
		kept := netlist.BySection(&netlist.Conductor{Kind: k, AreaMM2: finding.Of(35), RatingA: finding.Of(10)})
		amps = append(amps, fmt.Sprint(k, by.RatingA != nil, by.RatingA != nil && *by.RatingA > 0, *kept.RatingA))
	}
	all := ""
	for _, a := range amps {
		all += fmt.Sprintln(a)
	}
	golden.Same(t, "sections", all+netlist.KindList()+"\n")
}
