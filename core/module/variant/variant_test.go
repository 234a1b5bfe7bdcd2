package variant_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/variant"
)

func inside(series, elements int, joints, across string) variant.Inside {
	in := variant.Inside{Series: series, Elements: elements, Across: across, GroupAh: 96, Chemistry: chem.LMO}
	for i := 0; i <= series; i++ {
		in.Taps = append(in.Taps, []string{fmt.Sprintf("T%d", i)})
		if i > 0 && i < series {
			in.Joints = append(in.Joints, joints)
		}
	}
	return in
}

func find(t *testing.T, vs []variant.Variant, kind string, series int) variant.Variant {
	t.Helper()
	for _, v := range vs {
		if v.Kind == kind && v.Series == series {
			return v
		}
	}
	t.Fatalf("no variant '%s' with %d in series", kind, series)
	return variant.Variant{}
}

// Moving links and cutting lose no cell: S·P of all pieces and the nominal energy stay.
func TestNothingIsLost(t *testing.T) {
	for _, c := range [][2]int{{2, 2}, {4, 1}, {12, 3}, {1, 4}, {7, 2}, {6, 6}} {
		in := inside(c[0], c[1], variant.Bolted, variant.Bolted)
		vs, err := variant.Variants(in)
		if err != nil {
			t.Fatal(err)
		}
		whole := vs[0]
		seen := map[string]bool{}
		for _, v := range vs {
			if v.Pieces*v.Series*v.Elements != c[0]*c[1] || math.Abs(v.EnergyWh-whole.EnergyWh) > 1e-6 {
				t.Errorf("%v, %s: %d × %dS%dP, %.1f Wh of %.1f", c, v.Title, v.Pieces, v.Series, v.Elements,
					v.EnergyWh, whole.EnergyWh)
			}
			if v.Possible && len(v.Nodes) != v.Series+1 {
				t.Errorf("%v, %s: %d nodes for %d groups", c, v.Title, len(v.Nodes), v.Series)
			}
			if v.Possible && (!v.Nodes[0].Post || !v.Nodes[v.Series].Post) {
				t.Errorf("%v, %s: an end without a post", c, v.Title)
			}
			if seen[v.Title] {
				t.Errorf("%v: %s twice", c, v.Title)
			}
			seen[v.Title] = true
		}
	}
}

// The usual example: two in parallel, two in series, made into four in series.
func TestTwoByTwoIntoFour(t *testing.T) {
	vs, _ := variant.Variants(inside(2, 2, variant.Bolted, variant.Bolted))
	v := find(t, vs, variant.LinksMoved, 4)
	if !v.Possible || v.GroupAh != 48 || v.LowVolts != 4*3.75 {
		t.Errorf("%+v", v)
	}
	var new int
	for _, n := range v.Nodes {
		if n.New {
			new++
		}
	}
	if new != 2 || !slices.Equal(v.Nodes[2].Points, []string{"T1"}) {
		t.Errorf("new taps %d, the old middle at %v", new, v.Nodes)
	}
}

func TestWeldedIsNotPossible(t *testing.T) {
	for _, c := range []struct {
		name           string
		joints, across string
		kind           string
		series         int
		possible       bool
	}{
		{"across welded, into more groups", variant.Bolted, variant.Welded, variant.LinksMoved, 12, false},
		{"across bolted, joints welded: they hold the elements together", variant.Welded, variant.Bolted,
			variant.LinksMoved, 12, false},
		{"all bolted, into more groups", variant.Bolted, variant.Bolted, variant.LinksMoved, 12, true},
		{"joints welded, fewer groups", variant.Welded, variant.Bolted, variant.LinksMoved, 3, false},
		{"joints not looked at, cut", variant.Unknown, variant.Welded, variant.Cut, 3, false},
		{"joints bolted, across welded, cut", variant.Bolted, variant.Welded, variant.Cut, 3, true},
		{"joints welded, cut", variant.Welded, variant.Bolted, variant.Cut, 2, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			vs, err := variant.Variants(inside(6, 2, c.joints, c.across))
			if err != nil {
				t.Fatal(err)
			}
			v := find(t, vs, c.kind, c.series)
			if v.Possible != c.possible {
				t.Errorf("%s: possible %v", c.name, v.Possible)
			}
			if !v.Possible && (len(v.Findings) == 0 || len(v.Do) > 0) {
				t.Errorf("%s: no reason, or steps for what cannot be done: %+v", c.name, v)
			}
			if !v.Possible && !slices.ContainsFunc(v.Findings, func(f finding.Finding) bool {
				return f.Code == "welded" || f.Code == "not-known"
			}) {
				t.Errorf("%s: refused for another reason: %+v", c.name, v.Findings)
			}
		})
	}
	// Only the joint at the cut needs to be bolted.
	in := inside(6, 1, variant.Welded, variant.Unknown)
	in.Joints[2] = variant.Bolted
	vs, _ := variant.Variants(in)
	if !find(t, vs, variant.Cut, 3).Possible || find(t, vs, variant.Cut, 2).Possible {
		t.Error("a welded joint away from the cut, or at it")
	}
}

func TestContradictions(t *testing.T) {
	good := inside(4, 1, variant.Bolted, variant.Unknown)
	for _, spoil := range []func(in *variant.Inside){
		func(in *variant.Inside) { in.Series = 0 },
		func(in *variant.Inside) { in.Joints = in.Joints[:1] },
		func(in *variant.Inside) { in.Taps = nil },
		func(in *variant.Inside) { in.Across = "glued" },
		func(in *variant.Inside) { in.Elements = -1 },
	} {
		in := good
		spoil(&in)
		if _, err := variant.Variants(in); err == nil {
			t.Errorf("%+v", in)
		}
	}
}

func ExampleVariants() {
	vs, _ := variant.Variants(inside(2, 2, variant.Bolted, variant.Bolted))
	for _, v := range vs {
		fmt.Printf("%s: %d × %dS%dP, %.0f Ah\n", v.Kind, v.Pieces, v.Series, v.Elements, v.GroupAh)
	}
	// Output:
	// as delivered: 1 × 2S2P, 96 Ah
	// links moved: 1 × 1S4P, 192 Ah
	// links moved: 1 × 4S1P, 48 Ah
	// cut: 2 × 1S2P, 96 Ah
}
