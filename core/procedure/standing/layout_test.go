package standing_test

import (
	"math"
	"slices"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/procedure/standing"
)

// What stands between the ends of a string adds up to the whole; what nobody read stands nowhere.
func TestLayoutAddsUp(t *testing.T) {
	groups := []float64{3.3, 3.31, 3.32, 3.33, 3.34, 3.35, 3.36, 3.37}
	for _, c := range []struct {
		name    string
		bank    standing.Bank
		cells   standing.Cells
		total   float64
		volts   []float64
		posts   []float64
		joints  int
		shared  bool
		partsAt int
	}{
		{"five strings of two, not counted", standing.Bank{Strings: 5}, standing.Cells{InString: 2}, 53.2, nil,
			[]float64{0, 26.6, 53.2}, 10, true, 0},
		{"nothing read", standing.Bank{Strings: 2}, standing.Cells{Series: 8, Chemistry: chem.LFP}, 0, nil, nil, 2,
			false, 0},
		{"one string, its groups read", standing.Bank{Strings: 1}, standing.Cells{Series: 8, InString: 2}, 26.68,
			groups,
			[]float64{0, 13.26, 26.68}, 1, false, 0},
		{"a bar parts it", standing.Bank{Strings: 1, PartsAfter: 48}, standing.Cells{Series: 96}, 349.6, nil,
			[]float64{0, 174.8, 349.6}, 1, true, 1},
		{"a bar not in the middle", standing.Bank{Strings: 1, PartsAfter: 24}, standing.Cells{Series: 40}, 160, nil,
			[]float64{0, 96, 160}, 1, true, 1},
		{"one box", standing.Bank{Strings: 1}, standing.Cells{Series: 14}, 51.8, nil, []float64{0, 51.8}, 0, false, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			l := standing.LayoutOf(c.bank, c.cells, c.total, c.volts)
			near := func(a, b float64) bool { return math.Abs(a-b) < 1e-9 }
			if !slices.EqualFunc(l.Posts, c.posts, near) || len(l.Joints) != c.joints || l.Shared != c.shared ||
				l.PartAfter != c.partsAt {
				t.Errorf("posts %v, %d joints, shared %v, parted %d", l.Posts, len(l.Joints), l.Shared, l.PartAfter)
			}
			for i, j := range l.Joints {
				if len(l.Posts) > 0 && j.Reach > l.Posts[len(l.Posts)-1]+1e-9 {
					t.Errorf("%s leaves %v V within reach, more than the whole", j.Name, j.Reach)
				}
				if i > 0 && j.Reach < l.Joints[i-1].Reach-1e-9 && j.Reach == 0 && len(l.Posts) > 0 {
					t.Errorf("%s: nothing within reach", j.Name)
				}
			}
		})
	}
	if f, _ := (standing.Cells{Series: 4, InString: 5}).Check(); f != "in_string" {
		t.Errorf("five parts of four groups: %q", f)
	}
}
