package wiring

import (
	"fmt"
	"math"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// solvedPoints is the size up to which the network's resistance is solved; above it the levels are
// taken as tied together, which gives a fault current that is too high rather than too low.
const solvedPoints = 4000

// prospective fills in the fault current at the terminals: 1.25 × full-charge volts over the ohmic
// resistance of the solved network (handbook §10).
func (c *checker) prospective() {
	if c.r.FullVolts == 0 || len(c.r.Shorts) > 0 {
		return
	}
	for _, m := range c.Net.Modules {
		for _, g := range m.Groups {
			if g.MOhm == 0 {
				return
			}
		}
	}
	mOhm := 0.0
	t := c.Net.Terminals
	if len(c.Names) <= solvedPoints && len(t.Plus) > 0 && len(t.Minus) > 0 {
		mOhm = c.resistance(c.Point[t.Plus[0]], c.Point[t.Minus[0]])
	} else {
		levels := map[int]float64{}
		for _, x := range c.Cells {
			_, n, _ := c.joined().Find(x.Lo)
			levels[n] += 1 / c.Net.Modules[x.Module].Groups[x.Group].MOhm
		}
		for _, g := range levels {
			mOhm += 1 / g
		}
	}
	if mOhm > 0 {
		c.r.ProspectiveA = finding.Of(math.Round(ProspectiveFactor * c.r.FullVolts / mOhm * 1000))
	}
}

// resistance is that between two points in mΩ with every device closed, 0 where nothing joins them or where it could
// not be worked out: then no fault current is said. Ties without resistance merge their ends first.
func (c *checker) resistance(a, b int) float64 {
	net := network.NewLevels(len(c.Names))
	c.JoinTies(net, func(t *netlist.Tie) bool { return t.MOhm == 0 })
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
	add := func(p, q int, mOhm float64) {
		if x, y := num(p), num(q); x != y {
			rs = append(rs, network.Resistor{A: x, B: y, MOhm: mOhm})
		}
	}
	for _, x := range c.Cells {
		add(x.Lo, x.Hi, c.Net.Modules[x.Module].Groups[x.Group].MOhm)
	}
	for i, t := range c.Ties {
		if !c.Off[i] && t.MOhm > 0 {
			add(t.A, t.B, t.MOhm)
		}
	}
	from, to := num(a), num(b)
	got := network.Resistance(len(id), rs, from, to)
	if !got.Converged {
		return 0
	}
	return got.MOhm
}

// interrupting compares what a device can open with what can flow through it: for one in a string the
// worse of its own string and all others, else the whole bank.
func (c *checker) interrupting(device int, s series) {
	k := c.Ties[device].Cond
	if k.InterruptA == nil || c.r.ProspectiveA == nil {
		return
	}
	amps := *c.r.ProspectiveA
	label := s.tie[device]
	if all := c.strings(s); all[label] != nil {
		own, others := 0.0, 0.0
		for l, cells := range all {
			if r := c.stringMOhm(cells, l, s); l == label {
				own = 1 / r
			} else {
				others += 1 / r
			}
		}
		amps = ProspectiveFactor * c.r.FullVolts * max(own, others) * 1000
	}
	if amps > *k.InterruptA {
		c.find(finding.Stop, "interrupt-rating", k.ID, finding.Of(math.Round(amps)), k.InterruptA, "A",
			fmt.Sprintf("%s can interrupt %.0f A, about %.0f A can flow through it into a fault.", k.ID,
				*k.InterruptA, amps), "Use a device with a higher interrupting rating, such as class T.")
	}
}

// stringMOhm is the resistance of a string's own groups and conductors.
func (c *checker) stringMOhm(cells []int, label uint64, s series) float64 {
	sum := 0.0
	for _, i := range cells {
		x := c.Cells[i]
		sum += c.Net.Modules[x.Module].Groups[x.Group].MOhm
	}
	for i, t := range c.Ties {
		if s.tie[i] == label {
			sum += t.MOhm
		}
	}
	return sum
}

// groupLimit is the charge limit of a module's groups, 0 without a chemistry.
func (c *checker) groupLimit(m int) float64 {
	ch, err := chem.Lookup(c.Net.Modules[m].Chemistry)
	if err != nil {
		return 0
	}
	return ch.ChargeLimitVolts
}
