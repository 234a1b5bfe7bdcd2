package currents

import (
	"cmp"
	"math"
	"slices"

	"pandrel/core/base/limits"
)

// branch is groups in series between two nets of the bank, or what several such have been merged into.
// Volts are of b above a. A merged branch keeps the groups of one of its parts to be named by.
type branch struct {
	a, b  int
	volts float64
	mOhm  float64
	cells []int
	mixed bool // parts in parallel lie within
	gone  bool
}

// Difference is the widest difference between branches that stand in parallel, and the first current
// that it drives when they are joined.
type Difference struct {
	Volts float64
	Amps  float64
	Cells []int   // groups of the branch
	Limit float64 // what cells and conductors of the branch allow, +Inf where nothing is known
	What  string
}

// Reducer merges branches step by step, all between the same two nets to one and all in a row to one, until nothing
// stands beside anything.
type Reducer struct {
	allows func(cells []int, charging bool) (amps float64, what string)
	at     map[int][]*branch
	keep   map[int]bool
	worst  Difference
}

// NewReducer has no branches yet; allows is the least current that groups and what lies in a row with them allow, and
// what sets it.
func NewReducer(allows func(cells []int, charging bool) (amps float64, what string)) *Reducer {
	return &Reducer{allows: allows, at: map[int][]*branch{}, keep: map[int]bool{}}
}

// Keep lets a net never be merged away.
func (r *Reducer) Keep(net int) { r.keep[net] = true }

// Add puts a group between two nets, of volts of b above a.
func (r *Reducer) Add(a, b int, volts, mOhm float64, cell int) {
	r.add(&branch{a: a, b: b, volts: volts, mOhm: mOhm, cells: []int{cell}})
}

// Widest merges all and returns the difference that drives most over what its branch allows, else the widest.
func (r *Reducer) Widest() Difference {
	r.run()
	return r.worst
}

func (r *Reducer) add(b *branch) {
	if b.a > b.b { // one direction for each pair of nets
		b.a, b.b, b.volts = b.b, b.a, -b.volts
	}
	r.at[b.a] = append(r.at[b.a], b)
	if b.b != b.a {
		r.at[b.b] = append(r.at[b.b], b)
	}
}

func (r *Reducer) run() {
	for {
		if r.mergeParallel() {
			continue
		}
		if !r.mergeSeries() {
			return
		}
	}
}

// alive returns the branches at a net that are not merged away.
func (r *Reducer) alive(net int) []*branch {
	list := slices.DeleteFunc(r.at[net], func(b *branch) bool { return b.gone })
	r.at[net] = list
	return list
}

func (r *Reducer) nets() []int {
	var out []int
	for n := range r.at {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// mergeParallel merges all branches between the same two nets, everywhere at once.
func (r *Reducer) mergeParallel() bool {
	changed := false
	for _, n := range r.nets() {
		by := map[int][]*branch{}
		for _, b := range r.alive(n) {
			if b.a == n {
				by[b.b] = append(by[b.b], b)
			}
		}
		for to, list := range by {
			if to == n { // a branch closed upon itself: both ends of a whole string on one net
				for _, b := range list {
					r.compare([]*branch{b, {a: b.a, b: b.b, mOhm: 1e-9}})
					b.gone = true
				}
				changed = true
				continue
			}
			if len(list) < 2 {
				continue
			}
			r.compare(list)
			g, gv := 0.0, 0.0
			for _, b := range list {
				g += 1 / b.mOhm
				gv += b.volts / b.mOhm
				b.gone = true
			}
			first := slices.MinFunc(list,
				func(x, y *branch) int { return cmp.Compare(slices.Min(x.cells), slices.Min(y.cells)) })
			r.add(&branch{a: n, b: to, volts: gv / g, mOhm: 1 / g, cells: first.cells, mixed: true})
			changed = true
		}
	}
	return changed
}

// mergeSeries joins the two branches of every net that only they meet at.
func (r *Reducer) mergeSeries() bool {
	changed := false
	for _, n := range r.nets() {
		if r.keep[n] {
			continue
		}
		list := r.alive(n)
		if len(list) != 2 || list[0].a == list[0].b || list[1].a == list[1].b {
			continue
		}
		x, y := *list[0], *list[1]
		if x.b != n {
			x.a, x.b, x.volts = x.b, x.a, -x.volts
		}
		if y.a != n {
			y.a, y.b, y.volts = y.b, y.a, -y.volts
		}
		list[0].gone, list[1].gone = true, true
		r.at[n] = nil
		r.add(&branch{a: x.a, b: y.b, volts: x.volts + y.volts, mOhm: x.mOhm + y.mOhm,
			cells: joinCells(x.cells, y.cells), mixed: x.mixed || y.mixed})
		changed = true
	}
	return changed
}

// joinCells appends the shorter list to the longer; both branches are merged away, so neither is read
// again and a chain of n groups costs about n.
func joinCells(x, y []int) []int {
	if len(x) < len(y) {
		x, y = y, x
	}
	return append(x, y...)
}

// compare finds the branch of a parallel set that lies furthest from the voltage on which they settle.
func (r *Reducer) compare(list []*branch) {
	low, high, g, gv := math.Inf(1), math.Inf(-1), 0.0, 0.0
	for _, b := range list {
		low, high = min(low, b.volts), max(high, b.volts)
		g += 1 / b.mOhm
		gv += b.volts / b.mOhm
	}
	for _, b := range list {
		if len(b.cells) == 0 {
			continue
		}
		amps := (gv/g - b.volts) / b.mOhm * 1000 // into the branch at b, as it lies between a and b
		if r.rising(b) < 0 {
			amps = -amps
		}
		limit, what := r.allows(b.cells, amps > 0)
		d := Difference{high - low, math.Abs(amps), b.cells, limit, what}
		// The one that is furthest above its limit counts; without limits the widest.
		if score(d) > score(r.worst)+1e-12 {
			r.worst = d
		}
	}
}

func score(d Difference) float64 {
	if d.Volts <= limits.JoinVolts+1e-9 {
		return d.Volts / 1e6
	}
	if math.IsInf(d.Limit, 1) || d.Limit <= 0 {
		return d.Volts / 1e3
	}
	return max(d.Volts/1e3, d.Amps/d.Limit)
}

// rising is 1 where a branch's groups have their positive ends towards b, else −1.
func (r *Reducer) rising(b *branch) float64 {
	if b.volts < 0 {
		return -1
	}
	return 1
}
