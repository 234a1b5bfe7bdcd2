package wiring_test

import (
	"fmt"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
)

// drawing is one way to lay out n modules of two groups.
type drawing struct {
	name string
	make func(n int) netlist.Netlist
}

// onBars are strings of k modules between two bars: each joined straight to the bar, or along a chain of studs; with a
// fuse, a switch and a BMS of its own where asked.
func onBars(k int, chain, fused, switched, ownBMS bool) func(n int) netlist.Netlist {
	return func(n int) netlist.Netlist {
		out := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"OUT+"}, Minus: []string{"BUS-0"}}}
		join := func(kind netlist.Kind, from, to string) {
			out.Conductors = append(out.Conductors, cond(fmt.Sprintf("C%d", len(out.Conductors)), kind, from, to))
		}
		for s := range n / k {
			bus := func(sign string) string {
				if !chain {
					return "BUS" + sign + "0"
				}
				if at := fmt.Sprintf("BUS%s%d", sign, s); s > 0 {
					join(netlist.Bar, fmt.Sprintf("BUS%s%d", sign, s-1), at)
					return at
				}
				return "BUS" + sign + "0"
			}
			minus, plus := bus("-"), bus("+")
			var b netlist.BMS
			for j := range k {
				m := mod(fmt.Sprintf("S%dM%d", s, j), 2)
				out.Modules = append(out.Modules, m)
				if j > 0 {
					join(netlist.Bar, fmt.Sprintf("S%dM%d.pos", s, j-1), m.ID+".neg")
				}
				b.Sense = append(b.Sense, str(m.ID+".neg"), str(m.ID+".t1"))
			}
			first, last := fmt.Sprintf("S%dM0.neg", s), fmt.Sprintf("S%dM%d.pos", s, k-1)
			b.Sense = append(b.Sense, str(last))
			if switched {
				off := fmt.Sprintf("OFF-%d", s)
				join(netlist.Switch, last, off)
				last = off
			}
			if fused {
				join(netlist.Fuse, last, plus)
			} else {
				join(netlist.Bar, last, plus)
			}
			if ownBMS {
				b.ID, b.Kind, b.Groups, b.BMinus, b.PMinus = fmt.Sprint("B", s), "transistor", 2*k, first, minus
				out.BMS = append(out.BMS, b)
			} else {
				join(netlist.Bar, first, minus)
			}
		}
		join(netlist.Fuse, "BUS+0", "OUT+")
		return out
	}
}

var drawings = []drawing{
	{"blocks of four in a row", func(n int) netlist.Netlist { return bank(n/4, 4, 2) }},
	{"blocks of four hundred", func(n int) netlist.Netlist { return bank(max(1, n/400), min(n, 400), 2) }},
	{"strings on two bars", onBars(4, false, false, false, false)},
	{"fused strings on two bars", onBars(4, false, true, false, false)},
	{"fused and switched strings on two bars", onBars(4, false, true, true, false)},
	{"strings with a BMS each on two bars", onBars(4, false, true, false, true)},
	{"strings along two chains of studs", onBars(4, true, true, false, false)},
	{"switched strings with a BMS each along two chains", onBars(4, true, true, true, true)},
	{"long strings on two bars", onBars(50, false, true, true, true)},
	{"one string", func(n int) netlist.Netlist { return bank(n, 1, 2) }},
	{"single modules on two bars", onBars(1, false, true, true, true)},
}

func BenchmarkCheckDrawings(b *testing.B) {
	for _, d := range drawings {
		for _, n := range []int{1000, 10_000} {
			net := d.make(n)
			b.Run(fmt.Sprint(d.name, "/", n), func(b *testing.B) {
				for b.Loop() {
					if _, err := wiring.Check(net); err != nil {
						b.Fatal(err)
					}
				}
			})
		}
	}
}
