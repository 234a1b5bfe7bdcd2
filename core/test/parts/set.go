package parts

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Cell is a loose cell of a set that was tested: together in one string, or one by one under like conditions. One that
// is not Complete gave at least its Ah. RestV is its voltage at rest after it, 0 where it was not read.
type Cell struct {
	Name     string
	Ah       float64
	Complete bool
	RestV    float64
}

// Set is what a set of loose cells comes to, beside each other.
type Set struct {
	EndedBy  []string // those that reached their floor
	Weakest  string
	MedianAh float64 // of the complete ones, 0 for none
	SpreadAh float64 // between the strongest and the weakest of them
	Order    []int   // the cells by what they gave, weakest first; those that only gave at least it by their rest volts
	Findings []finding.Finding
}

// Compare lays the cells of a set beside each other. It fails for fewer than two, and for a name that stands twice.
func Compare(cells []Cell) (Set, error) {
	var s Set
	if len(cells) < 2 {
		return s, fmt.Errorf("%s: expected a set of two and more", numeral.Count(len(cells), "cell"))
	}
	seen := map[string]bool{}
	var whole []float64
	for i, c := range cells {
		if c.Name == "" || seen[c.Name] || !(c.Ah >= 0) || math.IsInf(c.Ah, 0) {
			return s, fmt.Errorf("%q with %g Ah: expected a name of its own, and 0 Ah or more", c.Name, c.Ah)
		}
		seen[c.Name] = true
		s.Order = append(s.Order, i)
		if c.Complete {
			whole = append(whole, c.Ah)
			s.EndedBy = append(s.EndedBy, c.Name)
		}
	}
	slices.SortStableFunc(s.Order, func(a, b int) int {
		x, y := cells[a], cells[b]
		switch {
		// of one string: who ended it comes first
		case x.Complete != y.Complete && math.Abs(x.Ah-y.Ah) <= alikeShare*max(x.Ah, y.Ah):
			if x.Complete {
				return -1
			}
			return 1
		case !x.Complete && !y.Complete && x.RestV > 0 && y.RestV > 0:
			return cmpAh(x.RestV, y.RestV)
		}
		return cmpAh(x.Ah, y.Ah)
	})
	s.Weakest = cells[s.Order[0]].Name
	if n := len(cells) - len(whole); n > 0 && len(whole) > 0 {
		s.say(finding.New(finding.Note, codeSetAtLeast).About(s.Weakest).Reads(float64(n), "cells").Against(0).
			Says("%s ended it; of the other %d the figure is what they gave at least.",
				strings.Join(s.EndedBy, ", "), n).
			Then("Test those by themselves that are to be graded by more."))
	}
	if len(whole) > 1 {
		s.family(cells, whole)
	}
	return s, nil
}

func (s *Set) say(f finding.Finding) {
	s.Findings = append(s.Findings, f.Or("", rule).Rounded(numeral.Round3))
}

// family judges the cells whose whole capacity is known by each other.
func (s *Set) family(cells []Cell, whole []float64) {
	slices.Sort(whole)
	k := len(whole)
	s.MedianAh, s.SpreadAh = (whole[(k-1)/2]+whole[k/2])/2, whole[k-1]-whole[0]
	for _, i := range s.Order {
		if c := cells[i]; c.Complete && k > 2 && c.Ah < weakShare*s.MedianAh {
			s.say(finding.New(finding.Caution, codeWeakCell).About(c.Name).Reads(c.Ah, "Ah").
				Against(weakShare*s.MedianAh).
				Says("%s gave %.1f Ah, the middle one of its set %.1f Ah.", c.Name, c.Ah, s.MedianAh).
				Then("Keep it out of the string: it would end every discharge."))
		}
	}
	if s.SpreadAh > alikeShare*s.MedianAh {
		s.say(finding.New(finding.Note, codeSetSpread).About(s.Weakest).
			Reads(s.SpreadAh, "Ah").Against(alikeShare*s.MedianAh).
			Says("%.1f Ah between the weakest and the strongest.", s.SpreadAh).
			Then("Put like ones in series: the weakest of a string decides."))
	}
}
