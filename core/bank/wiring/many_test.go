package wiring_test

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
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

// However a bank is drawn, four times the modules cost about four times as much: counted in what is allocated on the
// way, which is not a time. Along a chain of studs every piece of it is asked for what a fault behind it draws, from
// both ends; that grows by the square up to a bound, from where on it is said that it was not asked.
func TestAnyDrawingGrowsWithItsSize(t *testing.T) {
	for _, d := range drawings {
		t.Run(d.name, func(t *testing.T) {
			cost := func(n int) float64 {
				net := d.make(n)
				var before, after runtime.MemStats
				runtime.ReadMemStats(&before)
				if _, err := wiring.CheckNetlist(net); err != nil {
					t.Fatal(err)
				}
				runtime.ReadMemStats(&after)
				return float64(after.TotalAlloc - before.TotalAlloc)
			}
			most := 7.0
			if strings.Contains(d.name, "chains") {
				most = 16
			}
			if small, large := cost(400), cost(1600); large > most*small {
				t.Errorf("%.1f MB for 400 modules, %.1f MB for 1600", small/1e6, large/1e6)
			}
		})
	}
}

// What is too much to be asked is said, and everything else is judged.
func TestWhatIsNotAskedIsSaid(t *testing.T) {
	n := onBars(1, true, true, false, false)(6000)
	r := check(t, n)
	said := slices.IndexFunc(r.Findings, func(f finding.Finding) bool { return f.Code == "faults-not-checked" })
	if said < 0 || r.Findings[said].Level != finding.Caution || *r.Findings[said].Measured <= 0 ||
		*r.Findings[said].Limit != 0 {
		t.Fatalf("%d findings, none that says what was not asked", len(r.Findings))
	}
}

func BenchmarkCheckDrawings(b *testing.B) {
	for _, d := range drawings {
		for _, n := range []int{1000, 10_000} {
			if testing.Short() && n > 1000 {
				continue
			}
			net := d.make(n)
			b.Run(fmt.Sprint(d.name, "/", n), func(b *testing.B) {
				for b.Loop() {
					if _, err := wiring.CheckNetlist(net); err != nil {
						b.Fatal(err)
					}
				}
			})
		}
	}
}
