package layout_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/core/trainer/virtual"
)

func rd(red, black string, v float64) layout.Reading {
	return layout.Reading{Red: red, Black: black, Volts: v}
}

func solve(t *testing.T, opt layout.Options, rs ...layout.Reading) layout.Map {
	t.Helper()
	m, err := layout.Solve(rs, opt)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func codes(m layout.Map) []string {
	var out []string
	for _, f := range m.Findings {
		out = append(out, f.Code)
	}
	return out
}

func ExampleSolve() {
	m, _ := layout.Solve([]layout.Reading{
		{Red: "P1", Black: "P0", Volts: 3.291},
		{Red: "P2", Black: "P1", Volts: 3.290},
		{Red: "P2", Black: "P0", Volts: 6.581},
		{Red: "T", Black: "P1", Volts: 0.000},
		{Red: "T", Black: "P0", Volts: 3.291},
	}, layout.Options{Chemistry: chem.LFP})
	for _, g := range m.Groups {
		fmt.Println(g.Index, g.Negative, g.Positive, g.Volts)
	}
	fmt.Println(m.Series, m.Complete)
	// Output:
	// 1 [P0] [P1 T] 3.291
	// 2 [P1 T] [P2] 3.29
	// 2 true
}

func TestUnusable(t *testing.T) {
	cases := []struct {
		name string
		rs   []layout.Reading
		opt  layout.Options
		want string
	}{
		{"no readings", nil, layout.Options{}, "no readings"},
		{"both probes on one point", []layout.Reading{rd("A", "A", 3)}, layout.Options{}, "line 1"},
		{"no name", []layout.Reading{rd("A", "B", 3), rd("", "B", 3)}, layout.Options{}, "line 2"},
		{"not a number", []layout.Reading{rd("A", "B", math.NaN())}, layout.Options{}, "expected"},
		{"absurd", []layout.Reading{rd("A", "B", 1e9)}, layout.Options{}, "expected"},
		{"only the case", []layout.Reading{rd("A", "case", 1)}, layout.Options{}, "case"},
		{"unknown role", []layout.Reading{rd("A", "B", 3)},
			layout.Options{Roles: []layout.Role{{Point: "A", Role: "king"}}}, "expected main_negative"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			_, err := layout.Solve(c.rs, c.opt)
			var u *layout.UnusableError
			if !errors.As(err, &u) || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func TestJudgements(t *testing.T) {
	chain := []layout.Reading{rd("P1", "P0", 3.7), rd("P2", "P1", 3.7), rd("P3", "P2", 3.7)}
	nmc := layout.Options{Chemistry: chem.NMC}
	roles := func(rs ...layout.Role) layout.Options { return layout.Options{Chemistry: chem.NMC, Roles: rs} }
	cases := []struct {
		name     string
		opt      layout.Options
		rs       []layout.Reading
		series   int
		want     string // a finding's code, "" for none above note
		complete bool
	}{
		{"a clean chain", nmc, chain, 3, "", true},
		{"plate agrees", layout.Options{Chemistry: chem.NMC, PlateSeries: 3}, chain, 3, "", true},
		{"plate says four", layout.Options{Chemistry: chem.NMC, PlateSeries: 4}, chain, 3, "plate-disagrees", false},
		{"chemistry not declared", layout.Options{}, chain, 3, "chemistry-open", true},
		{"a lone 13.2 V step of LFP", layout.Options{Chemistry: chem.LFP}, []layout.Reading{rd("+", "-", 13.2)}, 0,
			"series-open", false},
		{"the plate's volts decide it", layout.Options{Chemistry: chem.LFP, PlateVolts: 12.8},
			[]layout.Reading{rd("+", "-", 13.2)}, 4, "missing-tap", true},
		{"a tap missing", nmc, append(slices.Clone(chain), rd("P4", "P3", 7.4)), 5, "missing-tap", true},
		{"one bad group is not a layout", nmc, append(slices.Clone(chain), rd("P4", "P3", 1.2)), 4, "odd-step", true},
		{"one group out of family", nmc, append(slices.Clone(chain), rd("P4", "P3", 3.4)), 4, "odd-step", true},
		{"two parts", nmc, append(slices.Clone(chain), rd("Q1", "Q0", 3.7)), 3, "separate", false},
		{"a pin read only as zero", nmc, append(slices.Clone(chain), rd("X", "P1", 0.001)), 3, "doubled-or-dead",
			false},
		{"middle post taken for the positive", roles(layout.Role{Point: "P2", Role: layout.RoleMainPositive}), chain,
			3, "main-post-not-at-end", false},
		{"polarity mislabelled", roles(layout.Role{Point: "P3", Role: layout.RoleMainNegative}), chain, 3,
			"main-post-not-at-end", false},
		{"two posts joined", roles(layout.Role{Point: "P1", Role: layout.RolePost},
			layout.Role{Point: "Q", Role: layout.RolePost}), append(slices.Clone(chain), rd("Q", "P1", 0),
			rd("Q", "P0", 3.7)), 3, "posts-joined", false},
		{"too near for a group", nmc, append(slices.Clone(chain), rd("X", "P3", 0.060)), 4, "close-pair", false},
		{"all at one potential", nmc, []layout.Reading{rd("A", "B", 0), rd("C", "B", 0.001)}, 0, "one-node", false},
		{"steps of another chemistry", layout.Options{Chemistry: chem.LTO}, []layout.Reading{rd("A", "B", 0.7)}, 0,
			"steps-not-explained", false},
		{"readings against the case", nmc, append(slices.Clone(chain), rd("P3", "case", 4)), 3, "", true},
		{"a dead pin", nmc, append(slices.Clone(chain), rd("D", "P0", 0), rd("D", "P3", 0.002)), 3, "floating", true},
		{"readings that contradict", nmc, append(slices.Clone(chain), rd("P2", "P0", 6.9)), 3, "loop-open", false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			m := solve(t, c.opt, c.rs...)
			if m.Series != c.series || m.Complete != c.complete {
				t.Errorf("series %d, complete %v; findings %v", m.Series, m.Complete, codes(m))
			}
			var above []string
			for _, f := range m.Findings {
				if f.Level > finding.Note {
					above = append(above, f.Code)
				}
				if f.Do == "" || f.Text == "" || f.Rule == "" {
					t.Errorf("finding %s says not what to do", f.Code)
				}
			}
			if c.want == "" && len(above) > 0 || c.want != "" && !slices.Contains(above, c.want) {
				t.Errorf("findings %v, want %q", above, c.want)
			}
		})
	}
}

func TestReversedGroupShowsUnderADeclaredOrder(t *testing.T) {
	var roles []layout.Role
	for i, p := range []string{"P0", "P1", "P2", "P3"} {
		roles = append(roles, layout.Role{Point: p, Role: layout.RolePin, Order: i + 1})
	}
	rs := []layout.Reading{rd("P1", "P0", 3.7), rd("P2", "P1", -3.7), rd("P3", "P2", 3.7)}
	m := solve(t, layout.Options{Chemistry: chem.NMC, Roles: roles}, rs...)
	if !slices.Contains(codes(m), "reversed-group") || m.Complete {
		t.Errorf("findings %v", codes(m))
	}
	// Counting the order from the positive end is not a reversal.
	for i := range roles {
		roles[i].Order = 10 - i
	}
	m = solve(t, layout.Options{Chemistry: chem.NMC, Roles: roles}, rd("P1", "P0", 3.7), rd("P2", "P1", 3.7),
		rd("P3", "P2", 3.7))
	if slices.Contains(codes(m), "reversed-group") {
		t.Error("an order counted from the other end was taken for a reversed group")
	}
}

func TestConvicts(t *testing.T) {
	clean := []layout.Reading{
		rd("P1", "P0", 3.31), rd("P2", "P1", 3.30), rd("P3", "P2", 3.29), rd("P4", "P3", 3.30),
		rd("P2", "P0", 6.61), rd("P3", "P1", 6.59), rd("P4", "P2", 6.59), rd("P4", "P0", 13.20), rd("P3", "P0", 9.90),
		rd("P4", "P1", 9.89),
	}
	spoil := map[string]func(float64) float64{
		"sign":    func(v float64) float64 { return -v },
		"decimal": func(v float64) float64 { return v * 10 },
		"outlier": func(v float64) float64 { return v + 0.4 },
	}
	for problem, f := range spoil {
		t.Run(problem, func(t *testing.T) {
			for i := range clean {
				rs := slices.Clone(clean)
				rs[i].Volts = f(rs[i].Volts)
				m := solve(t, layout.Options{Chemistry: chem.LFP}, rs...)
				if len(m.Suspects) != 1 || m.Suspects[0].Line != i+1 || m.Suspects[0].Problem != problem {
					t.Errorf("%s in line %d: suspects %+v", problem, i+1, m.Suspects)
					continue
				}
				if e := m.Suspects[0].ExpectedVolts; math.Abs(e-clean[i].Volts) > 0.02 {
					t.Errorf("%s in line %d: expected volts %v, truth %v", problem, i+1, e, clean[i].Volts)
				}
				if m.Series != 4 {
					t.Errorf("%s in line %d: series %d", problem, i+1, m.Series)
				}
			}
		})
	}
}

// A single loop with an arbitrary mistake cannot be decided, and must say which reading would.
func TestCannotTellNamesTheReadingThatWould(t *testing.T) {
	rs := []layout.Reading{rd("P1", "P0", 3.3), rd("P2", "P1", 3.3), rd("P3", "P2", 3.3), rd("P3", "P0", 9.5)}
	m := solve(t, layout.Options{Chemistry: chem.LFP}, rs...)
	if len(m.Suspects) != 4 || m.NextReading == nil || m.Complete {
		t.Fatalf("suspects %+v, next %+v", m.Suspects, m.NextReading)
	}
	// Take the reading it asks for, with the truth, until one is convicted.
	truth := map[string]float64{"P0": 0, "P1": 3.3, "P2": 6.6, "P3": 9.9}
	for range 4 {
		n := m.NextReading
		rs = append(rs, rd(n.Red, n.Black, truth[n.Red]-truth[n.Black]))
		m = solve(t, layout.Options{Chemistry: chem.LFP}, rs...)
		if len(m.Suspects) == 1 {
			break
		}
	}
	if len(m.Suspects) != 1 || m.Suspects[0].Line != 4 {
		t.Errorf("after the readings it asked for: %+v", m.Suspects)
	}
}

// face lays out taps, doubled pins and readings for a random module.
func randomCase(rng *rand.Rand, series, points, readings int) (virtual.Module, []layout.Reading) {
	mod := virtual.New(rng, "R", virtual.Spec{Chemistry: chem.NMC, Series: series, RatedAh: 50, SoH: 0.9, SoC: 0.55,
		SoCSpread: 0.01, ResistanceOhms: 0.002})
	face := virtual.Face{}
	var names []string
	for i := range points {
		name := fmt.Sprintf("p%03d", i)
		face[name] = i % (series + 1)
		names = append(names, name)
	}
	rng.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	meter := virtual.NewMeter(rng, 0.001, 0.001)
	var rs []layout.Reading
	take := func(a, b string) {
		v, err := mod.Probe(face, a, b)
		if err != nil {
			panic(err)
		}
		rs = append(rs, rd(a, b, meter.Read(v)))
	}
	for i := 1; i < len(names); i++ { // a random tree over all points
		take(names[i], names[rng.IntN(i)])
	}
	for len(rs) < readings {
		a, b := rng.IntN(len(names)), rng.IntN(len(names))
		if a != b {
			take(names[a], names[b])
		}
	}
	return mod, rs
}

func TestRandomModulesAndInvariants(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 11))
	for n := range 60 {
		series := 2 + rng.IntN(23)
		points := series + 1 + rng.IntN(6)
		mod, rs := randomCase(rng, series, points, 3*points)
		opt := layout.Options{Chemistry: chem.NMC}
		m := solve(t, opt, rs...)
		if m.Series != series || len(m.Suspects) != 0 {
			t.Fatalf("case %d: series %d for %d, suspects %v, %v", n, m.Series, series, m.Suspects, codes(m))
		}
		for i, v := range mod.RestVolts() {
			if math.Abs(m.Groups[i].Volts-v) > 0.008 {
				t.Errorf("case %d group %d: %.4f V for %.4f", n, i+1, m.Groups[i].Volts, v)
			}
		}
		// Order of the file, direction of the probes and names of the points must not matter.
		other := slices.Clone(rs)
		for i := range other {
			r := &other[i]
			r.Red, r.Black = "x"+r.Red, "x"+r.Black
			if rng.IntN(2) == 0 {
				r.Red, r.Black, r.Volts = r.Black, r.Red, -r.Volts
			}
		}
		rng.Shuffle(len(other), func(i, j int) { other[i], other[j] = other[j], other[i] })
		mm := solve(t, opt, other...)
		if mm.Series != m.Series {
			t.Fatalf("case %d: series changed from %d to %d", n, m.Series, mm.Series)
		}
		for i := range m.Groups {
			if math.Abs(m.Groups[i].Volts-mm.Groups[i].Volts) > 1e-5 {
				t.Errorf("case %d group %d: %v became %v", n, i+1, m.Groups[i].Volts, mm.Groups[i].Volts)
			}
		}
	}
}

// With redundancy a single wrong sign among hundreds is named and no honest reading accused.
func TestOneMistakeAmongHundreds(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 12))
	for n := range 25 {
		_, rs := randomCase(rng, 12, 40, 300)
		k := rng.IntN(len(rs))
		for math.Abs(rs[k].Volts) < 3 {
			k = rng.IntN(len(rs))
		}
		rs[k].Volts = -rs[k].Volts
		m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
		if len(m.Suspects) != 1 || m.Suspects[0].Line != k+1 || m.Suspects[0].Problem != "sign" {
			t.Errorf("case %d: line %d spoiled, suspects %+v", n, k+1, m.Suspects)
		}
	}
}

func BenchmarkSolve500Points5000Readings(b *testing.B) {
	_, rs := randomCase(rand.New(rand.NewPCG(13, 13)), 24, 500, 5000)
	b.ReportAllocs()
	for b.Loop() {
		if m, err := layout.Solve(rs, layout.Options{Chemistry: chem.NMC}); err != nil || m.Series != 24 {
			b.Fatal(m.Series, err)
		}
	}
}
