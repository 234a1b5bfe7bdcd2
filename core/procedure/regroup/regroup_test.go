package regroup_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/regroup"
)

// ways are all that a module of so many groups could become, everything bolted.
func ways(t testing.TB, series, elements int) (out []variant.Variant) {
	t.Helper()
	in := variant.Inside{Series: series, Elements: elements, Across: variant.Bolted, GroupAh: 100, Chemistry: "lfp",
		Taps: make([][]string, series+1)}
	for range series - 1 {
		in.Joints = append(in.Joints, variant.Bolted)
	}
	all, err := variant.Variants(in)
	if err != nil {
		t.Fatal(err)
	}
	for _, v := range all {
		if v.Possible && v.Kind != variant.AsDelivered {
			out = append(out, v)
		}
	}
	return out
}

func volts(n int, rng *rand.Rand) (out []float64) {
	for range n {
		out = append(out, 3.3+0.02*rng.Float64())
	}
	return out
}

// Whatever comes of a module: each link is read closed before it is taken off and its gap after, each part is read and
// its case measured, every step holds up the next, and no volt is lost or made by it.
func TestEveryWayIsReadBeforeAndAfter(t *testing.T) {
	rng := rand.New(rand.NewPCG(26, 8))
	n := 0
	for series := 1; series <= 8; series++ {
		for elements := 1; elements <= 4; elements++ {
			for _, v := range ways(t, series, elements) {
				n++
				m := regroup.Module{Number: "K-201", Volts: volts(series, rng)}
				steps, err := regroup.Steps(v, m)
				if err != nil {
					t.Fatalf("%dS%d, %s: %v", series, elements, v.Title, err)
				}
				held(t, fmt.Sprintf("%dS%d, %s", series, elements, v.Title), steps, v)
				inParts(t, v, m)
			}
		}
	}
	if n < 60 {
		t.Errorf("%d ways: expected all of 32 types", n)
	}
}

func held(t *testing.T, name string, steps []gates.Step, v variant.Variant) {
	t.Helper()
	seen := map[string]bool{}
	parts := 0
	for i, s := range steps {
		if seen[s.Key] || !s.Gate || s.Rule == "" || s.Title == "" {
			t.Errorf("%s: step %d %q is there twice, holds nothing up, or says nothing", name, i+1, s.Key)
		}
		seen[s.Key] = true
		if k, ok := strings.CutPrefix(s.Key, "off "); ok && (i == 0 || steps[i-1].Key != "closed "+k || !s.Must) {
			t.Errorf("%s: the link %s is taken off without a reading of it closed", name, k)
		}
		if strings.HasPrefix(s.Key, "part ") {
			parts++
		}
	}
	for _, first := range []string{"prepare", "total", "isolation", "thickness"} {
		if !seen[first] {
			t.Errorf("%s: nothing is loosened before %q", name, first)
		}
	}
	if parts != v.Pieces || !seen[fmt.Sprintf("isolation %d", v.Pieces)] {
		t.Errorf("%s: %d parts are read: expected %d, each with its case", name, parts, v.Pieces)
	}
}

func inParts(t *testing.T, v variant.Variant, m regroup.Module) {
	t.Helper()
	parts := regroup.Parts(v, m)
	sum, old := 0.0, 0.0
	groups := 0
	for _, p := range parts {
		sum += p.Volts
		groups += len(p.Groups)
	}
	for _, x := range m.Volts {
		old += x
	}
	// The same cells: volts grow as groups are opened, and shrink as they are joined.
	want := old * float64(v.Series*v.Pieces) / float64(len(m.Volts))
	if groups != len(m.Volts) || len(parts) != v.Pieces || math.Abs(sum-want) > 1e-9 {
		t.Errorf("%s: %d parts of %d groups, %.4f V in all: expected %d, %d, %.4f V", v.Title, len(parts), groups, sum,
			v.Pieces, len(m.Volts), want)
	}
}

// The link that leaves least in one part comes off first.
func TestTheMiddleIsOpenedFirst(t *testing.T) {
	var four variant.Variant
	for _, v := range ways(t, 8, 1) {
		if v.Kind == variant.Cut && v.Pieces == 4 {
			four = v
		}
	}
	steps, err := regroup.Steps(four, regroup.Module{Number: "K-1", Volts: []float64{3, 3, 3, 3, 3, 3, 3, 3}})
	if err != nil {
		t.Fatal(err)
	}
	var order []string
	for _, s := range steps {
		if k, ok := strings.CutPrefix(s.Key, "off "); ok {
			order = append(order, k)
		}
	}
	if strings.Join(order, " ") != "4 2 6" {
		t.Errorf("links come off in the order %v: expected the middle one first", order)
	}
}

func TestWhatCannotBeWorkedIsRefused(t *testing.T) {
	cut := ways(t, 4, 1)
	for name, x := range map[string]struct {
		v variant.Variant
		m regroup.Module
	}{
		"as delivered": {variant.Variant{Kind: variant.AsDelivered, Possible: true},
			regroup.Module{Volts: []float64{3}}},
		"welded":           {variant.Variant{Kind: variant.Cut, Title: "Cut", Pieces: 2, Series: 2}, regroup.Module{}},
		"never read":       {cut[0], regroup.Module{Number: "K-1"}},
		"a group not read": {cut[0], regroup.Module{Number: "K-1", Volts: []float64{3.3, 0, 3.3, 3.3}}},
		"another count":    {cut[len(cut)-1], regroup.Module{Number: "K-1", Volts: []float64{3.3, 3.3, 3.3}}},
	} {
		if _, err := regroup.Steps(x.v, x.m); err == nil {
			t.Errorf("%s: expected an error", name)
		}
	}
}

// A reading that does not pass says what it looks like.
func TestWhatAReadingLooksLike(t *testing.T) {
	m := regroup.Module{Number: "K-1", Volts: []float64{3.30, 3.31, 3.32, 3.33}}
	var v variant.Variant
	var down variant.Variant
	for _, x := range ways(t, 4, 1) {
		if x.Kind == variant.Cut && x.Pieces == 2 {
			v = x
		}
		if x.Kind == variant.LinksMoved && x.Series == 2 {
			down = x
		}
	}
	step := func(v variant.Variant, key string) gates.Step {
		steps, err := regroup.Steps(v, m)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range steps {
			if s.Key == key {
				return s
			}
		}
		t.Fatalf("no step %q", key)
		return gates.Step{}
	}
	looks := func(v variant.Variant, key string, volts float64) []finding.Finding {
		return regroup.LooksLike(m, step(v, key), volts)
	}
	findingtest.Holds(t, looks(v, "closed 2", 0.012), "link-carries-current", finding.Stop, 0.012, 0.005, "V")
	findingtest.Holds(t, looks(v, "off 2", -6.61), "gap-still-joined", finding.Stop, -6.61, 0.1, "V")
	findingtest.Holds(t, looks(v, "off 2", 0.7), "gap-still-joined", finding.Stop, 0.7, 0.1, "V")
	findingtest.Holds(t, looks(v, "part 1", 0.003), "probes-touch-nothing", finding.Note, 0.003, 6.56, "V")
	findingtest.Holds(t, looks(v, "part 2", 6.40), "not-as-surveyed", finding.Note, 6.40, 6.6, "V")
	findingtest.Holds(t, looks(down, "plus 2", 0.2), "parts-not-level", finding.Stop, 0.2, 0.05, "V")
	findingtest.Lacks(t, looks(v, "closed 2", 0.004), "link-carries-current")
	findingtest.Lacks(t, looks(v, "off 2", 0.05), "gap-still-joined")
}

func ExampleSteps() {
	v := variant.Variant{Kind: variant.Cut, Title: "Cut into 2, 2 in series each", Possible: true, Pieces: 2, Series: 2,
		Elements: 1}
	steps, err := regroup.Steps(v, regroup.Module{Number: "K-201", Volts: []float64{3.301, 3.299, 3.302, 3.298}})
	if err != nil {
		fmt.Println(err)
	}
	for _, s := range steps[:6] {
		fmt.Println(s.Title)
	}
	for _, p := range regroup.Parts(v, regroup.Module{Number: "K-201", Volts: []float64{3.301, 3.299, 3.302, 3.298}}) {
		fmt.Printf("%s: groups %d, %.3f V\n", p.Number, p.Groups, p.Volts)
	}
	// Output:
	// The bench
	// Read it end to end
	// Its case, before
	// Thickness under the end plates, before
	// The link between groups 2 and 3, still closed
	// Take off the link between groups 2 and 3
	// K-201-1: groups [1 2], 6.600 V
	// K-201-2: groups [3 4], 6.600 V
}
