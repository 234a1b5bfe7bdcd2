// Package match puts modules into the positions of a bank so that the weakest position is as
// strong as possible (rules §8).
//
// Parallel first is a partition problem with a fixed number of modules in each position: a greedy start, exchanges
// between the weakest position and the others or the spares, and restarts from a shaken solution. An upper bound tells
// how far from the best it can be. Strings first has an exact answer: sort, and cut into runs.
package match

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Style is how a bank's modules are joined.
type Style string

// The two styles.
const (
	ParallelFirst Style = "parallel-first"
	StringsFirst  Style = "strings-first"
)

// Module is a candidate. ResistanceMOhm is 0 where unknown. Pin is a position number from 1, 0 for
// none; Ban lists positions it may not take.
type Module struct {
	Name           string
	CapacityAh     float64
	ResistanceMOhm float64
	Type           string
	Pin            int
	Ban            []int
}

// Problem is what is to be matched. Order of Modules is 'as numbered'. Seed makes restarts
// repeatable; Restarts 0 takes a default that suits the size.
type Problem struct {
	Modules  []Module
	Series   int
	Parallel int
	Style    Style
	Seed     uint64
	Restarts int
}

// Result lists positions (parallel first) or strings (strings first) by module name. Capacities
// are in Ah of the whole bank.
type Result struct {
	Style        Style             `json:"style"`
	Positions    [][]string        `json:"positions,omitempty"`
	Strings      [][]string        `json:"strings,omitempty"`
	CapacityAh   float64           `json:"capacity_ah"`
	PartsAh      []float64         `json:"parts_ah"`
	BoundAh      float64           `json:"bound_ah"`
	ProvedBest   bool              `json:"proved_best"`
	AsNumberedAh float64           `json:"as_numbered_ah"`
	LeftOver     []string          `json:"left_over"`
	Findings     []finding.Finding `json:"findings"`
}

// Gap is how far the capacity may be below the best, as a fraction of the bound.
func (r Result) Gap() float64 {
	if r.BoundAh <= 0 {
		return 0
	}
	return max(0, (r.BoundAh-r.CapacityAh)/r.BoundAh)
}

// GainAh is what matching gives over the order as numbered.
func (r Result) GainAh() float64 { return r.CapacityAh - r.AsNumberedAh }

const (
	provedWithin  = 1e-9 // relative
	unevenShare   = 1.3  // a mate carrying this many times its fair share is a caution
	resistanceTie = 1e-3 // of a position's Ah: capacity given up in spread to even out resistance
)

// Solve matches p. It fails, naming the module or number, when the problem cannot be read: too few
// modules, no capacity, a name twice, pins and bans that cannot all be met. Whether the result is proved the best
// is in ProvedBest, how far it can be from it in Gap: the search for parallel first ends after a fixed number of
// restarts, each O(modules² · rounds of exchanges); strings first is exact in O(n log n).
func Solve(p Problem) (Result, error) {
	if err := check(p); err != nil {
		return Result{}, err
	}
	if p.Style == StringsFirst {
		return solveStrings(p)
	}
	return solvePositions(p)
}

// check says what in a problem cannot be.
func check(p Problem) error {
	if p.Series < 1 || p.Parallel < 1 || p.Series > 1000 || p.Parallel > 1000 {
		return fmt.Errorf("%d in series, %d in parallel: expected numbers from 1 to 1000", p.Series, p.Parallel)
	}
	if p.Style != ParallelFirst && p.Style != StringsFirst {
		return fmt.Errorf("style %q: expected parallel-first or strings-first", p.Style)
	}
	if n := p.Series * p.Parallel; len(p.Modules) < n {
		return fmt.Errorf("%s for %d places: expected at least %d", numeral.Count(len(p.Modules), "module"), n, n)
	}
	seen := map[string]bool{}
	pins := map[int]int{}
	for i, m := range p.Modules {
		switch {
		case m.Name == "":
			return fmt.Errorf("module %d has no name", i+1)
		case seen[m.Name]:
			return fmt.Errorf("module %s is listed twice", m.Name)
		}
		if err := m.check(p.Series); err != nil {
			return err
		}
		seen[m.Name] = true
		if m.Pin > 0 {
			if pins[m.Pin]++; pins[m.Pin] > p.Parallel {
				return fmt.Errorf("position %d: more modules pinned than the %d it holds", m.Pin, p.Parallel)
			}
		}
	}
	return nil
}

// check says what of one module cannot be, among so many positions.
func (m Module) check(series int) error {
	switch {
	case !(m.CapacityAh > 0) || math.IsInf(m.CapacityAh, 0):
		return fmt.Errorf("module %s: capacity %v Ah: expected a number above 0", m.Name, m.CapacityAh)
	case m.ResistanceMOhm < 0 || math.IsNaN(m.ResistanceMOhm) || math.IsInf(m.ResistanceMOhm, 0):
		return fmt.Errorf("module %s: resistance %v mΩ: expected 0 or more", m.Name, m.ResistanceMOhm)
	case m.Pin < 0 || m.Pin > series:
		return fmt.Errorf("module %s: pinned to position %d: expected 1 to %d", m.Name, m.Pin, series)
	case m.Pin > 0 && slices.Contains(m.Ban, m.Pin):
		return fmt.Errorf("module %s is pinned to position %d and banned from it", m.Name, m.Pin)
	}
	for _, b := range m.Ban {
		if b < 1 || b > series {
			return fmt.Errorf("module %s: banned from position %d: expected 1 to %d", m.Name, b, series)
		}
	}
	return nil
}

// Bound returns an upper bound, in Ah, of the least position when S positions of P modules are
// filled from capacities: for every k, the k best may sit alone in k positions, and the rest
// cannot beat the mean of what is left. Complexity O(n log n); Rank them once where many are asked.
func Bound(capacities []float64, series, parallel int) float64 {
	return Rank(capacities).Bound(series, parallel)
}

// Ranked are capacities, best first, as sums up to each.
type Ranked struct{ sum []float64 }

// Rank sorts capacities. Complexity O(n log n).
func Rank(capacities []float64) Ranked {
	c := slices.Clone(capacities)
	slices.SortFunc(c, func(a, b float64) int { return cmp.Compare(b, a) })
	sum := make([]float64, len(c)+1)
	for i, v := range c {
		sum[i+1] = sum[i] + v
	}
	return Ranked{sum}
}

// Bound is that of the capacities that were ranked. Complexity O(series).
func (r Ranked) Bound(series, parallel int) float64 {
	best, last := math.Inf(1), len(r.sum)-1
	for k := range min(series, last+1) {
		n := (series - k) * parallel
		best = min(best, (r.sum[min(k+n, last)]-r.sum[k])/float64(series-k))
	}
	return best
}

// allowed reports whether module m may sit in position pos (from 0).
func allowed(m *Module, pos int) bool {
	if m.Pin > 0 {
		return m.Pin == pos+1
	}
	return !slices.Contains(m.Ban, pos+1)
}

// board is a working solution: modules by position, and the spares.
type board struct {
	mods  []Module
	pos   [][]int
	sum   []float64
	spare []int
}

func (b *board) clone() *board {
	c := &board{mods: b.mods, sum: slices.Clone(b.sum), spare: slices.Clone(b.spare)}
	for _, p := range b.pos {
		c.pos = append(c.pos, slices.Clone(p))
	}
	return c
}

func (b *board) least() (int, float64) {
	k := 0
	for i, s := range b.sum {
		if s < b.sum[k] {
			k = i
		}
	}
	return k, b.sum[k]
}

func (b *board) resum() {
	for i, p := range b.pos {
		b.sum[i] = 0
		for _, m := range p {
			b.sum[i] += b.mods[m].CapacityAh
		}
	}
}

func solvePositions(p Problem) (Result, error) {
	b, err := start(p)
	if err != nil {
		return Result{}, err
	}
	caps := make([]float64, len(p.Modules))
	for i, m := range p.Modules {
		caps[i] = m.CapacityAh
	}
	bound := Bound(caps, p.Series, p.Parallel)
	rng := rand.New(rand.NewPCG(p.Seed, 0x70616e64))
	raise(b)
	best := b.clone()
	_, bestLeast := best.least()
	restarts := p.Restarts
	if restarts == 0 {
		restarts = min(400, 40_000/(p.Series*p.Parallel*p.Parallel+1)+3)
	}
	for r := 0; r < restarts && (bound-bestLeast)/bound > provedWithin; r++ {
		b = best.clone()
		shake(b, rng)
		raise(b)
		if _, l := b.least(); l > bestLeast {
			best, bestLeast = b, l
		}
	}
	narrow(best)
	evenResistance(best)
	best.resum()
	_, bestLeast = best.least()
	r := Result{Style: ParallelFirst, CapacityAh: bestLeast, BoundAh: bound,
		ProvedBest: (bound-bestLeast)/bound <= provedWithin, LeftOver: []string{}, Findings: []finding.Finding{}}
	for i := range best.pos {
		names := make([]string, 0, p.Parallel)
		for _, m := range best.pos[i] {
			names = append(names, p.Modules[m].Name)
		}
		r.Positions = append(r.Positions, names)
		r.PartsAh = append(r.PartsAh, best.sum[i])
	}
	for _, m := range best.spare {
		r.LeftOver = append(r.LeftOver, p.Modules[m].Name)
	}
	slices.Sort(r.LeftOver)
	r.AsNumberedAh = AsNumbered(p)
	r.Findings = append(r.Findings, shares(best)...)
	r.Findings = append(r.Findings, mixed(best)...)
	return r, nil
}

// start fills positions: pins first, then the strongest modules each into the weakest position
// with room that allows it. Where that leaves a hole, a module is moved to make room.
func start(p Problem) (*board, error) {
	b := &board{mods: p.Modules, pos: make([][]int, p.Series), sum: make([]float64, p.Series)}
	order := make([]int, len(p.Modules))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int {
		mx, my := &p.Modules[x], &p.Modules[y]
		if (mx.Pin > 0) != (my.Pin > 0) {
			return cmp.Compare(my.Pin, mx.Pin)
		}
		return cmp.Compare(my.CapacityAh, mx.CapacityAh)
	})
	room := p.Series * p.Parallel
	for _, m := range order {
		if room == 0 {
			b.spare = append(b.spare, m)
			continue
		}
		k := -1
		for i := range b.pos {
			if len(b.pos[i]) < p.Parallel && allowed(&p.Modules[m], i) && (k < 0 || b.sum[i] < b.sum[k]) {
				k = i
			}
		}
		if k < 0 && !b.makeRoom(m, p.Parallel) {
			b.spare = append(b.spare, m)
			continue
		}
		if k >= 0 {
			b.pos[k] = append(b.pos[k], m)
			b.sum[k] += p.Modules[m].CapacityAh
		}
		room--
	}
	if room > 0 {
		var ok bool
		if b.pos, b.spare, ok = assign(p); !ok {
			return nil, impossible(p)
		}
	}
	b.resum()
	return b, nil
}

// impossible says that pins and bans leave places without a module; there is no other way to fill them.
func impossible(p Problem) error {
	for k := range p.Series {
		n := 0
		for i := range p.Modules {
			if allowed(&p.Modules[i], k) {
				n++
			}
		}
		if n < p.Parallel {
			return fmt.Errorf("the pins and bans leave %s for position %d: expected at least %d", numeral.Count(n,
				"module"), k+1,
				p.Parallel)
		}
	}
	return fmt.Errorf("the pins and bans cannot all be met with %d positions of %d: no filling of the places is left",
		p.Series, p.Parallel)
}

// makeRoom places m by moving one module that stands where m may stand to a position with room.
func (b *board) makeRoom(m, parallel int) bool {
	for i := range b.pos {
		if !allowed(&b.mods[m], i) {
			continue
		}
		for x, other := range b.pos[i] {
			for k := range b.pos {
				if len(b.pos[k]) < parallel && b.mods[other].Pin == 0 && allowed(&b.mods[other], k) {
					b.pos[i][x] = m
					b.pos[k] = append(b.pos[k], other)
					b.resum()
					return true
				}
			}
		}
	}
	return false
}

// exchange is one swap: place x of position a with place y of position b, or with spare y when b is −1.
type exchange struct{ a, x, b, y int }

func (b *board) apply(e exchange) {
	if e.b < 0 {
		b.pos[e.a][e.x], b.spare[e.y] = b.spare[e.y], b.pos[e.a][e.x]
	} else {
		b.pos[e.a][e.x], b.pos[e.b][e.y] = b.pos[e.b][e.y], b.pos[e.a][e.x]
	}
	touch := []int{e.a}
	if e.b >= 0 {
		touch = append(touch, e.b)
	}
	for _, k := range touch {
		b.sum[k] = 0
		for _, m := range b.pos[k] {
			b.sum[k] += b.mods[m].CapacityAh
		}
	}
}

// may reports whether the two modules of e are allowed to change places.
func (b *board) may(e exchange) bool {
	mx := &b.mods[b.pos[e.a][e.x]]
	if e.b < 0 {
		return mx.Pin == 0 && allowed(&b.mods[b.spare[e.y]], e.a)
	}
	return allowed(mx, e.b) && allowed(&b.mods[b.pos[e.b][e.y]], e.a)
}

// raise lifts the weakest position by the best exchange until none lifts it further.
func raise(b *board) {
	for range 100_000 {
		a, low := b.least()
		var found exchange
		bestMin := low + 1e-9*low
		ok := false
		try := func(e exchange, after float64) {
			if after > bestMin && b.may(e) {
				bestMin, found, ok = after, e, true
			}
		}
		for x, mx := range b.pos[a] {
			q := b.mods[mx].CapacityAh
			for y, ms := range b.spare {
				try(exchange{a, x, -1, y}, low+b.mods[ms].CapacityAh-q)
			}
			for k := range b.pos {
				if k == a {
					continue
				}
				for y, my := range b.pos[k] {
					d := b.mods[my].CapacityAh - q
					try(exchange{a, x, k, y}, min(low+d, b.sum[k]-d))
				}
			}
		}
		if !ok {
			return
		}
		b.apply(found)
	}
}

// shake makes a few random exchanges.
func shake(b *board, rng *rand.Rand) {
	for range 3 + rng.IntN(4) {
		a, k := rng.IntN(len(b.pos)), rng.IntN(len(b.pos))
		e := exchange{a, rng.IntN(len(b.pos[a])), k, rng.IntN(len(b.pos[k]))}
		if len(b.spare) > 0 && rng.IntN(3) == 0 {
			e.b, e.y = -1, rng.IntN(len(b.spare))
		} else if a == k {
			continue
		}
		if b.may(e) {
			b.apply(e)
		}
	}
}

// narrow lowers the strongest position without lowering the weakest: by exchanges, and by putting
// back a stronger module than is needed.
func narrow(b *board) {
	for range 10_000 {
		_, low := b.least()
		a := 0
		for i, s := range b.sum {
			if s > b.sum[a] {
				a = i
			}
		}
		high := b.sum[a]
		bestHigh := high - 1e-9*high
		var found exchange
		ok := false
		for x, mx := range b.pos[a] {
			q := b.mods[mx].CapacityAh
			for y, ms := range b.spare {
				after := high + b.mods[ms].CapacityAh - q
				if e := (exchange{a, x, -1, y}); after >= low && after < bestHigh && b.may(e) {
					bestHigh, found, ok = after, e, true
				}
			}
			for k := range b.pos {
				for y, my := range b.pos[k] {
					d := q - b.mods[my].CapacityAh
					ha, hk := high-d, b.sum[k]+d
					if e := (exchange{a, x, k, y}); k != a && min(ha, hk) >= low && max(ha, hk) < bestHigh && b.may(e) {
						bestHigh, found, ok = max(ha, hk), e, true
					}
				}
			}
		}
		if !ok {
			return
		}
		b.apply(found)
	}
}

// positionMOhm is the resistance of a position's modules in parallel, 0 where one is unknown.
func (b *board) positionMOhm(k int) float64 {
	g := 0.0
	for _, m := range b.pos[k] {
		if b.mods[m].ResistanceMOhm == 0 {
			return 0
		}
		g += 1 / b.mods[m].ResistanceMOhm
	}
	return 1 / g
}

// evenResistance exchanges modules of nearly equal capacity to bring the positions' resistances
// together, without lowering the weakest position.
func evenResistance(b *board) {
	_, low := b.least()
	for k := range b.pos {
		if b.positionMOhm(k) == 0 {
			return
		}
	}
	spread := func() float64 {
		lo, hi := math.Inf(1), 0.0
		for k := range b.pos {
			r := b.positionMOhm(k)
			lo, hi = min(lo, r), max(hi, r)
		}
		return hi - lo
	}
	for range 200 {
		was := spread()
		hi := 0
		for k := range b.pos {
			if b.positionMOhm(k) > b.positionMOhm(hi) {
				hi = k
			}
		}
		best, ok := exchange{}, false
		bestSpread := was * (1 - 1e-6)
		for x, mx := range b.pos[hi] {
			for k := range b.pos {
				for y, my := range b.pos[k] {
					d := b.mods[my].CapacityAh - b.mods[mx].CapacityAh
					if k == hi || math.Abs(d) > resistanceTie*low || b.sum[hi]+d < low || b.sum[k]-d < low {
						continue
					}
					e := exchange{hi, x, k, y}
					if !b.may(e) {
						continue
					}
					b.apply(e)
					if s := spread(); s < bestSpread {
						bestSpread, best, ok = s, e, true
					}
					b.apply(e)
				}
			}
		}
		if !ok {
			return
		}
		b.apply(best)
	}
}

// AsNumbered is the capacity that the first modules of a problem give in the order in which they stand there.
func AsNumbered(p Problem) float64 {
	if p.Style != StringsFirst {
		return asNumberedPositions(p)
	}
	runs := make([][]int, p.Parallel)
	for i := range runs {
		for k := range p.Series {
			runs[i] = append(runs[i], i*p.Series+k)
		}
	}
	return sumOfLeast(p, runs)
}

func asNumberedPositions(p Problem) float64 {
	least := math.Inf(1)
	for i := range p.Series {
		sum := 0.0
		for _, m := range p.Modules[i*p.Parallel : (i+1)*p.Parallel] {
			sum += m.CapacityAh
		}
		least = min(least, sum)
	}
	return least
}

// shares warns where a mate carries much more than its fair share, since current divides as 1/R.
func shares(b *board) []finding.Finding {
	var out []finding.Finding
	for k, p := range b.pos {
		r := b.positionMOhm(k)
		if r == 0 || len(p) < 2 {
			continue
		}
		for _, m := range p {
			fair := b.mods[m].CapacityAh / b.sum[k]
			if share := r / b.mods[m].ResistanceMOhm / fair; share > unevenShare {
				out = append(out, finding.New(finding.Caution,
					codeUnevenShare).About(b.mods[m].Name).Reads(math.Round(share*100)/100,
					"×").Against(unevenShare).By("rules §8").
					Says("%s in position %d carries %.2f times its fair share, because its resistance "+
						"is low.", b.mods[m].Name, k+1, share).
					Then("Keep the position's current within this module's limit, or pair it with another."))
			}
		}
	}
	return out
}

func mixed(b *board) []finding.Finding {
	for k, p := range b.pos {
		for _, m := range p {
			if b.mods[m].Type != b.mods[p[0]].Type {
				return []finding.Finding{finding.New(finding.Stop,
					codeTypesMixed).About(fmt.Sprintf("position %d",
					k+1)).
					By("rules §8").
					Says("Position %d mixes the types %s and %s.", k+1, b.mods[p[0]].Type, b.mods[m].Type).
					Then("Mix types in one position only when series layout and chemistry are the same.")}
			}
		}
	}
	return nil
}
