package wiring_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/module/sense"

	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func mod(id string, groups int) netlist.Module {
	m := netlist.Module{ID: id, Chemistry: chem.NMC, Posts: map[string]int{"neg": 0, "pos": groups}}
	for i := range groups {
		m.Groups = append(m.Groups, netlist.Group{Volts: 3.7, Ah: 40, MOhm: 1.5})
		if i > 0 {
			m.Posts[fmt.Sprintf("t%d", i)] = i
		}
	}
	return m
}

func cond(id string, kind netlist.Kind, from, to string) netlist.Conductor {
	return netlist.Conductor{ID: id, Kind: kind, From: from, To: to, MOhm: 0.1, RatingA: finding.Of(200)}
}

func str(s string) *string { return &s }

// bank builds S positions of P modules with g groups each, taps bonded, a fuse in the plus and a
// transistor BMS in the negative that sees every level.
func bank(s, p, g int) netlist.Netlist {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}}
	id := func(i, j int) string { return fmt.Sprintf("M%d%c", i+1, 'a'+j) }
	for i := range s {
		for j := range p {
			n.Modules = append(n.Modules, mod(id(i, j), g))
		}
	}
	node := func(i, j, k int) string {
		switch k {
		case 0:
			return id(i, j) + ".neg"
		case g:
			return id(i, j) + ".pos"
		}
		return fmt.Sprintf("%s.t%d", id(i, j), k)
	}
	b := netlist.BMS{ID: "B1", Kind: "transistor", Groups: s * g, BMinus: node(0, 0, 0), PMinus: "OUT-"}
	for i := range s {
		for j := 1; j < p; j++ {
			for k := 0; k <= g; k++ {
				kind := netlist.Bond
				if k == 0 || k == g {
					kind = netlist.Bar
				}
				n.Conductors = append(n.Conductors, cond(fmt.Sprintf("J%d%c%d", i+1, 'a'+j, k), kind, node(i, j-1, k),
					node(i, j, k)))
			}
		}
		if i > 0 {
			n.Conductors = append(n.Conductors, cond(fmt.Sprintf("L%d", i), netlist.Bar, node(i-1, 0, g),
				node(i, 0, 0)))
		}
		for k := range g {
			b.Sense = append(b.Sense, str(node(i, 0, k)))
		}
	}
	b.Sense = append(b.Sense, str(node(s-1, 0, g)))
	n.Conductors = append(n.Conductors, cond("F1", netlist.Fuse, node(s-1, 0, g), "OUT+"))
	n.BMS = []netlist.BMS{b}
	return n
}

func check(t *testing.T, n netlist.Netlist) wiring.Report {
	t.Helper()
	r, err := wiring.CheckNetlist(n)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func codes(fs []finding.Finding) []string {
	var out []string
	for _, f := range fs {
		out = append(out, f.Code)
	}
	return out
}

func conductor(n *netlist.Netlist, id string) *netlist.Conductor {
	for i := range n.Conductors {
		if n.Conductors[i].ID == id {
			return &n.Conductors[i]
		}
	}
	panic(id)
}

func ExampleCheckNetlist() {
	r, _ := wiring.CheckNetlist(bank(3, 1, 2))
	fmt.Println(r.Series, r.Parallel, len(r.Shorts), len(r.Unmonitored))
	for _, s := range r.SenseTable {
		fmt.Printf("%d %.1f ", s.Input, *s.ExpectedV)
	}
	// Output:
	// 6 1 0 0
	// 0 0.0 1 3.7 2 7.4 3 11.1 4 14.8 5 18.5 6 22.2
}

func TestBondsWithoutARatingAreACaution(t *testing.T) {
	n := bank(2, 2, 3)
	for i := range n.Conductors {
		n.Conductors[i].RatingA = nil
	}
	if r := check(t, n); !slices.Contains(codes(r.Findings), "bonds") || finding.Blocks(r.Findings) {
		t.Errorf("findings %v", codes(r.Findings))
	}
}

func TestCleanBanksHaveNothingAboveANote(t *testing.T) {
	for _, d := range [][3]int{{1, 1, 1}, {1, 3, 2}, {2, 1, 7}, {3, 2, 4}, {7, 3, 2}} {
		r := check(t, bank(d[0], d[1], d[2]))
		if r.Series != d[0]*d[2] || r.Parallel != d[1] {
			t.Errorf("%v: series %d, parallel %d", d, r.Series, r.Parallel)
		}
		if finding.Worst(r.Findings) > finding.Note {
			t.Errorf("%v: %v", d, r.Findings)
		}
		if v := r.Potentials["OUT+"]; math.Abs(v-3.7*float64(d[0]*d[2])) > 1e-6 {
			t.Errorf("%v: OUT+ at %v", d, v)
		}
	}
}

func TestAbove60VoltsIsHighVoltageWork(t *testing.T) {
	for _, d := range [][3]int{{4, 2, 4}, {8, 3, 2}, {15, 1, 1}} {
		r := check(t, bank(d[0], d[1], d[2]))
		if !slices.Equal(codes(finding.Sorted(r.Findings))[:1], []string{"high-voltage"}) ||
			math.Abs(r.FullVolts-4.2*float64(d[0]*d[2])) > 1e-9 {
			t.Errorf("%v: full %.1f V, %v", d, r.FullVolts, codes(r.Findings))
		}
	}
}

func TestErrorsAreFound(t *testing.T) {
	cases := []struct {
		name  string
		n     func() netlist.Netlist
		code  string
		check func(wiring.Report) bool
	}{
		{"a bar across a module", func() netlist.Netlist {
			n := bank(3, 1, 2)
			n.Conductors = append(n.Conductors, cond("X", netlist.Bar, "M2a.neg", "M2a.pos"))
			return n
		}, "loop-with-voltage", func(r wiring.Report) bool {
			return len(r.Shorts) == 1 && r.Shorts[0].Conductor == "X" && r.Shorts[0].Certain &&
				math.Abs(r.Shorts[0].EMFV-7.4) < 1e-6 && *r.Shorts[0].ProspectiveA > 2000 &&
				slices.Equal(r.Shorts[0].Loop, []string{"X"})
		}},
		{"plus tied to minus", func() netlist.Netlist {
			n := bank(3, 1, 2)
			n.Conductors = slices.Insert(n.Conductors, 0, cond("X", netlist.Cable, "M3a.pos", "M1a.neg"))
			return n
		}, "loop-with-voltage", func(r wiring.Report) bool {
			return r.Shorts[0].Conductor == "X" && r.Shorts[0].Certain && len(r.Shorts[0].Loop) == 3
		}},
		{"a module turned round in the string", func() netlist.Netlist {
			n := bank(3, 1, 2)
			conductor(&n, "L1").To = "M2a.pos"
			conductor(&n, "L2").From = "M2a.neg"
			return n
		}, "reversed", func(r wiring.Report) bool { return slices.Equal(r.Reversed, []string{"M2a"}) }},
		{"a parallel mate turned round", func() netlist.Netlist {
			n := bank(2, 2, 1)
			conductor(&n, "J1b0").To = "M1b.pos"
			conductor(&n, "J1b1").To = "M1b.neg"
			return n
		}, "loop-with-voltage", func(r wiring.Report) bool {
			return slices.Contains(r.Reversed, "M1b") && !slices.Contains(r.Reversed, "M1a") &&
				math.Abs(r.Shorts[0].EMFV-7.4) < 1e-6
		}},
		{"middle taps not bonded", func() netlist.Netlist {
			n := bank(2, 2, 3)
			n.Conductors = slices.DeleteFunc(n.Conductors,
				func(c netlist.Conductor) bool { return c.Kind == netlist.Bond })
			return n
		}, "unmonitored", func(r wiring.Report) bool {
			return len(r.Unmonitored) == 6 && r.Unmonitored[0] == wiring.GroupRef{Module: "M1b", Group: 1}
		}},
		{"a mate behind a fuse", func() netlist.Netlist {
			n := bank(1, 2, 1)
			conductor(&n, "J1b1").Kind = netlist.Fuse
			return n
		}, "unmonitored", func(r wiring.Report) bool {
			return len(r.Unmonitored) == 1 && r.Unmonitored[0].Module == "M1b"
		}},
		{"a module left out", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Modules = append(n.Modules, mod("M9", 2))
			return n
		}, "disconnected", func(r wiring.Report) bool { return slices.Equal(r.Disconnected, []string{"M9"}) }},
		{"no fuse", func() netlist.Netlist { n := bank(2, 1, 2); conductor(&n, "F1").Kind = netlist.Cable; return n },
			"unprotected", func(r wiring.Report) bool { return len(r.Unprotected) == 1 }},
		{"load minus on the cells", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Conductors = append(n.Conductors, cond("N", netlist.Cable, "M1a.neg", "OUT-"))
			return n
		}, "bms-bypassed", func(r wiring.Report) bool {
			return len(r.Bypasses) == 1 && slices.Contains(r.Bypasses[0].Conductors, "N")
		}},
		{"an earthed load", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Terminals.Earth = []string{"OUT-", "M1a.neg"}
			return n
		}, "bms-bypassed", nil},
		{"the shunt left out of one way", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Terminals.Minus = []string{"BUS-"}
			n.Conductors = append(n.Conductors, cond("S", netlist.Shunt, "OUT-", "BUS-"),
				cond("N", netlist.Cable, "OUT-", "BUS-"))
			return n
		}, "shunt-bypassed", nil},
		{"no BMS", func() netlist.Netlist { n := bank(2, 1, 2); n.BMS = nil; return n }, "no-bms", nil},
		{"a relay BMS that switches nothing", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.BMS[0].Kind = netlist.Contactor
			return n
		}, "bms-cannot-disconnect", nil},
		{"two sense leads swapped in the plan", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.BMS[0].Sense[1], n.BMS[0].Sense[2] = n.BMS[0].Sense[2], n.BMS[0].Sense[1]
			return n
		}, "sense-step", nil},
		{"a sense lead not fitted", func() netlist.Netlist { n := bank(2, 1, 2); n.BMS[0].Sense[2] = nil; return n },
			"sense-missing", func(r wiring.Report) bool { return len(r.Unmonitored) == 2 }},
		{"mates at different volts", func() netlist.Netlist {
			n := bank(1, 2, 1)
			n.Modules[1].Groups[0].Volts = 3.9
			return n
		}, "parallel-difference", nil},
		{"two chemistries", func() netlist.Netlist { n := bank(2, 1, 2); n.Modules[1].Chemistry = chem.LFP; return n },
			"unlike-chemistries", nil},
		{"terminals swapped", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Terminals.Plus, n.Terminals.Minus = n.Terminals.Minus, n.Terminals.Plus
			return n
		}, "terminals-swapped", nil},
		{"strings without a fuse each", func() netlist.Netlist {
			n := bank(2, 1, 2)
			n.Modules = append(n.Modules, mod("N1", 2), mod("N2", 2))
			n.Conductors = append(n.Conductors, cond("A", netlist.Bar, "N1.pos", "N2.neg"),
				cond("B", netlist.Cable, "N1.neg", "M1a.neg"), cond("C", netlist.Cable, "N2.pos", "M2a.pos"))
			return n
		}, "string-without-fuse", func(r wiring.Report) bool { return len(r.Unmonitored) == 4 }},
		{"a fuse rated too low", func() netlist.Netlist {
			n := bank(8, 1, 2)
			conductor(&n, "F1").VoltageRatingV = finding.Of(58)
			return n
		}, "voltage-rating", nil},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r := check(t, c.n())
			if !slices.Contains(codes(r.Findings), c.code) {
				t.Errorf("findings %v", codes(r.Findings))
			}
			if c.check != nil && !c.check(r) {
				t.Errorf("report %+v", r)
			}
			for _, f := range r.Findings {
				if f.Do == "" || f.Rule == "" {
					t.Errorf("%s says not what to do", f.Code)
				}
			}
		})
	}
}

// Kirchhoff: the voltage round every loop of the finished bank is zero, so that any two ways to a
// point give one potential; and no step of the build order may make a loop with voltage.
func TestPotentialsAndBuildOrder(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for range 30 {
		s, p, g := 1+rng.IntN(6), 1+rng.IntN(3), 1+rng.IntN(4)
		n := bank(s, p, g)
		for i := range n.Conductors {
			if rng.IntN(2) == 0 {
				c := &n.Conductors[i]
				c.From, c.To = c.To, c.From
			}
		}
		r := check(t, n)
		rng.Shuffle(len(n.Conductors), func(i, j int) {
			n.Conductors[i], n.Conductors[j] = n.Conductors[j],
				n.Conductors[i]
		})
		r2 := check(t, n)
		for name, v := range r.Potentials {
			if math.Abs(r2.Potentials[name]-v) > 1e-9 {
				t.Fatalf("potential of %s depends on the order of the file: %v, %v", name, v, r2.Potentials[name])
			}
		}
		for _, c := range n.Conductors {
			if r.Potentials[c.From] != r.Potentials[c.To] {
				t.Errorf("the ends of %s differ", c.ID)
			}
		}
		if len(r.BuildOrder) != len(n.Conductors) {
			t.Errorf("%d steps for %d conductors", len(r.BuildOrder), len(n.Conductors))
		}
		last := 0.0
		for i, st := range r.BuildOrder {
			if st.ExposedV < last {
				t.Error("the exposed voltage fell while building")
			}
			last = st.ExposedV
			if st.Conductor == "F1" && i != len(r.BuildOrder)-1 {
				t.Error("the fuse is not last")
			}
			if st.Measure == "" {
				t.Error("a step without a measurement")
			}
		}
	}
}

// In a chain of eight links the best order keeps the last one, which joins two halves, to the end.
func TestOrderKeepsTheVoltageLow(t *testing.T) {
	n := bank(9, 1, 2)
	r := check(t, n)
	sum := 0.0
	for _, s := range r.BuildOrder[:8] {
		sum += s.ExposedV
	}
	// Pairs first (4 × 14.8), then … any order that grows one piece from the end sums to more.
	naive := 0.0
	for k := 2; k <= 9; k++ {
		naive += float64(k) * 7.4
	}
	if sum >= naive {
		t.Errorf("sum of exposed volts %v, naive %v", sum, naive)
	}
	if r.BuildOrder[3].ExposedV != 14.8 {
		t.Errorf("after four links %v V are exposed", r.BuildOrder[3].ExposedV)
	}
}

func TestUnusable(t *testing.T) {
	cases := []struct {
		name, want string
		f          func(*netlist.Netlist)
	}{
		{"no modules", "no modules", func(n *netlist.Netlist) { n.Modules = nil }},
		{"module twice", "twice", func(n *netlist.Netlist) { n.Modules[1].ID = n.Modules[0].ID }},
		{"conductor twice", "twice", func(n *netlist.Netlist) { n.Conductors[1].ID = n.Conductors[0].ID }},
		{"kind", "expected one of", func(n *netlist.Netlist) { n.Conductors[0].Kind = "rope" }},
		{"post", "no post", func(n *netlist.Netlist) { n.Conductors[0].From = "M1a.top" }},
		{"node", "expected 0 to 2", func(n *netlist.Netlist) { n.Modules[0].Posts["x"] = 7 }},
		{"volts", "expected", func(n *netlist.Netlist) { n.Modules[0].Groups[0].Volts = math.NaN() }},
		{"switch", "not listed", func(n *netlist.Netlist) { n.BMS[0].Switch = str("K9") }},
		{"chemistry", "expected lfp", func(n *netlist.Netlist) { n.Modules[0].Chemistry = "lead" }},
		{"name", "expected", func(n *netlist.Netlist) { n.Conductors[0].From = "" }},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			n := bank(3, 1, 2)
			c.f(&n)
			_, err := wiring.CheckNetlist(n)
			var u *netlist.UnusableError
			if !errors.As(err, &u) || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func TestSense(t *testing.T) {
	expected := []float64{0, 3.7, 7.4, 11.1, 14.8, 18.5, 22.2, 25.9}
	cases := []struct {
		name   string
		f      func(v []float64) []float64
		kind   sense.Kind
		inputs []int
	}{
		{"all right", func(v []float64) []float64 { return v }, sense.Good, nil},
		{"two swapped", func(v []float64) []float64 { v[2], v[5] = v[5], v[2]; return v }, sense.Swapped, []int{2, 5}},
		{"neighbours swapped", func(v []float64) []float64 { v[3], v[4] = v[4], v[3]; return v }, sense.Swapped,
			[]int{3, 4}},
		{"three in a ring", func(v []float64) []float64 { v[1], v[3], v[6] = v[3], v[6], v[1]; return v },
			sense.Swapped, []int{1, 3, 6}},
		{"shifted from the fourth", func(v []float64) []float64 {
			copy(v[3:], []float64{14.8, 18.5, 22.2, 25.9, 25.9})
			return v
		}, sense.Shifted, []int{3, 4, 5, 6}},
		{"reversed plug", func(v []float64) []float64 { slices.Reverse(v); return v }, sense.Reversed,
			[]int{0, 1, 2, 3, 4, 5, 6, 7}},
		{"probes swapped", func(v []float64) []float64 {
			for i := range v {
				v[i] = -v[i]
			}
			return v
		}, sense.Reversed, []int{0, 1, 2, 3, 4, 5, 6, 7}},
		{"one open", func(v []float64) []float64 { v[4] = 0.12; return v }, sense.OpenLead, []int{4}},
		{"one nowhere", func(v []float64) []float64 { v[4] = 13.0; return v }, sense.Wrong, []int{4}},
		{"a group not as surveyed", func(v []float64) []float64 {
			for i := 4; i < 8; i++ {
				v[i] -= 0.2
			}
			return v
		}, sense.Wrong, []int{4}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			v := c.f(slices.Clone(expected))
			var m []sense.Measured
			for i := range v {
				m = append(m, sense.Measured{BMS: "B1", Input: i, Volts: v[i] + 0.002})
			}
			got, err := sense.JudgeLeads("B1", expected, m, 0.01)
			if err != nil || got.Kind != c.kind {
				t.Fatalf("kind %s, %v, %+v", got.Kind, err, got.Findings)
			}
			for _, i := range c.inputs {
				if !slices.Contains(got.Inputs, i) {
					t.Errorf("input %d is not named in %v", i, got.Inputs)
				}
			}
			if c.kind != sense.Good && !finding.Blocks(got.Findings) {
				t.Error("a wrong plug does not block")
			}
		})
	}
	if _, err := sense.JudgeLeads("B1", expected, []sense.Measured{{BMS: "B1", Input: 9}}, 0); err == nil {
		t.Error("an input out of range was judged")
	}
	got, err := sense.JudgeLeads("B1", expected, []sense.Measured{{BMS: "B1", Input: 1, Volts: 3.7}}, 0)
	if err != nil || got.Kind != sense.Wrong {
		t.Errorf("a plug with leads not measured: %s, %v", got.Kind, err)
	}
}

// plug returns a whole reading of leads at v, and of the top lead against lead 0.
func plug(v []float64) []sense.Measured {
	var m []sense.Measured
	for i := range v {
		if !math.IsNaN(v[i]) {
			m = append(m, sense.Measured{BMS: "B1", Input: i, Volts: v[i]})
		}
	}
	return append(m, sense.Measured{BMS: "B1", Input: len(v) - 1, Volts: v[len(v)-1] - v[0], AgainstZero: true})
}

func TestSenseLeadsThatMislead(t *testing.T) {
	nan := math.NaN()
	sixteen := make([]float64, 17)
	for i := range sixteen {
		sixteen[i] = 3.3 * float64(i)
	}
	seven := []float64{0, 3.7, 7.4, 11.1, 14.8, 18.5, 22.2, 25.9}
	lowered := func(v []float64, d float64) []float64 {
		out := slices.Clone(v)
		for i := range out {
			out[i] += d * float64(i)
		}
		return out
	}
	with := func(v []float64, i int, x float64) []float64 { v = slices.Clone(v); v[i] = x; return v }
	swap := func(v []float64, i, k int) []float64 { v = slices.Clone(v); v[i], v[k] = v[k], v[i]; return v }
	cases := []struct {
		name     string
		expected []float64
		measured []sense.Measured
		accuracy float64
		kind     sense.Kind
		inputs   []int
		code     string
	}{
		{"lead 0 open: the top lead reads nothing against it", seven, append(plug(seven)[:8], sense.Measured{BMS: "B1",
			Input: 7, Volts: 0.04, AgainstZero: true}), 0, sense.OpenLead, []int{0}, "sense-open"},
		{"lead 0 not proven", seven, plug(seven)[:8], 0, sense.Good, nil, "sense-lead-0"},
		{"black on the open lead 0", seven, plug(make([]float64, 8))[:8], 0, sense.OpenLead, []int{0}, "sense-open"},
		{"two leads on one tap", seven, plug(with(seven, 3, 7.4)), 0, sense.Wrong, []int{2, 3}, "sense-wrong"},
		{"two leads on the upper tap", seven, plug(with(seven, 3, 14.8)), 0, sense.Wrong, []int{3, 4}, "sense-wrong"},
		{"the bank discharged since", sixteen, plug(lowered(sixteen, -0.08)), 0, sense.Good, nil, "sense-common-shift"},
		{"the bank charged since", sixteen, plug(lowered(sixteen, 0.15)), 0, sense.Good, nil, "sense-common-shift"},
		{"discharged, and two swapped", sixteen, plug(swap(lowered(sixteen, -0.06), 8, 9)), 0, sense.Swapped,
			[]int{8, 9}, "sense-swapped"},
		{"a lead not fitted, the rest right", with(seven, 3, nan), plug(with(seven, 3, nan)), 0, sense.Good, nil, ""},
		{"a lead not fitted, two swapped above it", with(seven, 3, nan), plug(swap(with(seven, 3, nan), 5, 6)), 0,
			sense.Swapped, []int{5, 6}, "sense-swapped"},
		{"spare inputs tied, as planned", append(slices.Clone(seven), 25.9, 25.9),
			plug(append(slices.Clone(seven), 25.9, 25.9)), 0, sense.Good, nil, ""},
		{"a spare input that should be tied", append(slices.Clone(seven), 25.9),
			plug(append(slices.Clone(seven), 0.1))[:9], 0, sense.Wrong, []int{8}, "sense-wrong"},
		{"spare inputs open, not measured", append(slices.Clone(seven), nan, nan), plug(seven), 0, sense.Good, nil, ""},
		{"spare input open in the plan, tied in the plug", append(slices.Clone(seven), nan),
			append(plug(seven), sense.Measured{BMS: "B1", Input: 8, Volts: 25.9}), 0, sense.Good, nil, "sense-spare"},
		{"a meter 0.9 V off cannot tell", seven, plug(seven), 0.9, sense.Wrong, nil, "sense-accuracy"},
		{"a meter 0.9 V off and a swapped pair", seven, plug(swap(seven, 2, 3)), 0.9, sense.Wrong, []int{2, 3},
			"sense-swapped"},
		{"half a per cent at 52.8 V", sixteen, plug(with(sixteen, 16, 52.8*1.003)), 0, sense.Good, nil, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			v, err := sense.JudgeLeads("B1", c.expected, c.measured, c.accuracy)
			if err != nil || v.Kind != c.kind {
				t.Fatalf("%s, %v, %+v", v.Kind, err, v.Findings)
			}
			for _, i := range c.inputs {
				if !slices.Contains(v.Inputs, i) {
					t.Errorf("input %d is not named in %v: %+v", i, v.Inputs, v.Findings)
				}
			}
			if c.code != "" && !slices.Contains(codes(v.Findings), c.code) || c.code == "" && len(v.Findings) > 0 {
				t.Errorf("findings %+v", v.Findings)
			}
			for _, f := range v.Findings {
				if strings.Contains(f.Text, "11.100 V where 11.10 V") {
					t.Error(f.Text)
				}
			}
		})
	}
}

// Two strings whose BMS are off float: the build order compares their totals and never the open gap.
func TestStringsAreLevelledByTheirTotals(t *testing.T) {
	for _, kind := range []string{"transistor", "contactor"} {
		t.Run(kind, func(t *testing.T) {
			a, b := bank(3, 1, 2), bank(3, 1, 2)
			for i := range b.Modules {
				b.Modules[i].ID = "N" + b.Modules[i].ID
			}
			n := func(s string) string {
				if s[0] == 'M' {
					return "N" + s
				}
				return s
			}
			for _, c := range b.Conductors {
				c.ID, c.From, c.To = "N"+c.ID, n(c.From), n(c.To)
				a.Conductors = append(a.Conductors, c)
			}
			x := b.BMS[0]
			x.ID, x.BMinus = "B2", n(x.BMinus)
			for i, s := range x.Sense {
				x.Sense[i] = str(n(*s))
			}
			a.BMS = append(a.BMS, x)
			if kind == "contactor" {
				for i := range a.BMS {
					k := cond("K"+a.BMS[i].ID, netlist.Contactor, a.BMS[i].BMinus, "OUT-")
					k.Open = true
					a.Conductors = append(a.Conductors, k)
					a.BMS[i].Kind, a.BMS[i].PMinus, a.BMS[i].Switch = "contactor", "", str(k.ID)
				}
			}
			a.Modules = append(a.Modules, b.Modules...)
			r := check(t, a)
			levels := 0
			for _, s := range r.BuildOrder {
				if !s.Level {
					continue
				}
				levels++
				if s.LowV > 22.2 || s.HighV < 22.2 || s.HighV-s.LowV > 0.11 ||
					!strings.Contains(s.Measure, "the same minute") {
					t.Errorf("%s: %s %.2f to %.2f V", s.Conductor, s.Measure, s.LowV, s.HighV)
				}
			}
			if levels != 1 {
				t.Errorf("%d steps level the strings: %+v", levels, r.BuildOrder)
			}
		})
	}
}

func BenchmarkCheck100Modules(b *testing.B) {
	n := bank(25, 4, 2)
	for b.Loop() {
		if r, err := wiring.CheckNetlist(n); err != nil || r.Series != 50 || r.Parallel != 4 {
			b.Fatal(err)
		}
	}
}

// Ten times the modules cost about ten times as much.
func BenchmarkCheckManyModules(b *testing.B) {
	for _, c := range []struct{ series, parallel int }{{250, 4}, {2500, 4}, {25, 400}} {
		n := bank(c.series, c.parallel, 2)
		b.Run(fmt.Sprint(c.series*c.parallel, "-", c.parallel), func(b *testing.B) {
			for b.Loop() {
				if _, err := wiring.CheckNetlist(n); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
