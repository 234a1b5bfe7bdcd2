// Package pack plans how a whole traction pack is taken apart (rules §18, and the shock hazard).
//
// A pack is modules in series, joined by bridges, with a service disconnect in one place. Lifting a
// bridge cuts a piece in two. The plan finds the fewest bridges after which no piece stands above
// the touch limit, and the order in which the largest remaining piece falls fastest.
package pack

import (
	"fmt"
	"math"
	"pandrel/core/base/limits"
	"strings"

	"pandrel/core/base/finding"
)

const rule = "hazards: shock"

// Pack is modules in series from the main negative upwards. Volts are each module's, as measured or as the label says.
// DisconnectAfter is the number of the module after which the service disconnect sits, 0 where it is not known or at an
// end. Fixed lists bridges (by the module before them) that cannot be lifted: welded or out of reach.
type Pack struct {
	Volts           []float64 `json:"Volts"`
	DisconnectAfter int       `json:"DisconnectAfter"`
	Fixed           []int     `json:"Fixed"`
	WetPlace        bool      `json:"WetPlace"`
}

// Lift is one step: the bridge after module After is lifted; LargestVolts is the highest voltage
// left in one piece afterwards.
type Lift struct {
	After        int
	Disconnect   bool
	LargestVolts float64
	Pieces       []Piece
}

// Piece is a run of modules still joined, from First to Last, counted from 1.
type Piece struct {
	First, Last int
	Volts       float64
}

// Plan is the split. WholeVolts is the pack before anything is lifted.
type Plan struct {
	WholeVolts float64
	LimitVolts float64
	Lifts      []Lift
	Reached    bool // no piece is above the limit at the end
	Findings   []finding.Finding
}

// Split plans the lifts. The service disconnect, where there is one, is always pulled first: it is made for it. It
// fails when there are no modules, a voltage is not usable, or a position is out of range.
func Split(p Pack) (Plan, error) {
	n := len(p.Volts)
	if n == 0 {
		return Plan{}, fmt.Errorf("no modules: expected the voltage of each, from the main negative")
	}
	for i, v := range p.Volts {
		if math.IsNaN(v) || v < 0 || v > 1000 {
			return Plan{}, fmt.Errorf("module %d: %v V: expected 0 to 1000 V", i+1, v)
		}
	}
	if p.DisconnectAfter < 0 || p.DisconnectAfter >= n {
		return Plan{}, fmt.Errorf("disconnect after module %d: expected 1 to %d, or 0 where it is not known",
			p.DisconnectAfter, n-1)
	}
	fixed := map[int]bool{}
	for _, f := range p.Fixed {
		if f < 1 || f >= n {
			return Plan{}, fmt.Errorf("fixed bridge after module %d: expected 1 to %d", f, n-1)
		}
		fixed[f] = true
	}
	out := Plan{LimitVolts: limits.TouchVolts(p.WetPlace)}
	s := splitter{p: p, fixed: fixed, limit: out.LimitVolts, sum: make([]float64, n+1)}
	for i, v := range p.Volts {
		s.sum[i+1] = s.sum[i] + v
	}
	out.WholeVolts = s.sum[n]
	out.Lifts = s.lifts()
	largest := out.WholeVolts
	if k := len(out.Lifts); k > 0 {
		largest = out.Lifts[k-1].LargestVolts
	}
	out.Reached = largest <= out.LimitVolts
	out.judge(largest, s)
	return out, nil
}

type splitter struct {
	p     Pack
	fixed map[int]bool
	limit float64
	sum   []float64 // volts below the top of each module
}

// fewest returns the smallest set of bridges after which every piece is at or below the limit, given that cut ones are
// lifted already: within each piece, lifting as late as possible is optimal. Pieces that cannot be brought down because
// their bridges are fixed, or because one module alone is above the limit, are cut as small as they get.
func (s *splitter) fewest(cut map[int]bool) []int {
	n := len(s.p.Volts)
	var out []int
	start, last := 0, 0 // the piece begins above module start; last liftable bridge inside it
	for i := 1; i <= n; i++ {
		if s.sum[i]-s.sum[start] > s.limit && last > start {
			out = append(out, last)
			start = last
			if s.sum[i]-s.sum[start] > s.limit && i-1 > start && !s.fixed[i-1] {
				out = append(out, i-1)
				start = i - 1
			}
		}
		if cut[i] {
			start, last = i, i
		} else if i < n && !s.fixed[i] {
			last = i
		}
	}
	return out
}

// lifts orders the needed bridges: the disconnect first, then at each step the one that leaves the
// smallest largest piece; of equals the one nearest the middle of the piece it cuts.
func (s *splitter) lifts() []Lift {
	cut := map[int]bool{}
	var out []Lift
	add := func(k int, disconnect bool) {
		cut[k] = true
		ps := s.pieces(cut)
		out = append(out, Lift{k, disconnect, largest(ps), ps})
	}
	if k := s.p.DisconnectAfter; k > 0 {
		add(k, true)
	}
	if s.sum[len(s.sum)-1] <= s.limit {
		return out
	}
	for {
		need := s.fewest(cut)
		if len(need) == 0 {
			return out
		}
		// Any bridge that keeps the count at its minimum may come next.
		best, bestLargest, bestOff := -1, math.Inf(1), math.Inf(1)
		for k := 1; k < len(s.p.Volts); k++ {
			if cut[k] || s.fixed[k] {
				continue
			}
			cut[k] = true
			fits := len(s.fewest(cut)) == len(need)-1
			ps := s.pieces(cut)
			delete(cut, k)
			if !fits {
				continue
			}
			big := largest(ps)
			off := s.imbalance(ps, k)
			if big < bestLargest-1e-9 || big < bestLargest+1e-9 && off < bestOff-1e-9 {
				best, bestLargest, bestOff = k, big, off
			}
		}
		if best < 0 {
			best = need[0]
		}
		add(best, false)
	}
}

func (s *splitter) pieces(cut map[int]bool) []Piece {
	var out []Piece
	start := 0
	for i := 1; i <= len(s.p.Volts); i++ {
		if i == len(s.p.Volts) || cut[i] {
			out = append(out, Piece{start + 1, i, s.sum[i] - s.sum[start]})
			start = i
		}
	}
	return out
}

// imbalance is how unlike the two pieces on both sides of bridge k are, in volts.
func (s *splitter) imbalance(ps []Piece, k int) float64 {
	for i := range ps[:len(ps)-1] {
		if ps[i].Last == k {
			return math.Abs(ps[i].Volts - ps[i+1].Volts)
		}
	}
	return math.Inf(1)
}

func largest(ps []Piece) float64 {
	m := 0.0
	for _, p := range ps {
		m = max(m, p.Volts)
	}
	return m
}

func (o *Plan) judge(left float64, s splitter) {
	add := func(l finding.Level, code string, measured float64, text, do string) {
		o.Findings = append(o.Findings, finding.New(l, code).About("pack").
			Reads(math.Round(measured*100)/100, "V").Against(o.LimitVolts).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	if o.WholeVolts > o.LimitVolts {
		add(finding.Stop, codeShock, o.WholeVolts, fmt.Sprintf("The pack stands at %.1f V DC: a shock can kill.",
			o.WholeVolts), "Work for a licensed person: isolation of both ends checked before and after, a second "+
			"person present, protective equipment on, and local codes first.")
	}
	if o.WholeVolts > o.LimitVolts && s.p.DisconnectAfter == 0 {
		add(finding.Caution, codeNoDisconnect, o.WholeVolts, "It is not known where the service disconnect sits, so "+
			"the first lift is made with the whole pack behind it.", "Find it: most often at the middle bridge or "+
			"at one end. Pull it, and wait until the readings are down, before any bridge.")
	}
	if !o.Reached {
		var parts []string
		last := s.pieces(map[int]bool{})
		if k := len(o.Lifts); k > 0 {
			last = o.Lifts[k-1].Pieces
		}
		for _, p := range last {
			if p.Volts > o.LimitVolts {
				parts = append(parts, fmt.Sprintf("modules %d to %d with %.1f V", p.First, p.Last, p.Volts))
			}
		}
		add(finding.Stop, codePieceAboveLimit, left, "A piece stays above the limit: "+strings.Join(parts, ", ")+".",
			"Treat every step near it as high-voltage work to the end.")
	}
}
