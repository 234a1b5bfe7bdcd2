package currents

import (
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
)

// Resistance is that between two points in mΩ with every device closed, 0 where nothing joins them or where it could
// not be worked out: then no fault current is said. Ties without resistance merge their ends first.
func Resistance(c *netlist.Indexed, a, b int, mOhm func(*netlist.Tie) float64) float64 {
	net := network.NewLevels(len(c.Names))
	c.JoinTies(net, func(t *netlist.Tie) bool { return mOhm(t) == 0 })
	id := map[int]int{}
	num := func(p int) int {
		r, _, _ := net.Find(p)
		k, ok := id[r]
		if !ok {
			k = len(id)
			id[r] = k
		}
		return k
	}
	var rs []network.Resistor
	add := func(p, q int, r float64) {
		if x, y := num(p), num(q); x != y {
			rs = append(rs, network.Resistor{A: x, B: y, MOhm: r})
		}
	}
	for _, x := range c.Cells {
		add(x.Lo, x.Hi, c.Net.Modules[x.Module].Groups[x.Group].MOhm)
	}
	for i, t := range c.Ties {
		if r := mOhm(&t); !c.Off[i] && r > 0 {
			add(t.A, t.B, r)
		}
	}
	from, to := num(a), num(b)
	got := network.Resistance(len(id), rs, from, to)
	if !got.Converged {
		return 0
	}
	return got.MOhm
}
