package whole_test

import (
	"slices"
	"testing"

	"pandrel/core/bank/whole"
)

// Groups are no readings of points, whatever somebody ticked; a dead group among points is one all the same.
func TestWhatMayClimb(t *testing.T) {
	if whole.MayClimb([]float64{3.70, 3.71, 3.69}) || !whole.MayClimb([]float64{3.70, 7.40, 7.40, 11.1}) {
		t.Error("groups for points, or points with a dead group for groups")
	}
	if groups, _ := whole.Differences([]float64{3.7, 7.4, 7.4, 11.1}, nil); groups[2] != 0 {
		t.Errorf("a dead third group: %v", groups)
	}
}

// Readings against the main negative are known as such and give the groups by difference; a point that was not read
// leaves the two groups beside it open. Volts of groups are no climb, whatever their spread.
func TestReadingsAgainstTheMainNegative(t *testing.T) {
	for _, c := range []struct {
		name   string
		volts  []float64
		unread []int
		climbs bool
		groups []float64
		left   []int
	}{
		{"six points", []float64{3.70, 7.41, 11.10, 14.80, 18.52, 22.20}, nil, true,
			[]float64{3.70, 3.71, 3.69, 3.70, 3.72, 3.68}, nil},
		{"with the main negative first", []float64{0, 3.70, 7.41, 11.10}, nil, true, []float64{3.70, 3.71, 3.69}, nil},
		{"one point not read", []float64{3.70, 7.41, 11.10, 18.52, 22.20}, []int{4}, true, []float64{3.70, 3.71, 3.69,
			3.68}, []int{4, 5}},
		{"the first not read", []float64{6.60, 9.90, 13.20}, []int{1}, true, []float64{3.3, 3.3}, []int{1, 2}},
		{"the last not read", []float64{3.3, 6.6, 9.9}, []int{4}, true, []float64{3.3, 3.3, 3.3}, []int{4}},
		{"groups", []float64{3.70, 3.71, 3.69, 3.70}, nil, false, nil, nil},
		{"groups, one far above", []float64{3.30, 3.31, 3.32, 3.65}, nil, false, nil, nil},
		{"two points", []float64{3.7, 7.4}, nil, false, nil, nil},
		{"a reversed one between", []float64{3.7, 7.4, 3.7, 7.4}, nil, false, nil, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := whole.Climbs(c.volts, c.unread); got != c.climbs {
				t.Fatalf("climbs: %v", got)
			}
			if !c.climbs {
				return
			}
			groups, left := whole.Differences(c.volts, c.unread)
			if !slices.Equal(groups, c.groups) || !slices.Equal(left, c.left) {
				t.Errorf("%v, %v not read; expected %v, %v", groups, left, c.groups, c.left)
			}
		})
	}
}
