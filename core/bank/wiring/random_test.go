package wiring_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// maker builds random banks that a careful person could build.
type maker struct {
	rng  *rand.Rand
	n    netlist.Netlist
	desc string
	// strs are the strings of the bank, each its modules from the negative end.
	strs [][]string
	bms  string // kind of switch
}

func (m *maker) pick(list ...string) string { return list[m.rng.IntN(len(list))] }

func (m *maker) kind(list ...netlist.Kind) netlist.Kind { return list[m.rng.IntN(len(list))] }

func (m *maker) add(kind netlist.Kind, from, to string) *netlist.Conductor {
	c := netlist.Conductor{ID: fmt.Sprintf("c%02d", len(m.n.Conductors)), Kind: kind, From: from, To: to, MOhm: 0.1,
		RatingA: finding.Of(200)}
	switch kind {
	case netlist.Fuse, netlist.Breaker:
		c.RatingA, c.VoltageRatingV, c.InterruptA, c.MOhm = finding.Of(100), finding.Of(125), finding.Of(50000), 0.3
	case netlist.Cable:
		c.LengthMM = finding.Of(float64(100 + m.rng.IntN(80)))
	}
	if m.rng.IntN(2) == 0 {
		c.From, c.To = c.To, c.From
	}
	m.n.Conductors = append(m.n.Conductors, c)
	return &m.n.Conductors[len(m.n.Conductors)-1]
}

// module adds one with its groups near 3.70 V, as one family is.
func (m *maker) module(groups int) string {
	id := fmt.Sprintf("K%03d", len(m.n.Modules)+1)
	x := netlist.Module{ID: id, Chemistry: chem.NMC, Posts: map[string]int{"P-": 0, "P+": groups}}
	for g := range groups {
		x.Groups = append(x.Groups, netlist.Group{Volts: 3.700 + 0.002*m.rng.NormFloat64(), Ah: 50 + m.rng.Float64(),
			MOhm: 0.8 + 0.4*m.rng.Float64()})
		if g > 0 {
			x.Posts[fmt.Sprintf("T%d", g)] = g
		}
	}
	m.n.Modules = append(m.n.Modules, x)
	return id
}

func node(id string, k, groups int) string {
	switch k {
	case 0:
		return id + ".P-"
	case groups:
		return id + ".P+"
	}
	return fmt.Sprintf("%s.T%d", id, k)
}

func (m *maker) groupsOf(id string) int {
	for _, x := range m.n.Modules {
		if x.ID == id {
			return len(x.Groups)
		}
	}
	return 0
}

// sense returns the leads of a row of modules.
func (m *maker) sense(ids []string) []*string {
	out := []*string{str(ids[0] + ".P-")}
	for _, id := range ids {
		g := m.groupsOf(id)
		for k := 1; k <= g; k++ {
			out = append(out, str(node(id, k, g)))
		}
	}
	return out
}

// bank makes a random healthy bank of at most 14 groups of NMC in series.
func (m *maker) bank() {
	sizes := []int{2, 2, 3, 4, 7} // groups of a module; 2 has a post in between
	var row []int
	for total := 0; ; {
		g := sizes[m.rng.IntN(len(sizes))]
		if total+g > 14 {
			break
		}
		row = append(row, g) // mixed types in one string
		total += g
		if total > 4 && m.rng.IntN(4) == 0 {
			break
		}
	}
	parallel, strs := 1, 1
	switch m.rng.IntN(3) {
	case 0:
		parallel = 2 + m.rng.IntN(2)
	case 1:
		strs = 2 + m.rng.IntN(2)
	}
	m.bms = m.pick("transistor", "contactor minus", "contactor plus")
	fusedBonds := m.rng.IntN(2) == 0
	m.desc = fmt.Sprintf("%v × %d, %d strings, %s, fused bonds %v", row, parallel, strs, m.bms, fusedBonds)
	bus, minusBus, mainFuse := "OUT+", "OUT-", strs == 1 || m.rng.IntN(2) == 0
	if strs > 1 && mainFuse {
		bus = "BUS+"
		m.add(m.kind(netlist.Fuse, netlist.Breaker), "BUS+", "OUT+").RatingA = finding.Of(180)
		m.desc += ", main fuse"
	}
	if m.rng.IntN(2) == 0 {
		minusBus = "BUS-"
		// It carries what the strings' fuses let pass together, or what the main fuse lets pass.
		m.add(netlist.Shunt, "BUS-", "OUT-").RatingA = finding.Of(float64(max(200, 100*strs)))
		m.desc += ", shunt"
	}
	for s := range strs {
		var ids []string
		for p, g := range row {
			first := m.module(g)
			if p > 0 {
				last := ids[p-1]
				m.add(m.kind(netlist.Bar, netlist.Cable), last+".P+", first+".P-")
			}
			ids = append(ids, first)
			before := first
			for range parallel - 1 {
				mate := m.module(g)
				for k := range g + 1 {
					kind := netlist.Bar
					if k > 0 && k < g {
						kind = netlist.Bond
						if fusedBonds {
							kind = netlist.Fuse
						}
					}
					m.add(kind, node(before, k, g), node(mate, k, g))
				}
				before = mate
			}
		}
		m.strs = append(m.strs, ids)
		m.ends(s, ids, bus, minusBus)
	}
	m.n.Terminals = netlist.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}
	if m.rng.IntN(4) == 0 {
		m.n.Terminals.Earth = []string{"OUT-"}
		m.desc += ", earthed minus"
	}
}

// ends adds fuse, BMS and what belongs to them at the ends of one string.
func (m *maker) ends(s int, ids []string, bus, minusBus string) {
	bottom, top := ids[0]+".P-", ids[len(ids)-1]+".P+"
	fuse := m.kind(netlist.Fuse, netlist.Breaker)
	cable := func(point string) string {
		if m.rng.IntN(2) == 0 {
			return point
		}
		name := fmt.Sprintf("N%d%s", s, point[len(point)-1:])
		m.add(netlist.Cable, point, name)
		return name
	}
	b := netlist.BMS{ID: fmt.Sprintf("B%d", s), Kind: "transistor", BMinus: bottom, PMinus: minusBus,
		Sense: m.sense(ids)}
	fused := fmt.Sprintf("S%d+", s)
	m.add(fuse, cable(top), fused)
	switch m.bms {
	case "transistor":
		b.BMinus = cable(bottom)
		m.add(netlist.Cable, fused, bus)
	case "contactor minus":
		k := m.add(netlist.Contactor, bottom, minusBus)
		k.Open = m.rng.IntN(2) == 0
		b.Kind, b.PMinus, b.Switch = "contactor", "", &k.ID
		m.add(netlist.Cable, fused, bus)
		m.precharge(s, bottom, minusBus)
	case "contactor plus":
		k := m.add(netlist.Contactor, fused, bus)
		k.Open = m.rng.IntN(2) == 0
		b.Kind, b.PMinus, b.Switch = "contactor", "", &k.ID
		m.add(netlist.Cable, bottom, minusBus)
		m.precharge(s, fused, bus)
	}
	groups := len(b.Sense) - 1
	// Two boards, stacked: the upper one has no switch of its own, or names the common one.
	if cut := 1 + m.rng.IntN(max(1, len(ids)-1)); m.rng.IntN(3) == 0 && cut < len(ids) {
		low := 0
		for _, id := range ids[:cut] {
			low += m.groupsOf(id)
		}
		upper := netlist.BMS{ID: b.ID + "u", Kind: "contactor", BMinus: *b.Sense[low],
			Sense: slices.Clone(b.Sense[low:]), Groups: groups - low}
		if b.Switch != nil && m.rng.IntN(2) == 0 {
			upper.Switch = b.Switch
		}
		b.Sense, b.Groups = slices.Clone(b.Sense[:low+1]), low
		m.n.BMS = append(m.n.BMS, upper)
		m.desc += ", stacked"
	} else {
		b.Groups = groups
		if spare := m.rng.IntN(4); spare > 0 {
			last := b.Sense[groups]
			tied := m.rng.IntN(2) == 0
			for range spare {
				if tied {
					b.Sense = append(b.Sense, last)
				} else {
					b.Sense = append(b.Sense, nil)
				}
			}
			b.Groups += spare
			m.desc += fmt.Sprintf(", %d spare inputs tied %v", spare, tied)
		}
	}
	m.n.BMS = append(m.n.BMS, b)
}

func (m *maker) precharge(s int, from, to string) {
	if m.rng.IntN(2) == 0 {
		return
	}
	mid := fmt.Sprintf("PC%d", s)
	r := m.add(netlist.Precharge, from, mid)
	r.MOhm = 20000
	relay := m.add(netlist.Contactor, mid, to)
	relay.Open, relay.RatingA = true, finding.Of(300) // three strings feed a fault behind it
	m.desc += ", pre-charge"
}

// shuffle puts everything into another order under other names.
func shuffle(rng *rand.Rand, n netlist.Netlist) netlist.Netlist {
	prefix := string(rune('A' + rng.IntN(26)))
	conds := map[string]string{}
	for i, k := range rng.Perm(len(n.Conductors)) {
		conds[n.Conductors[k].ID] = fmt.Sprintf("%s%03d", prefix, i)
	}
	out := netlist.Netlist{Terminals: n.Terminals, DesignA: n.DesignA, Modules: slices.Clone(n.Modules),
		Conductors: slices.Clone(n.Conductors), BMS: slices.Clone(n.BMS)}
	for i := range out.Conductors {
		out.Conductors[i].ID = conds[out.Conductors[i].ID]
	}
	for i := range out.BMS {
		if s := out.BMS[i].Switch; s != nil {
			out.BMS[i].Switch = str(conds[*s])
		}
	}
	rng.Shuffle(len(out.Modules), func(i, j int) { out.Modules[i], out.Modules[j] = out.Modules[j], out.Modules[i] })
	rng.Shuffle(len(out.Conductors), func(i, j int) {
		out.Conductors[i], out.Conductors[j] = out.Conductors[j], out.Conductors[i]
	})
	rng.Shuffle(len(out.BMS), func(i, j int) { out.BMS[i], out.BMS[j] = out.BMS[j], out.BMS[i] })
	return out
}

func TestFiveHundredHealthyBanksAreNotAccused(t *testing.T) {
	for seed := range uint64(500) {
		rng := rand.New(rand.NewPCG(seed, 60))
		m := &maker{rng: rng}
		m.bank()
		var first []string
		for range 3 {
			n := shuffle(rng, m.n)
			r := check(t, n)
			if finding.Blocks(r.Findings) ||
				len(r.Shorts)+len(r.Unmonitored)+len(r.Bypasses)+len(r.Unprotected)+len(r.Reversed)+len(
					r.Disconnected) > 0 {
				t.Fatalf("seed %d, %s: %+v", seed, m.desc, finding.Sorted(r.Findings)[:min(3, len(r.Findings))])
			}
			if len(r.BuildOrder) != len(n.Conductors) {
				t.Fatalf("seed %d: %d steps for %d conductors", seed, len(r.BuildOrder), len(n.Conductors))
			}
			c := codes(r.Findings)
			slices.Sort(c)
			if first == nil {
				first = c
			} else if !slices.Equal(first, c) {
				t.Fatalf("seed %d, %s: the order of the file changed %v to %v", seed, m.desc, first, c)
			}
		}
	}
}

func (m *maker) byKind(kind netlist.Kind) []*netlist.Conductor {
	var out []*netlist.Conductor
	for i := range m.n.Conductors {
		if m.n.Conductors[i].Kind == kind {
			out = append(out, &m.n.Conductors[i])
		}
	}
	return out
}

func (m *maker) mod(id string) *netlist.Module {
	return &m.n.Modules[slices.IndexFunc(m.n.Modules, func(x netlist.Module) bool { return x.ID == id })]
}

// ends3 are the points of each end of a string.
func (m *maker) swapEnds(ids []string) {
	bottom, top := ids[0]+".P-", ids[len(ids)-1]+".P+"
	swap := func(p *string) {
		switch *p {
		case bottom:
			*p = top
		case top:
			*p = bottom
		}
	}
	for i := range m.n.Conductors {
		c := &m.n.Conductors[i]
		in := slices.Contains(ids, c.From[:min(4, len(c.From))]) && slices.Contains(ids, c.To[:min(4, len(c.To))])
		if !in {
			swap(&c.From)
			swap(&c.To)
		}
	}
}

// faults are mistakes put into a healthy bank, and the codes of which one must be said. inject reports
// whether the bank has a place for the mistake.
var faults = []struct {
	name   string
	codes  []string
	inject func(m *maker) bool
}{
	{"a whole string the wrong way round", []string{"loop-with-voltage"}, func(m *maker) bool {
		if len(m.strs) < 2 {
			return false
		}
		m.swapEnds(m.strs[1])
		return true
	}},
	{"a string of another length", []string{"loop-with-voltage"}, func(m *maker) bool {
		if len(m.strs) < 2 {
			return false
		}
		x := m.mod(m.strs[1][0])
		if len(x.Groups) < 2 {
			return false
		}
		x.Groups = x.Groups[1:]
		for p, k := range x.Posts {
			x.Posts[p] = max(0, k-1)
		}
		return true
	}},
	{"a string 2 V above its mate", []string{"parallel-difference"}, func(m *maker) bool {
		if len(m.strs) < 2 {
			return false
		}
		var groups []*netlist.Group
		for _, id := range m.strs[1] {
			for g := range m.mod(id).Groups {
				groups = append(groups, &m.mod(id).Groups[g])
			}
		}
		for _, g := range groups {
			g.Volts += 2 / float64(len(groups))
			if g.Volts > 4.15 {
				return false
			}
		}
		return true
	}},
	{"both poles earthed", []string{"loop-with-voltage"}, func(m *maker) bool {
		m.n.Terminals.Earth = []string{"OUT-", "OUT+"}
		return true
	}},
	{"a middle post and a pole earthed", []string{"loop-with-voltage"}, func(m *maker) bool {
		m.n.Terminals.Earth = []string{"OUT-", m.strs[0][0] + ".P+"}
		return true
	}},
	{"B− one post up", []string{"b-minus-off-lead-0"}, func(m *maker) bool {
		b := &m.n.BMS[m.rng.IntN(len(m.n.BMS))]
		b.BMinus = *b.Sense[1]
		return true
	}},
	{"a fuse inside a span", []string{"device-in-span"}, func(m *maker) bool {
		for i := range m.n.Conductors {
			c := &m.n.Conductors[i]
			a, b := c.From[:min(4, len(c.From))], c.To[:min(4, len(c.To))]
			for _, ids := range m.strs {
				if slices.Contains(ids, a) && slices.Contains(ids, b) && a != b &&
					!slices.ContainsFunc(m.n.BMS, func(x netlist.BMS) bool {
						return x.BMinus == c.From || x.BMinus == c.To
					}) {
					c.Kind = m.kind(netlist.Fuse, netlist.Switch, netlist.Contactor, netlist.Breaker)
					return true
				}
			}
		}
		return false
	}},
	{"a string fuse left out", []string{"string-without-fuse", "unprotected"}, func(m *maker) bool {
		if len(m.strs) < 2 {
			return false
		}
		for i := range m.n.Conductors {
			c := &m.n.Conductors[i]
			if c.From == "S1+" || c.To == "S1+" {
				if c.Kind == netlist.Fuse || c.Kind == netlist.Breaker {
					c.Kind = netlist.Cable
					return true
				}
			}
		}
		return false
	}},
	{"a fuse above its cable", []string{"fuse-above-conductor"}, func(m *maker) bool {
		for i := range m.n.Conductors {
			c := &m.n.Conductors[i]
			if c.Kind == netlist.Contactor && c.From != "PC0" && c.To != "PC0" && c.From != "PC1" && c.To != "PC1" ||
				c.From == "OUT-" && c.Kind == netlist.Shunt {
				continue
			}
			if c.Kind == netlist.Cable && (c.From == "S0+" || c.To == "S0+") {
				c.RatingA = finding.Of(60)
				return true
			}
		}
		return false
	}},
	{"a fuse that cannot interrupt", []string{"interrupt-rating"}, func(m *maker) bool {
		for _, c := range append(m.byKind(netlist.Fuse), m.byKind(netlist.Breaker)...) {
			if c.From == "S0+" || c.To == "S0+" {
				c.InterruptA = finding.Of(1000)
				return true
			}
		}
		return false
	}},
	{"a fuse 2.5 m away", []string{"fuse-far"}, func(m *maker) bool {
		for _, c := range append(m.byKind(netlist.Fuse), m.byKind(netlist.Breaker)...) {
			if c.From == "S0+" || c.To == "S0+" {
				far := "FAR"
				if c.From == "S0+" {
					far, c.To = c.To, "FAR"
				} else {
					far, c.From = c.From, "FAR"
				}
				m.add(netlist.Cable, far, "FAR").LengthMM = finding.Of(2500)
				return true
			}
		}
		return false
	}},
	{"a resistor left across the relay", []string{"bms-bypassed"}, func(m *maker) bool {
		for _, b := range m.n.BMS {
			if b.Switch == nil {
				continue
			}
			for _, c := range m.n.Conductors {
				if c.ID == *b.Switch {
					// With several strings the way round one relay still ends at the terminals.
					m.add(netlist.Precharge, c.From, c.To).MOhm = 20000
					return true
				}
			}
		}
		return false
	}},
	{"a charger on a middle tap", []string{"middle-tap"}, func(m *maker) bool {
		m.add(netlist.Fuse, m.strs[0][0]+".P+", "CHG+")
		m.n.Terminals.Plus = append(m.n.Terminals.Plus, "CHG+")
		return len(m.strs[0]) > 1
	}},
	{"a bare cable that ends nowhere", []string{"loose-end"}, func(m *maker) bool {
		m.add(netlist.Cable, m.strs[0][len(m.strs[0])-1]+".P+", "SPARE")
		return true
	}},
	{"a group below zero", []string{"group-dead"},
		func(m *maker) bool { m.n.Modules[0].Groups[0].Volts = -0.3; return true }},
	{"a group under never-recharge", []string{"never-recharge"},
		func(m *maker) bool { m.n.Modules[0].Groups[0].Volts = 1.7; return true }},
	{"a group near never-recharge", []string{"group-low"},
		func(m *maker) bool { m.n.Modules[0].Groups[0].Volts = 2.3; return true }},
	{"a group above the limit", []string{"group-over"},
		func(m *maker) bool { m.n.Modules[0].Groups[0].Volts = 4.25; return true }},
	{"a group 70 mV lower", []string{"unequal-charge"}, func(m *maker) bool {
		if m.desc[len(m.desc)-1] == 'x' {
			return false
		}
		for i := range m.mod(m.strs[0][0]).Groups {
			m.mod(m.strs[0][0]).Groups[i].Volts -= 0.07
			break
		}
		return len(m.n.Modules) == len(m.strs[0]) // with mates the level is their mean
	}},
	{"a sense lead a tap too high", []string{"sense-step"}, func(m *maker) bool {
		b := &m.n.BMS[0]
		if len(b.Sense) < 4 || b.Sense[2] == nil || b.Sense[1] == nil {
			return false
		}
		b.Sense[1], b.Sense[2] = b.Sense[2], b.Sense[1]
		return true
	}},
	{"the top lead left out", []string{"sense-missing"}, func(m *maker) bool {
		b := &m.n.BMS[len(m.n.BMS)-1]
		top, below := b.Sense[len(b.Sense)-1], b.Sense[len(b.Sense)-2]
		if top == nil || below == nil || *top == *below {
			return false
		}
		b.Sense[len(b.Sense)-1] = nil
		return true
	}},
	{"a monitor that cannot disconnect", []string{"bms-cannot-disconnect"}, func(m *maker) bool {
		for i := range m.n.BMS {
			m.n.BMS[i].Kind, m.n.BMS[i].Switch, m.n.BMS[i].PMinus = "contactor", nil, ""
		}
		return true
	}},
	{"a cable from plus to minus", []string{"loop-with-voltage"},
		func(m *maker) bool { m.add(netlist.Cable, "OUT+", "OUT-"); return true }},
}

// everyBank puts a mistake into random banks that have a place for it, shuffles them, and has each judged.
func everyBank(t *testing.T, stream uint64, inject func(m *maker) bool, judged func(seed uint64, m *maker,
	r wiring.Report)) {
	t.Helper()
	done := 0
	for seed := uint64(0); done < 25 && seed < 800; seed++ {
		rng := rand.New(rand.NewPCG(seed, stream))
		m := &maker{rng: rng}
		m.bank()
		if !inject(m) {
			continue
		}
		done++
		judged(seed, m, check(t, shuffle(rng, m.n)))
	}
	if done < 10 {
		t.Errorf("only %d banks had a place for it", done)
	}
}

func TestEveryInjectedFaultIsNamed(t *testing.T) {
	for _, f := range faults {
		t.Run(f.name, func(t *testing.T) {
			everyBank(t, 61, f.inject, func(seed uint64, m *maker, r wiring.Report) {
				if !slices.ContainsFunc(r.Findings,
					func(x finding.Finding) bool { return slices.Contains(f.codes, x.Code) }) {
					t.Fatalf("seed %d, %s: %v", seed, m.desc, codes(r.Findings))
				}
				if c := f.codes[0]; c != "unequal-charge" && !finding.Blocks(r.Findings) {
					t.Errorf("seed %d: it does not block", seed)
				}
			})
		})
	}
}
