// Package floortest makes modules and banks to be drawn, for tests.
package floortest

import (
	"fmt"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/face"
)

// Tug is a module of four groups with two posts and a connector of five pins.
func Tug(id string, volts float64) floor.Unit {
	u := floor.Unit{Module: netlist.Module{ID: id, Chemistry: chem.LFP, Posts: map[string]int{"N": 0, "P": 4, "C1": 0,
		"C2": 1, "C3": 2, "C4": 3, "C5": 4}}, Front: []string{"N", "P"}, Taps: []string{"C1", "C2", "C3", "C4", "C5"},
		Case: floor.Case{WMM: 360, DMM: 150, HMM: 210, Kg: 19}}
	u.Face = face.Default(u.Front, u.Taps)
	for range 4 {
		u.Groups = append(u.Groups, netlist.Group{Volts: volts, Ah: 200, MOhm: 0.25})
	}
	return u
}

// Of are modules by number.
func Of(list ...floor.Unit) floor.Units {
	out := floor.Units{}
	for _, u := range list {
		out[u.ID] = u
	}
	return out
}

// Tugs are n modules, K-001 and so on.
func Tugs(n int) floor.Units {
	out := floor.Units{}
	for i := range n {
		u := Tug(fmt.Sprintf("K-%03d", i+1), 3.3)
		out[u.ID] = u
	}
	return out
}

// Designed is a bank as a design writes it down: strings of modules, mates beside each other, a fuse in each plus, a
// BMS in each minus.
func Designed(strings, series, mates int) (floor.Units, netlist.Netlist, [][][]string) {
	u := floor.Units{}
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}, DesignA: 50,
		JointsAssumed: true}
	var chains [][][]string
	id := func(st, pos, mate int) string { return fmt.Sprintf("K-%d%02d%d", 9-st, pos+1, 9-mate) }
	join := func(kind netlist.Kind, from, to string) {
		n.Conductors = append(n.Conductors, netlist.Conductor{ID: fmt.Sprintf("X%d", len(n.Conductors)+1), Kind: kind,
			From: from, To: to, MOhm: 0.1, RatingA: finding.Of(100), LengthMM: finding.Of(100)})
	}
	for st := range strings {
		var chain [][]string
		for pos := range series {
			var row []string
			for mate := range mates {
				m := Tug(id(st, pos, mate), 3.3)
				u[m.ID] = m
				n.Modules = append(n.Modules, m.Module)
				row = append(row, m.ID)
				if mate > 0 {
					for k, p := range []string{"N", "C2", "C3", "C4", "P"} {
						kind := netlist.Bond
						if k == 0 || k == 4 {
							kind = netlist.Bar
						}
						join(kind, row[mate-1]+"."+p, row[mate]+"."+p)
					}
				}
			}
			if pos > 0 {
				join(netlist.Bar, chain[pos-1][0]+".P", row[0]+".N")
			}
			chain = append(chain, row)
		}
		chains = append(chains, chain)
		var sense []*string
		for pos := range series {
			for k := range 4 {
				p := fmt.Sprintf("%s.C%d", chain[pos][0], k+1)
				sense = append(sense, &p)
			}
		}
		top := chain[series-1][0] + ".C5"
		join(netlist.Fuse, chain[series-1][0]+".P", "OUT+")
		n.BMS = append(n.BMS, netlist.BMS{ID: fmt.Sprintf("B%d", st+1), Kind: netlist.Transistor, Groups: 4 * series,
			BMinus: chain[0][0] + ".N", PMinus: "OUT-", Sense: append(sense, &top)})
	}
	return u, n, chains
}
