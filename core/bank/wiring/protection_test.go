package wiring_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
)

// plain reports whether each string of a bank has one board.
func (m *maker) plain() bool { return len(m.n.BMS) == len(m.strs) }

// relay is the contactor that a board names.
func (m *maker) relay(b netlist.BMS) *netlist.Conductor {
	for i := range m.n.Conductors {
		if b.Switch != nil && m.n.Conductors[i].ID == *b.Switch {
			return &m.n.Conductors[i]
		}
	}
	return nil
}

// unprotected are mistakes with what switches and what protects.
var unprotected = []struct {
	name   string
	code   string
	inject func(m *maker) bool
}{
	{"what is named as the switch opens nothing", "bms-cannot-disconnect", func(m *maker) bool {
		for _, b := range m.n.BMS {
			if k := m.relay(b); k != nil && m.plain() {
				k.Kind, k.Open = m.kind(netlist.Bar, netlist.Cable, netlist.Fuse, netlist.Switch,
					netlist.Breaker), false
				k.VoltageRatingV, k.InterruptA = finding.Of(125), finding.Of(50000)
				return true
			}
		}
		return false
	}},
	{"of a BMS nothing is known", "bms-cannot-disconnect", func(m *maker) bool {
		if m.bms != "transistor" || !m.plain() {
			return false
		}
		m.n.BMS[0].Kind = netlist.Kind(m.pick("", "monitor", "smart"))
		return true
	}},
	{"two BMSs crossed", "bms-crossed", func(m *maker) bool {
		if len(m.strs) < 2 || !m.plain() || m.bms == "transistor" {
			return false
		}
		m.n.BMS[0].Switch, m.n.BMS[1].Switch = m.n.BMS[1].Switch, m.n.BMS[0].Switch
		return true
	}},
	{"two transistor BMSs with each other's leads", "b-minus-off-lead-0", func(m *maker) bool {
		if len(m.strs) < 2 || !m.plain() || m.bms != "transistor" {
			return false
		}
		m.n.BMS[0].Sense, m.n.BMS[1].Sense = m.n.BMS[1].Sense, m.n.BMS[0].Sense
		return true
	}},
	{"earth on the cell side of the BMS", "earth-before-bms", func(m *maker) bool {
		if len(m.strs) > 1 || m.bms == "contactor plus" {
			return false
		}
		m.n.Terminals.Earth = []string{m.strs[0][0] + ".P-"}
		return true
	}},
	{"a contactor for 12 V", "voltage-rating", func(m *maker) bool {
		for _, b := range m.n.BMS {
			if k := m.relay(b); k != nil {
				k.VoltageRatingV = finding.Of(12)
				return true
			}
		}
		return false
	}},
	{"a contactor that cannot open what it carries", "interrupt-rating", func(m *maker) bool {
		for _, b := range m.n.BMS {
			if k := m.relay(b); k != nil {
				k.InterruptA = finding.Of(20)
				return true
			}
		}
		return false
	}},
	{"a hand switch for 12 V", "voltage-rating", func(m *maker) bool {
		m.add(netlist.Switch, "OUT+", "OUT2+").VoltageRatingV = finding.Of(12)
		m.n.Terminals.Plus = []string{"OUT2+"}
		return true
	}},
	{"an outlet of 20 A behind the fuse", "fuse-above-conductor", func(m *maker) bool {
		m.add(netlist.Cable, "OUT+", "OUT2+").RatingA = finding.Of(20)
		m.n.Terminals.Plus = append(m.n.Terminals.Plus, "OUT2+")
		return true
	}},
	{"a second load's negative of 20 A", "fuse-above-conductor", func(m *maker) bool {
		m.add(netlist.Cable, "OUT-", "OUT2-").RatingA = finding.Of(20)
		m.n.Terminals.Minus = append(m.n.Terminals.Minus, "OUT2-")
		return true
	}},
	{"a wire of 5 A to the pre-charge resistor", "fuse-above-conductor", func(m *maker) bool {
		for i := range m.n.Conductors {
			k := &m.n.Conductors[i]
			if k.Kind == netlist.Contactor && (strings.HasPrefix(k.From, "PC") || strings.HasPrefix(k.To, "PC")) {
				k.RatingA = finding.Of(5)
				return true
			}
		}
		return false
	}},
	{"a main cable under the sum of its string fuses", "fuse-above-conductor", func(m *maker) bool {
		if len(m.strs) < 2 || strings.Contains(m.desc, "main fuse") {
			return false
		}
		m.add(netlist.Cable, "OUT+", "OUT2+").RatingA = finding.Of(110)
		m.n.Terminals.Plus = []string{"OUT2+"}
		return true
	}},
	{"cells that bear a third of the design current", "cells-current", func(m *maker) bool {
		m.n.DesignA = 3 * float64(len(m.n.Modules)) / float64(len(m.strs[0])) * 50
		for i := range m.n.Conductors { // all else carries it
			k := &m.n.Conductors[i]
			k.RatingA = finding.Of(1000)
			k.InterruptA = finding.Of(50000)
		}
		return true
	}},
	{"a fuse that a long cable seems to help", "interrupt-rating", func(m *maker) bool {
		if len(m.strs) > 1 || len(m.n.Modules) != len(m.strs[0]) {
			return false
		}
		inner, full := 0.0, 0.0
		for _, x := range m.n.Modules {
			for _, g := range x.Groups {
				inner, full = inner+g.MOhm, full+4.2
			}
		}
		m.add(netlist.Cable, "OUT+", "OUT2+").MOhm = 60
		m.n.Terminals.Plus = []string{"OUT2+"}
		for _, k := range append(m.byKind(netlist.Fuse), m.byKind(netlist.Breaker)...) {
			if k.From == "S0+" || k.To == "S0+" {
				// With joints of 0.1 mΩ counted, still above half of what the groups alone would drive.
				k.InterruptA = finding.Of(0.5 * 1.25 * full / inner * 1000)
			}
		}
		return true
	}},
}

func TestWhatSwitchesAndProtectsIsJudged(t *testing.T) {
	for _, f := range unprotected {
		t.Run(f.name, func(t *testing.T) {
			everyBank(t, 62, f.inject, func(seed uint64, m *maker, r wiring.Report) {
				if !slices.ContainsFunc(r.Findings, func(x finding.Finding) bool {
					return x.Code == f.code && x.Level >= finding.Stop
				}) {
					t.Fatalf("seed %d, %s: %v", seed, m.desc, codes(r.Findings))
				}
			})
		})
	}
}

// What a careful person adds to a healthy bank is no mistake.
func TestHealthyAdditionsAreNotAccused(t *testing.T) {
	add := []struct {
		name string
		to   func(m *maker) bool
	}{
		{"a charger on a fuse of its own", func(m *maker) bool {
			k := m.add(netlist.Fuse, m.strs[0][len(m.strs[0])-1]+".P+", "CHG+")
			k.RatingA = finding.Of(30)
			m.n.Terminals.Plus = append(m.n.Terminals.Plus, "CHG+")
			return len(m.strs) == 1 && m.bms != "contactor plus" // else it goes round the BMS
		}},
		{"a charger behind the bank's own fuse", func(m *maker) bool {
			k := m.add(netlist.Fuse, "OUT+", "CHG+")
			k.RatingA = finding.Of(30)
			wire := m.add(netlist.Cable, "CHG+", "CHG2+")
			wire.RatingA = finding.Of(35)
			m.n.Terminals.Plus = append(m.n.Terminals.Plus, "CHG2+")
			return true
		}},
		{"a shunt between lead 0 and B−", func(m *maker) bool {
			if m.bms != "transistor" {
				return false
			}
			for i := range m.n.BMS {
				b := &m.n.BMS[i]
				if b.PMinus == "" {
					continue
				}
				name := fmt.Sprintf("SH%d", i)
				k := m.add(netlist.Shunt, b.BMinus, name)
				k.MOhm, k.RatingA = 0.05, finding.Of(300)
				b.BMinus = name
			}
			m.n.DesignA = 50
			return true
		}},
		{"taps fused to a common node", func(m *maker) bool {
			if len(m.strs) > 1 || len(m.n.Modules) == len(m.strs[0]) {
				return false
			}
			own := func(p string) (int, bool) {
				id, post, _ := strings.Cut(p, ".")
				for _, x := range m.n.Modules {
					if x.ID == id {
						k := x.Posts[post]
						return k, k > 0 && k < len(x.Groups)
					}
				}
				return 0, false
			}
			bond := func(k netlist.Conductor) bool {
				_, a := own(k.From)
				_, b := own(k.To)
				return a && b
			}
			for i := range m.n.BMS { // it points into the list that is changed below
				if k := m.n.BMS[i].Switch; k != nil {
					m.n.BMS[i].Switch = str(*k)
				}
			}
			at := map[string]int{} // the position of a module
			for i, x := range m.n.Modules {
				at[x.ID] = i / (len(m.n.Modules) / len(m.strs[0]))
			}
			m.n.Conductors = slices.DeleteFunc(m.n.Conductors, bond)
			for _, x := range m.n.Modules {
				for p, k := range x.Posts {
					if k > 0 && k < len(x.Groups) {
						m.n.Conductors = append(m.n.Conductors, netlist.Conductor{ID: "t" + x.ID + p,
							Kind: netlist.Fuse,
							From: x.ID + "." + p, To: fmt.Sprintf("TAP%d-%d", at[x.ID], k), MOhm: 0.5,
							RatingA: finding.Of(10), VoltageRatingV: finding.Of(125), InterruptA: finding.Of(50000)})
					}
				}
			}
			return true
		}},
		{"a second outlet on a wire of its own fuse", func(m *maker) bool {
			m.add(netlist.Breaker, "OUT+", "LIGHT").RatingA = finding.Of(16)
			m.add(netlist.Cable, "LIGHT", "LIGHT+").RatingA = finding.Of(20)
			m.n.Terminals.Plus = append(m.n.Terminals.Plus, "LIGHT+")
			return true
		}},
	}
	for _, a := range add {
		t.Run(a.name, func(t *testing.T) {
			done := 0
			for seed := uint64(0); done < 40 && seed < 800; seed++ {
				rng := rand.New(rand.NewPCG(seed, 63))
				m := &maker{rng: rng}
				m.bank()
				if !a.to(m) {
					continue
				}
				done++
				r := check(t, shuffle(rng, m.n))
				if fs := finding.Standing(r.Findings); len(fs) > 0 || len(r.Unmonitored) > 0 {
					t.Fatalf("seed %d, %s: %+v %v", seed, m.desc, fs, r.Unmonitored)
				}
				if slices.Contains(codes(r.Findings), "b-minus-drop") {
					t.Fatalf("seed %d, %s: 2.5 mV between lead 0 and B− are said to matter", seed, m.desc)
				}
			}
			if done < 20 {
				t.Errorf("only %d banks had a place for it", done)
			}
		})
	}
}

// Two boards that are not made to be stacked, each with a switch of its own in the string: the one that opens first
// gets the whole string.
func TestTwoSwitchesAlongOneString(t *testing.T) {
	row := func(volts *float64) netlist.Netlist {
		n := bank(4, 1, 2)
		all := n.BMS[0].Sense
		conductor(&n, "L2").To = "MID"
		n.BMS[0].Sense, n.BMS[0].Groups, n.BMS[0].SwitchV = all[:5], 4, volts
		n.BMS = append(n.BMS, netlist.BMS{ID: "B2", Kind: netlist.Transistor, Groups: 4, BMinus: *all[4], PMinus: "MID",
			Sense: all[4:], SwitchV: volts})
		return n
	}
	level := func(r wiring.Report) (l finding.Level) {
		for _, f := range r.Findings {
			if f.Code == "switch-volts" {
				l = max(l, f.Level)
			}
		}
		return l
	}
	if r := check(t, row(nil)); level(r) != finding.Caution {
		t.Errorf("not known what they open: %v", r.Findings)
	}
	if r := check(t, row(finding.Of(20))); level(r) != finding.Stop {
		t.Errorf("20 V each in a string of 33.6 V: %v", r.Findings)
	}
	if r := check(t, row(finding.Of(60))); slices.Contains(codes(r.Findings), "switch-volts") {
		t.Errorf("60 V each: %v", r.Findings)
	}
	if r := check(t, bank(4, 1, 2)); slices.Contains(codes(r.Findings), "switch-volts") {
		t.Errorf("one BMS: %v", r.Findings)
	}
}

func TestAFuseInTheEarthedPoleOnly(t *testing.T) {
	minus := func(earth ...string) netlist.Netlist {
		n := bank(4, 1, 2)
		conductor(&n, "F1").Kind = netlist.Cable
		n.BMS[0].PMinus = "P-"
		n.Conductors = append(n.Conductors, cond("FM", netlist.Fuse, "P-", "OUT-"))
		n.Terminals.Earth = earth
		return n
	}
	if c := codes(check(t, minus("OUT-")).Findings); !slices.Contains(c, "fuse-in-earthed-pole") {
		t.Errorf("earthed minus: %v", c)
	}
	if c := codes(check(t, minus()).Findings); slices.Contains(c, "fuse-in-earthed-pole") {
		t.Errorf("nothing earthed: %v", c)
	}
	n := bank(4, 1, 2)
	n.Terminals.Earth = []string{"OUT-"}
	if c := codes(check(t, n).Findings); slices.Contains(c, "fuse-in-earthed-pole") {
		t.Errorf("fuse in the plus: %v", c)
	}
}

// What drops between lead 0 and B− grows with the current.
func TestWhatDropsBetweenLeadZeroAndBMinus(t *testing.T) {
	for _, c := range []struct {
		mOhm, amps float64
		want       string
	}{{0.05, 100, ""}, {0.1, 100, ""}, {0.5, 100, "caution"}, {1, 100, "caution"}, {2, 100, "refuse"},
		{0.5, 0, "caution"}, {0.05, 0, ""}, {0, 100, "caution"}} {
		n := bank(3, 1, 2)
		n.DesignA = c.amps
		k := cond("SH", netlist.Shunt, "M1a.neg", "BM")
		k.MOhm = c.mOhm
		n.Conductors, n.BMS[0].BMinus = append(n.Conductors, k), "BM"
		got := ""
		for _, f := range check(t, n).Findings {
			if strings.HasPrefix(f.Code, "b-minus") {
				got = f.Level.String()
			}
		}
		if got != c.want {
			t.Errorf("%v mΩ at %v A: %q, expected %q", c.mOhm, c.amps, got, c.want)
		}
	}
}

// A fuse of which something is not on record is a stop on the way into service, and says what it must be.
func TestWhatAFuseMustBeOnTheWayIntoService(t *testing.T) {
	full := func(f func(k *netlist.Conductor), mOhm float64) wiring.Report {
		n := bank(7, 1, 2)
		n.DesignA = 40
		for i := range n.Modules {
			for g := range n.Modules[i].Groups {
				n.Modules[i].Groups[g].MOhm, n.Modules[i].Groups[g].Ah = mOhm, 100
			}
		}
		k := conductor(&n, "F1")
		k.RatingA, k.VoltageRatingV, k.InterruptA = finding.Of(60), finding.Of(80), finding.Of(20000)
		f(k)
		return check(t, n)
	}
	for _, c := range []struct {
		name string
		mOhm float64
		f    func(k *netlist.Conductor)
		want string
		says string
	}{
		{"all known", 1, func(*netlist.Conductor) {}, "", ""},
		{"no rating", 1, func(k *netlist.Conductor) { k.RatingA = nil }, "fuse-not-known", "40 A or more"},
		{"no volts", 1, func(k *netlist.Conductor) { k.VoltageRatingV = nil }, "fuse-not-known", "58.8 V DC or more"},
		{"no breaking", 1, func(k *netlist.Conductor) { k.InterruptA = nil }, "fuse-not-known", "interrupting 5"},
		{"no breaking and nothing known of the cells", 0, func(k *netlist.Conductor) { k.InterruptA = nil },
			"fuse-not-known", "interrupting 20.0 kA"},
		{"6 kA and nothing known of the cells", 0, func(k *netlist.Conductor) { k.InterruptA = finding.Of(6000) },
			"interrupt-not-known", "is not known"},
		{"20 kA and nothing known of the cells", 0, func(*netlist.Conductor) {}, "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := full(c.f, c.mOhm)
			if c.want == "" && len(r.IntoService) == 0 {
				return
			}
			if len(r.IntoService) != 1 || r.IntoService[0].Code != c.want || r.IntoService[0].Level != finding.Stop ||
				!strings.Contains(r.IntoService[0].Text, c.says) {
				t.Errorf("%+v", r.IntoService)
			}
		})
	}
}
