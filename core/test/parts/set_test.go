package parts_test

import (
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/test/parts"
)

func TestASetIsComparedWithItself(t *testing.T) {
	whole := func(name string, ah float64) parts.Cell { return parts.Cell{Name: name, Ah: ah, Complete: true} }
	least := func(name string, ah, rest float64) parts.Cell { return parts.Cell{Name: name, Ah: ah, RestV: rest} }
	for name, c := range map[string]struct {
		cells []parts.Cell
		weak  string
		code  string
	}{
		"one by one, alike":    {[]parts.Cell{whole("a", 100), whole("b", 101), whole("c", 100.5)}, "a", ""},
		"one by one, one weak": {[]parts.Cell{whole("a", 100), whole("b", 80), whole("c", 101)}, "b", "weak-cell"},
		"one by one, spread":   {[]parts.Cell{whole("a", 100), whole("b", 94), whole("c", 101)}, "b", "set-spread"},
		"one string": {[]parts.Cell{least("a", 90, 3.2), whole("b", 90), least("c", 90, 3.1)}, "b",
			"set-at-least"},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := parts.Compare(c.cells)
			has := slices.ContainsFunc(s.Findings, func(f finding.Finding) bool {
				return f.Code == c.code && f.Do != ""
			})
			if err != nil || s.Weakest != c.weak || c.code != "" && !has || c.code == "" && len(s.Findings) > 0 {
				t.Errorf("%+v, %v", s, err)
			}
		})
	}
	s, _ := parts.Compare([]parts.Cell{least("a", 90, 3.2), whole("b", 90), least("c", 90, 3.1)})
	if !slices.Equal(s.Order, []int{1, 2, 0}) {
		t.Errorf("order %v: the one that ended it, then by what is left", s.Order)
	}
	for _, bad := range [][]parts.Cell{nil, {whole("a", 1)}, {whole("a", 1), whole("a", 2)}, {whole("", 1),
		whole("b", 2)}} {
		if _, err := parts.Compare(bad); err == nil {
			t.Errorf("%+v is taken for a set", bad)
		}
	}
}
