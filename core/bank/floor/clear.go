package floor

import (
	"cmp"
	"math"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// What two bare posts must have between them before a tool that falls bridges them, and the volts from which that
// matters (policy).
const (
	clearMM    = 25.0
	clearVolts = 1.0
)

// clear finds posts that stand so near each other, with volts between, that a tool that falls would bridge them. What
// is joined is at one potential; places that rest on a guess judge nothing.
func (s *State) clear(x *netlist.Indexed, units Units) {
	type post struct {
		Spot
		volts float64
		part  int // what it hangs together with: nothing flows between two parts
	}
	l := x.WithCells()
	x.JoinTies(l, (*netlist.Tie).Live)
	var all []post
	for _, p := range s.Drawing.Pieces {
		if _, assumed := s.Drawing.CaseOf(p, units); assumed {
			continue
		}
		for _, at := range s.Drawing.Spots(p, units) {
			v, ok := s.Volts[at.Name]
			if k := x.Reach(s.Drawing.Point(at.Name)); ok && k >= 0 && !at.Pin {
				root, _, _ := l.Find(k)
				all = append(all, post{at, v, root})
			}
		}
	}
	slices.SortFunc(all, func(a, b post) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Name, b.Name)) })
	for i, a := range all {
		for _, b := range all[i+1:] {
			if b.X-a.X >= clearMM {
				break
			}
			gap, volts := math.Hypot(a.X-b.X, a.Y-b.Y), math.Abs(a.volts-b.volts)
			if gap >= clearMM || volts < clearVolts || a.Layer != b.Layer || a.Piece == b.Piece ||
				a.part != b.part || s.onOne(a.Piece, b.Piece, units) {
				continue
			}
			s.Findings = append(s.Findings, finding.New(finding.Caution, codeClose).About(a.Piece).
				Reads(math.Round(gap), "mm").From(known.Typed).Against(clearMM).By(rule).
				Says("%s and %s stand %.0f mm apart with %.1f V between: a tool that falls bridges them.", a.Name,
					b.Name, gap, volts).
				Then("Leave more room, turn one of them, or keep a cover on one while the other is bare."))
		}
	}
}

// onOne reports whether two pieces take one place: that is said by itself.
func (s *State) onOne(a, b string, units Units) bool {
	return s.Drawing.BoxOf(*s.Drawing.Piece(a), units).Overlaps(s.Drawing.BoxOf(*s.Drawing.Piece(b), units))
}
