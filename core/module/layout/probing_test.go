package layout_test

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/module/isolation"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/check"
	"pandrel/core/module/layout"
	"pandrel/core/trainer/virtual"
)

var cases = flag.Int("cases", 150, "random modules to map, half of them with a mistake")

// probing is a simulated module with named points in their physical order.
type probing struct {
	mod    virtual.Module
	face   virtual.Face
	points []string
	meter  *virtual.Meter
}

func newProbing(rng *rand.Rand, series int, noise float64) *probing {
	return &probing{
		mod: virtual.New(rng, "R", virtual.Spec{Chemistry: chem.NMC, Series: series, RatedAh: 50, SoH: 0.9,
			SoC: 0.55, SoCSpread: 0.01, ResistanceOhms: 0.002}),
		face:  virtual.Face{},
		meter: virtual.NewMeter(rng, noise, 0.001),
	}
}

func (p *probing) add(name string, node int) {
	p.face[name] = node
	p.points = append(p.points, name)
}

func (p *probing) read(red, black string) layout.Reading {
	v, err := p.mod.Probe(p.face, red, black)
	if err != nil {
		panic(err)
	}
	return layout.Reading{Red: red, Black: black, Volts: p.meter.Read(v), LastDigit: 0.001}
}

// guided follows the guide to the end and returns the readings it took.
func guided(t *testing.T, p *probing, skip []string, opt layout.Options) []layout.Reading {
	t.Helper()
	var rs []layout.Reading
	for range 3 * len(p.points) {
		next, done := layout.Guide(p.points, rs, skip, opt)
		if done {
			return rs
		}
		if next.Red == next.Black || next.Why == "" || slices.Contains(skip, next.Red) ||
			slices.Contains(skip, next.Black) {
			t.Fatalf("asked for %+v", next)
		}
		rs = append(rs, p.read(next.Red, next.Black))
	}
	t.Fatalf("no end after %d readings", len(rs))
	return nil
}

func ExampleGuide() {
	next, _ := layout.Guide([]string{"A-", "X1", "X2", "A+"}, nil, nil, layout.Options{})
	fmt.Println(next.Red, next.Black)
	// Output: A+ A-
}

func TestGuidedProbingNeedsPointsMinusOneAndTheClosingOnes(t *testing.T) {
	rng := rand.New(rand.NewPCG(21, 21))
	for _, series := range []int{2, 7, 12, 24} {
		p := newProbing(rng, series, 0.0005)
		p.add("A-", 0)
		for i := range series + 1 {
			p.add(fmt.Sprintf("X%d", i+1), i)
		}
		p.add("A+", series)
		opt := layout.Options{Chemistry: chem.NMC, Roles: []layout.Role{{Point: "A-", Role: layout.RoleMainNegative},
			{Point: "A+", Role: layout.RoleMainPositive}}}
		rs := guided(t, p, nil, opt)
		m := solve(t, opt, rs...)
		if m.Series != series || !m.Complete || m.Redundancy < 1 {
			t.Errorf("%d groups: series %d, complete %v, %v", series, m.Series, m.Complete, codes(m))
		}
		// The closing ones: one loop, and a second look at each end's doubled pin.
		if most := len(p.points) - 1 + 3; len(rs) > most {
			t.Errorf("%d groups: %d readings for %d points", series, len(rs), len(p.points))
		}
	}
}

func TestGuideCopesWithDeadPinsSkipsAndSwappedPosts(t *testing.T) {
	rng := rand.New(rand.NewPCG(22, 22))
	p := newProbing(rng, 7, 0.0005)
	p.add("A-", 7) // the labels are swapped
	for i := range 8 {
		p.add(fmt.Sprintf("X%d", i+1), i)
	}
	p.add("A+", 0)
	p.face["X4"] = virtual.Dead
	opt := layout.Options{Chemistry: chem.NMC}
	rs := guided(t, p, []string{"X6"}, opt)
	m := solve(t, opt, rs...)
	if m.Series != 7 || len(m.MissingTaps) != 2 || !slices.Equal(m.Floating, []string{"X4"}) {
		t.Errorf("series %d, missing %v, floating %v, %v", m.Series, m.MissingTaps, m.Floating, codes(m))
	}
	for _, r := range rs {
		if r.Red == "X6" || r.Black == "X6" {
			t.Error("it asked for a point that cannot be reached")
		}
	}
}

// paths counts edge-disjoint ways between two points without reading k, up to 3.
func paths(rs []layout.Reading, k int) int {
	type half struct{ to, edge int }
	id := map[string]int{}
	num := func(s string) int {
		if _, ok := id[s]; !ok {
			id[s] = len(id)
		}
		return id[s]
	}
	var adj [][]half
	grow := func(n int) {
		for len(adj) <= n {
			adj = append(adj, nil)
		}
	}
	for i, r := range rs {
		a, b := num(r.Red), num(r.Black)
		grow(max(a, b))
		if i != k {
			adj[a], adj[b] = append(adj[a], half{b, i}), append(adj[b], half{a, i})
		}
	}
	from, to := id[rs[k].Red], id[rs[k].Black]
	flow := map[[2]int]int{} // edge, direction → used
	count := 0
	for ; count < 3; count++ {
		came := make([]half, len(adj))
		for i := range came {
			came[i] = half{-1, -1}
		}
		came[from] = half{from, -1}
		queue := []int{from}
		for len(queue) > 0 && came[to].to < 0 {
			p := queue[0]
			queue = queue[1:]
			for _, h := range adj[p] {
				if came[h.to].to < 0 && flow[[2]int{h.edge, p}] == 0 {
					came[h.to] = half{p, h.edge}
					queue = append(queue, h.to)
				}
			}
		}
		if came[to].to < 0 {
			return count
		}
		for q := to; q != from; q = came[q].to {
			p, e := came[q].to, came[q].edge
			if flow[[2]int{e, q}] > 0 {
				flow[[2]int{e, q}] = 0
			} else {
				flow[[2]int{e, p}] = 1
			}
		}
	}
	return count
}

// TestRandomMistakes maps many random modules with doubled pins, from chains, stars and random
// trees of readings with noise, half of them with one mistake. A mistake is decidable when two
// other independent paths join its points: then exactly it is named. Otherwise no honest reading
// may be convicted. Run all with: go test ./core/layout -run TestRandomMistakes -cases 1000
func TestRandomMistakes(t *testing.T) {
	rng := rand.New(rand.NewPCG(31, 31))
	spoils := []func(float64) float64{
		func(v float64) float64 { return -v }, func(v float64) float64 { return 10 * v },
		func(v float64) float64 { return v / 10 },
		func(v float64) float64 { return 1000 * v }, func(v float64) float64 { return v + 0.7 },
	}
	var decidable, undecided, clean int
	for n := range *cases {
		series := 2 + rng.IntN(23)
		p := newProbing(rng, series, 0.001)
		for i := range series + 1 {
			p.add(fmt.Sprintf("n%d", i), i)
		}
		for d := range rng.IntN(4) {
			p.add(fmt.Sprintf("d%d", d), rng.IntN(series+1))
		}
		var rs []layout.Reading
		for i := 1; i < len(p.points); i++ {
			with := i - 1 // a chain
			switch n % 3 {
			case 1: // a star
				with = 0
			case 2: // a random tree
				with = rng.IntN(i)
			}
			rs = append(rs, p.read(p.points[i], p.points[with]))
		}
		for range rng.IntN(3 * len(p.points)) {
			a, b := rng.IntN(len(p.points)), rng.IntN(len(p.points))
			if a != b {
				rs = append(rs, p.read(p.points[a], p.points[b]))
			}
		}
		for i := range rs {
			rs[i].Line = i + 1
		}
		opt := layout.Options{Chemistry: chem.NMC, PlateSeries: series}
		if n%2 == 0 {
			clean++
			m := solve(t, opt, rs...)
			if m.Series != series || len(m.Suspects) > 0 {
				t.Errorf("case %d: %d groups mapped as %d, suspects %+v, %v", n, series, m.Series, m.Suspects, codes(m))
			}
			continue
		}
		k := rng.IntN(len(rs))
		for math.Abs(rs[k].Volts) < 3 {
			k = rng.IntN(len(rs))
		}
		ways := paths(rs, k)
		truth := rs[k].Volts
		rs[k].Volts = spoils[rng.IntN(len(spoils))](truth)
		m := solve(t, opt, rs...)
		for _, s := range m.Suspects {
			if s.Line != k+1 && s.Problem != "cannot tell" {
				t.Errorf("case %d: the honest line %d was convicted (%s), the mistake is in line %d", n, s.Line,
					s.Problem, k+1)
			}
		}
		if ways < 2 {
			undecided++
			// With one other path the loop shows it: named, or said that it cannot be told.
			if ways == 1 && !slices.ContainsFunc(m.Suspects, func(s layout.Suspect) bool { return s.Line == k+1 }) {
				t.Errorf("case %d: a mistake in line %d went unseen: %+v", n, k+1, m.Suspects)
			}
			if len(m.Suspects) > 1 && (m.Complete || m.NextReading == nil) {
				t.Errorf("case %d: undecided, but complete %v, next %v", n, m.Complete, m.NextReading)
			}
			continue
		}
		decidable++
		if len(m.Suspects) != 1 || m.Suspects[0].Line != k+1 || m.Series != series {
			t.Errorf("case %d: %d ways, line %d was %v, is %v: suspects %+v, series %d of %d", n, ways, k+1, truth,
				rs[k].Volts, m.Suspects, m.Series, series)
		}
	}
	t.Logf("%d clean, %d decidable, %d not decidable", clean, decidable, undecided)
	if decidable == 0 || undecided == 0 {
		t.Error("the cases do not cover both")
	}
}

// The same over twenty seeds, every chemistry, and mistakes in readings of any size, near-zero ones of
// doubled pins included. Whether a mistake is decidable is not asked of the solver: it is proved by trying
// every other single change of every reading that would make all readings agree as well as the truth does.
func TestMistakesOfAnySizeInEveryChemistry(t *testing.T) {
	chemistries := []chem.ID{chem.LFP, chem.NMC, chem.LMO, chem.NCA, chem.LTO}
	decidable, named := 0, 0
	for seed := range uint64(20) {
		rng := rand.New(rand.NewPCG(seed, 32))
		for n := range 15 {
			id := chemistries[rng.IntN(len(chemistries))]
			series := 2 + rng.IntN(23)
			p := newProbing(rng, series, 0.0005)
			p.mod = virtual.New(rng, "R", virtual.Spec{Chemistry: id, Series: series, RatedAh: 50, SoH: 0.9,
				SoC: 0.3 + 0.4*rng.Float64(), SoCSpread: 0.01, ResistanceOhms: 0.002})
			for i := range series + 1 {
				p.add(fmt.Sprintf("n%d", i), i)
			}
			for d := range rng.IntN(4) {
				p.add(fmt.Sprintf("d%d", d), rng.IntN(series+1))
			}
			var rs []layout.Reading
			for i := 1; i < len(p.points); i++ {
				rs = append(rs, p.read(p.points[i], p.points[rng.IntN(i)]))
			}
			for range len(p.points) + rng.IntN(3*len(p.points)) {
				if a, b := rng.IntN(len(p.points)), rng.IntN(len(p.points)); a != b {
					rs = append(rs, p.read(p.points[a], p.points[b]))
				}
			}
			for i := range rs {
				rs[i].Line = i + 1
			}
			opt := layout.Options{Chemistry: id, PlateSeries: series}
			clean := solve(t, opt, rs...)
			if clean.Series != series || len(clean.Suspects) > 0 || len(clean.Floating) > 0 {
				t.Fatalf("seed %d case %d, %s: %d groups mapped as %d, suspects %+v, floating %v, %v", seed, n, id,
					series, clean.Series, clean.Suspects, clean.Floating, codes(clean))
			}
			for k, nd := range clean.Nodes { // nodes, ends and groups are those of the module
				for _, pt := range nd.Points {
					if p.face[pt] != k {
						t.Fatalf("seed %d case %d: %s lies on node %d, mapped on %d", seed, n, pt, p.face[pt], k)
					}
				}
			}
			for g, grp := range clean.Groups {
				if math.Abs(grp.Volts-p.mod.RestVolts()[g]) > 0.02 {
					t.Fatalf("seed %d case %d: group %d at %.3f V", seed, n, g+1, grp.Volts)
				}
			}
			k := rng.IntN(len(rs))
			truth := rs[k].Volts
			spoil := []float64{-truth, 10 * truth, truth / 10, 100 * truth, 1000 * truth, truth + 0.7}[rng.IntN(6)]
			if math.Abs(spoil-truth) < 0.5 || paths(rs, k) < 3 {
				continue
			}
			decidable++
			rs[k].Volts = spoil
			m := solve(t, opt, rs...)
			for _, s := range m.Suspects {
				if s.Line != k+1 && s.Problem != "cannot tell" {
					t.Errorf("seed %d case %d: the honest line %d was convicted", seed, n, s.Line)
				}
			}
			if len(m.Floating) > 0 {
				t.Errorf("seed %d case %d: %v called floating for a mistake in one reading", seed, n, m.Floating)
			}
			if len(m.Suspects) == 1 && m.Suspects[0].Line == k+1 {
				named++
				if m.Series != series {
					t.Errorf("seed %d case %d: named, but %d groups for %d", seed, n, m.Series, series)
				}
			} else {
				t.Errorf("seed %d case %d: three other paths, line %d (%s to %s) was %.3f, is %.3f: %+v, %v", seed, n,
					k+1, rs[k].Red, rs[k].Black, truth, spoil, m.Suspects, codes(m))
			}
		}
	}
	t.Logf("%d of %d named", named, decidable)
	if decidable < 50 {
		t.Errorf("only %d decidable", decidable)
	}
}

// One floating pin with ghost readings of a few millivolts against several points: it is named and left
// out, and the rest of the map stands.
func TestAFloatingPinDoesNotTakeTheMapWithIt(t *testing.T) {
	for seed := range uint64(40) {
		rng := rand.New(rand.NewPCG(seed, 33))
		series := 3 + rng.IntN(12)
		p := newProbing(rng, series, 0.0005)
		for i := range series + 1 {
			p.add(fmt.Sprintf("n%d", i), i)
		}
		var rs []layout.Reading
		for i := 1; i < len(p.points); i++ {
			rs = append(rs, p.read(p.points[i], p.points[i-1]))
		}
		rs = append(rs, p.read(p.points[series], p.points[0]))
		for g := range 1 + rng.IntN(2) { // one or two such pins, read against three points each
			at := rng.Perm(series + 1)[:3]
			for _, i := range at {
				rs = append(rs, layout.Reading{Red: fmt.Sprintf("ghost%d", g), Black: p.points[i],
					Volts: math.Round(1000*(0.18*rng.Float64()-0.05)) / 1000, LastDigit: 0.001})
			}
		}
		rng.Shuffle(len(rs), func(i, j int) { rs[i], rs[j] = rs[j], rs[i] })
		m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
		if m.Series != series || !m.Complete || len(m.Floating) == 0 || len(m.Suspects) > 0 {
			t.Errorf("seed %d: series %d of %d, complete %v, floating %v, %v", seed, m.Series, series, m.Complete,
				m.Floating, codes(m))
		}
	}
}

// A pin that wanders, with readings of which no two agree, is a point mistake and no reading is accused.
func TestAWanderingPinIsNamed(t *testing.T) {
	rng := rand.New(rand.NewPCG(34, 34))
	p := newProbing(rng, 6, 0.0005)
	for i := range 7 {
		p.add(fmt.Sprintf("n%d", i), i)
	}
	var rs []layout.Reading
	for i := 1; i < 7; i++ {
		rs = append(rs, p.read(p.points[i], p.points[i-1]))
	}
	rs = append(rs, p.read("n6", "n0"), layout.Reading{Red: "w", Black: "n0", Volts: 0.9},
		layout.Reading{Red: "w", Black: "n3", Volts: 0.31}, layout.Reading{Red: "w", Black: "n6", Volts: -1.2})
	m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
	if m.Series != 6 || !slices.Equal(m.Floating, []string{"w"}) || len(m.Suspects) > 0 {
		t.Errorf("series %d, floating %v, suspects %+v, %v", m.Series, m.Floating, m.Suspects, codes(m))
	}
}

func TestNamesThatTheTypeDoesNotHave(t *testing.T) {
	rs := []layout.Reading{{Red: "P2", Black: "P1", Volts: 3.8}, {Red: "P3\u200b", Black: "P2", Volts: 3.8},
		{Red: "P9", Black: "P3", Volts: 3.8}}
	m := solve(t, layout.Options{Chemistry: chem.NMC, Points: []string{"P1", "P2", "P3", "P4"}}, rs...)
	if m.Complete || !slices.Equal(m.Unknown, []string{"P9"}) || !slices.Contains(codes(m), "unknown-point") {
		t.Errorf("complete %v, unknown %v, %v", m.Complete, m.Unknown, codes(m))
	}
	m = solve(t, layout.Options{Chemistry: chem.NMC},
		append(rs[:2:2], layout.Reading{Red: "p3", Black: "P1", Volts: 7.6})...)
	if m.Complete || !slices.Contains(codes(m), "similar-names") {
		t.Errorf("complete %v, %v", m.Complete, codes(m))
	}
	if got := layout.CleanName(" \ufeffP3\u200d \u00a0x "); got != "P3 x" {
		t.Errorf("%q", got)
	}
}

// A tap whose lead is broken reads something between its neighbours: it is named, and the chemistry is not.
func TestABrokenTapIsNamedAndNotTheChemistry(t *testing.T) {
	rs := []layout.Reading{{Red: "n1", Black: "n0", Volts: 3.71}, {Red: "n2", Black: "n0", Volts: 7.42}, {Red: "n3",
		Black: "n0", Volts: 8.61}, {Red: "n4", Black: "n0", Volts: 14.84}, {Red: "n5", Black: "n0", Volts: 18.55}}
	m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
	if m.Series != 5 || !slices.Equal(m.Floating, []string{"n3"}) || len(m.MissingTaps) != 1 ||
		!slices.Contains(codes(m), "broken-tap") {
		t.Errorf("series %d, floating %v, missing %v, %v", m.Series, m.Floating, m.MissingTaps, codes(m))
	}
}

// However often a contradiction stays, no pair is asked for a third time.
func TestNoPairIsAskedForAgainAndAgain(t *testing.T) {
	rs := []layout.Reading{{Red: "b", Black: "a", Volts: 3.7}, {Red: "c", Black: "b", Volts: 3.7},
		{Red: "c", Black: "a", Volts: 6.2}}
	asked := map[string]int{}
	for range 12 {
		m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
		n := m.NextReading
		if n == nil {
			return
		}
		key := n.Red + n.Black
		if asked[key]++; asked[key] > 2 {
			t.Fatalf("%s to %s is asked for the third time: %v", n.Red, n.Black, codes(m))
		}
		for _, r := range rs {
			if r.Red == n.Red && r.Black == n.Black {
				rs = append(rs, r)
				break
			}
		}
	}
}

func TestAGroupAtZeroBetweenGoodOnesIsAFinding(t *testing.T) {
	rs := []layout.Reading{{Red: "n1", Black: "n0", Volts: 3.7}, {Red: "n2", Black: "n0", Volts: 3.703},
		{Red: "n3", Black: "n0", Volts: 7.4}}
	m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
	if !slices.Contains(codes(m), "zero-step") {
		t.Errorf("%v", codes(m))
	}
}

// Every exchange of two points of different nodes, every dead point, every group at zero and the
// module turned round must be seen by the check, in half as many readings as there are points.
func TestCheckSeesEverySingleFault(t *testing.T) {
	rng := rand.New(rand.NewPCG(41, 41))
	for _, doubled := range []int{0, 1, 2, 5} {
		for _, series := range []int{2, 3, 4, 7, 13} {
			p := newProbing(rng, series, 0.0005)
			for i := range series + 1 {
				p.add(fmt.Sprintf("n%d", i), i)
			}
			for d := range doubled {
				p.add(fmt.Sprintf("d%d", d), d%(series+1))
			}
			var rs []layout.Reading
			for i := 1; i < len(p.points); i++ {
				rs = append(rs, p.read(p.points[i], p.points[0]))
				rs = append(rs, p.read(p.points[i], "n1"))
			}
			rs = slices.DeleteFunc(rs, func(r layout.Reading) bool { return r.Red == r.Black })
			m := solve(t, layout.Options{Chemistry: chem.NMC}, rs...)
			plan := check.Plan(m)
			if most := (len(p.points)+1)/2 + doubled; len(plan) > most || doubled == 0 && len(plan) != most {
				t.Fatalf("%d points: %d readings", len(p.points), len(plan))
			}
			judge := func() []finding.Finding {
				var v []float64
				for _, c := range plan {
					v = append(v, p.read(c.Red, c.Black).Volts)
				}
				fs, err := check.JudgePairs(plan, v, chem.NMC)
				if err != nil {
					t.Fatal(err)
				}
				return fs
			}
			if fs := judge(); len(fs) > 0 {
				t.Fatalf("%d groups: a good module was faulted: %+v", series, fs)
			}
			clean := map[string]int{}
			for k, v := range p.face {
				clean[k] = v
			}
			restore := func() {
				for k, v := range clean {
					t.Run(k, func(t *testing.T) {
						p.face[k] = v
					})
				}
			}
			for i, a := range p.points {
				for _, b := range p.points[:i] {
					if clean[a] == clean[b] {
						continue
					}
					p.face[a], p.face[b] = clean[b], clean[a]
					if len(judge()) == 0 {
						t.Errorf("%d groups, %d doubled: %s and %s swapped went unseen", series, doubled, a, b)
					}
					restore()
				}
				p.face[a] = virtual.Dead
				if len(judge()) == 0 {
					t.Errorf("%d groups: dead %s went unseen", series, a)
				}
				restore()
			}
			for a := range clean {
				t.Run(a, func(t *testing.T) {
					p.face[a] = series - clean[a]
				})
			}
			if fs := judge(); len(fs) != 1 || fs[0].Code != "check-reversed" {
				t.Errorf("%d groups: turned round: %+v", series, fs)
			}
			restore()
			kept := p.mod.Clone()
			for g := range p.mod.Groups {
				p.mod.Groups[g].SoC = -1 // a group at zero volts
				if len(judge()) == 0 {
					t.Errorf("%d groups: group %d at zero went unseen", series, g+1)
				}
				p.mod = kept.Clone()
			}
		}
	}
	if _, err := check.JudgePairs([]check.Pair{{Red: "a", Black: "b", Groups: 1}}, nil, chem.NMC); err == nil {
		t.Error("a check without readings was judged")
	}
}

func BenchmarkGuide24Groups(b *testing.B) {
	p := newProbing(rand.New(rand.NewPCG(5, 5)), 24, 0.0005)
	for i := range 25 {
		p.add(fmt.Sprintf("X%d", i), i)
	}
	var rs []layout.Reading
	for i := 1; i < 25; i++ {
		rs = append(rs, p.read(p.points[i], p.points[i-1]))
	}
	for b.Loop() {
		layout.Guide(p.points, rs, nil, layout.Options{Chemistry: chem.NMC})
	}
}

// Readings of both ends against the case are judged with the map; one end alone is not.
func TestCaseReadings(t *testing.T) {
	base := []layout.Reading{{Red: "P2", Black: "P1", Volts: 3.8}, {Red: "P3", Black: "P2", Volts: 3.8},
		{Red: "P3", Black: "P1", Volts: 7.6}}
	// A leak of R from the negative end: the meter from plus to case divides with it.
	leak := func(ohms float64) []layout.Reading {
		return append(slices.Clone(base), layout.Reading{Red: "P3", Black: "case", Volts: 7.6 * 10e6 / (10e6 + ohms)},
			layout.Reading{Red: "case", Black: "P1", Volts: 0})
	}
	for _, c := range []struct {
		name     string
		readings []layout.Reading
		verdict  isolation.Verdict
	}{
		{"none", base, "not measured"},
		{"one end", append(slices.Clone(base), layout.Reading{Red: "P3", Black: "case", Volts: 1}), "not measured"},
		{"a leak of 300 ohms", leak(300), "stop"},
		{"well isolated", leak(1e9), "ok"},
		{"more than the module has", append(slices.Clone(base), layout.Reading{Red: "P3", Black: "case", Volts: 7},
			layout.Reading{Red: "P1", Black: "case", Volts: -7}), "not measured"},
	} {
		t.Run(c.name, func(t *testing.T) {
			m, err := layout.Solve(c.readings, layout.Options{Chemistry: chem.LMO})
			if err != nil || m.Isolation.Verdict != c.verdict || m.Series != 2 {
				t.Errorf("%s: %s, %d groups, %v", c.name, m.Isolation.Verdict, m.Series, err)
			}
			if c.name == "one end" && !slices.ContainsFunc(m.Findings,
				func(f finding.Finding) bool { return f.Code == "case-one-end" }) {
				t.Error("one end: nothing says that the other is missing")
			}
		})
	}
}

// Two strings in one case: each with its posts and steps, and about zero between them wherever one
// touches. They must not be merged into one map.
func TestTwoStringsInOneCase(t *testing.T) {
	two := []layout.Reading{{Red: "A2", Black: "A1", Volts: 3.8}, {Red: "A3", Black: "A2", Volts: 3.8},
		{Red: "B2", Black: "B1", Volts: 3.79}, {Red: "B3", Black: "B2", Volts: 3.81}}
	roles := []layout.Role{{Point: "A1", Role: layout.RolePost}, {Point: "A3", Role: layout.RolePost},
		{Point: "B1", Role: layout.RolePost}, {Point: "B3", Role: layout.RolePost}}
	code := func(rs []layout.Reading) string {
		m, err := layout.Solve(rs, layout.Options{Chemistry: chem.LMO, Roles: roles})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range m.Findings {
			if f.Code == "two-strings" || f.Code == "separate" {
				if m.Complete {
					t.Error("complete, with a part that nothing joins")
				}
				return f.Code + strings.Repeat(" may be", strings.Count(f.Text, "may be two strings"))
			}
		}
		return ""
	}
	if got := code(two); got != "separate may be" {
		t.Errorf("not joined yet: %q", got)
	}
	if got := code(append(slices.Clone(two), layout.Reading{Red: "B1", Black: "A1", Volts: 0.012},
		layout.Reading{Red: "B3", Black: "A1", Volts: -0.004})); got != "two-strings" {
		t.Errorf("about zero twice: %q", got)
	}
	// One slipped decimal between two halves that a doubled pin joins is a mistake, not two strings.
	slipped := []layout.Reading{{Red: "A2", Black: "A1", Volts: 3.8}, {Red: "A3", Black: "A2", Volts: 3.8},
		{Red: "B2", Black: "B1", Volts: 3.8}, {Red: "B3", Black: "B2", Volts: 3.8},
		{Red: "B1", Black: "A3", Volts: 0.000}, {Red: "B3", Black: "A2", Volts: 0.011}}
	m, err := layout.Solve(slipped, layout.Options{Chemistry: chem.LMO})
	if err != nil || len(m.Separate) > 0 || m.Complete ||
		!slices.ContainsFunc(m.Suspects, func(x layout.Suspect) bool { return x.Line == 6 }) {
		t.Errorf("a slipped decimal: separate %v, complete %v, suspects %v, %v", m.Separate, m.Complete, m.Suspects,
			err)
	}
	// Three near-zero readings of which two agree: the third is the odd one.
	if got := code(append(slices.Clone(two), layout.Reading{Red: "B1", Black: "A1", Volts: 0.001},
		layout.Reading{Red: "B2", Black: "A2", Volts: 0.002},
		layout.Reading{Red: "B3", Black: "A1", Volts: 0.003})); got == "two-strings" {
		t.Error("one bad reading among three made two strings")
	}
	if got := code(append(slices.Clone(two), layout.Reading{Red: "B1", Black: "A3", Volts: 0.001},
		layout.Reading{Red: "B2", Black: "A2", Volts: 0.002},
		layout.Reading{Red: "B3", Black: "A1", Volts: 0.003})); got != "two-strings" {
		t.Errorf("about zero at three places that differ: %q", got)
	}
	// Doubled ends read about zero too, and there it is true: one string.
	if got := code(append(slices.Clone(two), layout.Reading{Red: "B1", Black: "A1", Volts: 0.0},
		layout.Reading{Red: "B3", Black: "A3", Volts: 0.001})); got != "" {
		t.Errorf("paralleled at both ends: %q", got)
	}
}

// Two readings of one pair that differ by more than their own uncertainties are a contradiction, also where the
// loops around them are read too coarsely to notice.
func TestTwoReadingsOfOnePair(t *testing.T) {
	chain := func(again, digit float64) []layout.Reading {
		rs := []layout.Reading{{Red: "P4", Black: "P0", Volts: 14.8, LastDigit: digit}, {Red: "P1", Black: "P0",
			Volts: 3.7, LastDigit: digit}, {Red: "P0", Black: "P1", Volts: -again, LastDigit: digit}}
		for i := 2; i <= 4; i++ {
			rs = append(rs, layout.Reading{Red: fmt.Sprintf("P%d", i), Black: fmt.Sprintf("P%d", i-1), Volts: 3.7,
				LastDigit: digit})
		}
		return rs
	}
	for _, c := range []struct {
		name         string
		again, digit float64
		complete     bool
	}{
		{"the same", 3.7, 0.1, true}, {"one last digit apart", 3.6, 0.1, true},
		{"3.7 and 3.1 by tenths", 3.1, 0.1, false}, {"10 mV apart by millivolts", 3.710, 0.001, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			m, err := layout.Solve(chain(c.again, c.digit), layout.Options{Chemistry: chem.NMC})
			if err != nil {
				t.Fatal(err)
			}
			stop := slices.ContainsFunc(m.Findings, func(f finding.Finding) bool { return f.Code == "loop-open" })
			if m.Complete != c.complete || stop == c.complete {
				t.Errorf("%s: complete %v, %+v", c.name, m.Complete, m.Findings)
			}
		})
	}
}

// A minus that was forgotten on one reading of a chain folds the string back on itself. Such a map is never complete,
// with or without posts that are declared, and the reading that is asked for next brings it to light.
func TestAForgottenMinusIsAskedAbout(t *testing.T) {
	rng := rand.New(rand.NewPCG(61, 20))
	for range 200 {
		series := 3 + rng.IntN(12)
		p := newProbing(rng, series, 0.0005)
		for i := range series + 1 {
			p.add(fmt.Sprintf("n%d", i), i)
		}
		var rs []layout.Reading
		for i := 1; i <= series; i++ {
			rs = append(rs, p.read(p.points[i], p.points[i-1]))
		}
		opt := layout.Options{Chemistry: chem.NMC}
		switch rng.IntN(3) {
		case 0:
			opt.Roles = []layout.Role{{Point: "n0", Role: layout.RolePost},
				{Point: p.points[series], Role: layout.RolePost}}
		case 1:
			opt.Roles = []layout.Role{{Point: "n0", Role: layout.RoleMainNegative},
				{Point: p.points[series], Role: layout.RoleMainPositive}}
		}
		if m := solve(t, opt, rs...); !m.Complete || m.Series != series {
			t.Fatalf("a good chain of %d: %d, complete %v: %v", series, m.Series, m.Complete, codes(m))
		}
		k := rng.IntN(series)
		rs[k].Volts = -rs[k].Volts
		m := solve(t, opt, rs...)
		if m.Complete || m.MayBeOwn() || m.NextReading == nil {
			t.Fatalf("%d groups, reading %d without its sign: complete %v, own %v, next %v: %v", series, k, m.Complete,
				m.MayBeOwn(), m.NextReading, codes(m))
		}
		m = solve(t, opt, append(rs, p.read(m.NextReading.Red, m.NextReading.Black))...)
		if len(m.Suspects) == 0 && m.Complete {
			t.Fatalf("%d groups, reading %d: %v after the reading that was asked for", series, k, codes(m))
		}
	}
}
