package declare_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/declare"
	"pandrel/core/module/layout"
)

func pins(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprintf("X%d", i+1))
	}
	return out
}

func ExampleLayout() {
	m, _ := declare.Layout(declare.Declared{Series: 4, Chemistry: chem.LFP, Posts: []string{"A-", "M", "A+"}})
	for _, n := range m.Nodes {
		fmt.Println(n.Points, n.Volts)
	}
	// Output:
	// [A-] 0
	// [M] 6.4
	// [A+] 12.8
}

func TestPatterns(t *testing.T) {
	for _, c := range []struct {
		name    string
		d       declare.Declared
		nodes   int
		missing int
		refused string
	}{
		{"a single cell", declare.Declared{Series: 1}, 2, 0, ""},
		{"two posts, nothing between", declare.Declared{Series: 7, Posts: []string{"A-", "A+"}}, 2, 1, ""},
		{"three posts on two", declare.Declared{Series: 2, Posts: []string{"A-", "M", "A+"}}, 3, 0, ""},
		{"three posts on four", declare.Declared{Series: 4, Posts: []string{"A-", "M", "A+"}}, 3, 2, ""},
		{"three posts on seven", declare.Declared{Series: 7, Posts: []string{"A-", "M", "A+"}}, 0, 0, "map it"},
		{"a post at every joint", declare.Declared{Series: 3, Posts: []string{"A-", "T1", "T2", "A+"}}, 4, 0, ""},
		{"every tap on a connector", declare.Declared{Series: 7, Pins: pins(8)}, 8, 0, ""},
		{"those between", declare.Declared{Series: 7, Pins: pins(6)}, 8, 0, ""},
		{"two connectors, each with its half", declare.Declared{Series: 20, Pins: pins(22)}, 21, 0, ""},
		{"both ends doubled", declare.Declared{Series: 7, Pins: pins(10)}, 8, 0, ""},
		{"a pin too few", declare.Declared{Series: 7, Pins: pins(7)}, 0, 0, "connector points"},
		{"two posts on one potential", declare.Declared{Series: 2, Posts: []string{"A-", "M", "A+=B+"}}, 3, 0, ""},
		{"plus first", declare.Declared{Series: 2, Posts: []string{"A+", "A-"}}, 0, 0, "main negative first"},
		{"a name twice", declare.Declared{Series: 2, Posts: []string{"A-", "A-"}}, 0, 0, "each point once"},
		{"no groups", declare.Declared{}, 0, 0, "expected 1 to 400"},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.d.Chemistry = chem.NMC
			m, err := declare.Layout(c.d)
			if c.refused != "" {
				if err == nil || !strings.Contains(err.Error(), c.refused) {
					t.Errorf("%v, expected %q", err, c.refused)
				}
				return
			}
			if err != nil || len(m.Nodes) != c.nodes || len(m.MissingTaps) != c.missing || len(m.Groups) != c.d.Series {
				t.Fatalf("%v: %d nodes, %d missing, %d groups", err, len(m.Nodes), len(m.MissingTaps), len(m.Groups))
			}
			if below := m.GroupsBelow(); below[0] != 0 || below[len(below)-1] != c.d.Series {
				t.Errorf("groups below: %v", below)
			}
		})
	}
}

// What is declared and what a mapping of the same module finds is one layout.
func TestDeclaredAndMappedAgree(t *testing.T) {
	d := declare.Declared{Series: 7, Chemistry: chem.NMC, Posts: []string{"A-", "A+"}, Pins: pins(8)}
	said, err := declare.Layout(d)
	if err != nil {
		t.Fatal(err)
	}
	rs := []layout.Reading{{Red: "X1", Black: "A-"}, {Red: "A+", Black: "X8"}}
	for i := 1; i < 8; i++ {
		rs = append(rs, layout.Reading{Red: fmt.Sprintf("X%d", i+1), Black: fmt.Sprintf("X%d", i), Volts: 3.7})
	}
	rs = append(rs, layout.Reading{Red: "A+", Black: "A-", Volts: 7 * 3.7})
	mapped, err := layout.Solve(rs, layout.Options{Chemistry: chem.NMC})
	if err != nil || !slices.Equal(said.GroupsBelow(), mapped.GroupsBelow()) || said.Series != mapped.Series {
		t.Fatalf("%v: %v and %v", err, said.GroupsBelow(), mapped.GroupsBelow())
	}
	for k := range said.Nodes {
		a, b := slices.Clone(said.Nodes[k].Points), slices.Clone(mapped.Nodes[k].Points)
		slices.Sort(a)
		slices.Sort(b)
		if !slices.Equal(a, b) {
			t.Errorf("node %d: %v and %v", k, a, b)
		}
	}
}

func TestConfirm(t *testing.T) {
	of := func(v float64) *float64 { return &v }
	three, err := declare.Layout(declare.Declared{Series: 2, Chemistry: chem.LMO, Posts: []string{"A-", "M", "A+"}})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name          string
		total, middle *float64
		worst         finding.Level
		code          string
	}{
		{"nothing read", nil, nil, 0, ""},
		{"as said", of(7.6), of(3.8), finding.Note, "confirmed"},
		{"one group more", of(11.6), nil, finding.Stop, "declared-not-so"},
		{"only one", of(3.8), nil, finding.Stop, "declared-not-so"},
		{"the middle is an end", of(7.6), of(7.6), finding.Stop, "declared-not-so"},
		{"turned round", of(-7.6), nil, finding.Stop, "declared-reversed"},
	} {
		t.Run(c.name, func(t *testing.T) {
			fs := declare.Confirm(three, c.total, c.middle)
			if c.code == "" {
				if len(fs) > 0 {
					t.Errorf("%+v of nothing", fs)
				}
				return
			}
			if finding.Worst(fs) != c.worst || !slices.ContainsFunc(fs, func(f finding.Finding) bool {
				return f.Code == c.code
			}) {
				t.Errorf("%+v, expected %s", fs, c.code)
			}
		})
	}
}

// Without a chemistry the volts are judged over all of them: one that stands there is named, an impossible reading and
// one turned round stop as ever.
func TestConfirmWithoutAChemistry(t *testing.T) {
	three, err := declare.Layout(declare.Declared{Series: 3})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name, code string
		volts      float64
		says, not  string
	}{
		{"nearly full", "confirmed", 12.5, "12.500 V, 4.167 V for each of 3 groups: NMC or LMO blend or NCA", "LFP"},
		{"where three stand", "confirmed", 10.0, "LFP or NMC", "LTO"},
		{"the lowest of all", "confirmed", 5.0, "LTO", "NMC"},
		{"two groups more", "declared-not-so", 20.8, "any chemistry", "by its volts"},
		{"a slipped point", "declared-not-so", 1.25, "any chemistry", "by its volts"},
		{"turned round", "declared-reversed", -12.5, "the wrong way round", "by its volts"},
	} {
		t.Run(c.name, func(t *testing.T) {
			fs := declare.Confirm(three, &c.volts, nil)
			if len(fs) != 1 || fs[0].Code != c.code || (fs[0].Level >= finding.Stop) == (c.code == "confirmed") ||
				!strings.Contains(fs[0].Text, c.says) || strings.Contains(fs[0].Text, c.not) {
				t.Errorf("%+v", fs)
			}
		})
	}
}

func FuzzLayout(f *testing.F) {
	f.Add(2, "A- M A+", "")
	f.Add(7, "A- A+", "X1 X2 X3 X4 X5 X6 X7 X8")
	f.Fuzz(func(t *testing.T, series int, posts, pins string) {
		m, err := declare.Layout(declare.Declared{Series: series, Posts: strings.Fields(posts),
			Pins: strings.Fields(pins)})
		if err == nil && (len(m.Groups) != series || len(m.Nodes) < 2) {
			t.Errorf("%d groups, %d nodes of %d", len(m.Groups), len(m.Nodes), series)
		}
	})
}
