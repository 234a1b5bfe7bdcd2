package network

import "math"

// Reach is what hangs together of a bank as it is put together, each part with the lowest and the highest point that a
// probe reaches on it: where the totals of two strings are compared before they meet.
type Reach struct {
	*Levels
	place  Probes
	pieces map[int]piece // by their roots
}

// Probes are the points that a probe reaches, by their names, and which of them are posts of a module: among points at
// one voltage a post goes before a free name.
type Probes struct {
	Point func(name string) int
	Post  func(point int) bool
}

type piece struct {
	cells     bool
	low, high string // "" for none
}

// NewReach is the reach of what hangs together in l, which it takes over, with the names that a probe reaches and a
// point of each cell.
func NewReach(l *Levels, at Probes, names []string, cells []int) *Reach {
	r := &Reach{l, at, map[int]piece{}}
	for _, name := range names {
		root, _, _ := l.Find(at.Point(name))
		x := r.pieces[root]
		r.lie(&x, name, name)
		r.pieces[root] = x
	}
	for _, p := range cells {
		root, _, _ := l.Find(p)
		x := r.pieces[root]
		x.cells = true
		r.pieces[root] = x
	}
	return r
}

// lie takes a name into a part, or the ends of another part that was joined to it.
func (r *Reach) lie(x *piece, low, high string) {
	before := func(a, than string, way float64) bool {
		at, other := r.place.Point(a), r.place.Point(than)
		switch _, v, _ := r.Levels.Between(other, at); {
		case math.Abs(v) >= 1e-9:
			return v*way < 0
		case r.place.Post(at) != r.place.Post(other):
			return r.place.Post(at)
		}
		return a < than
	}
	if low != "" && (x.low == "" || before(low, x.low, 1)) {
		x.low = low
	}
	if high != "" && (x.high == "" || before(high, x.high, -1)) {
		x.high = high
	}
}

// Conduct joins two points by something without a voltage of its own.
func (r *Reach) Conduct(p, q int) {
	was, _, _ := r.Find(p)
	other, _, _ := r.Find(q)
	if was == other {
		return
	}
	r.Levels.Join(p, q, 0, 0)
	root, _, _ := r.Find(p)
	x, y := r.pieces[was], r.pieces[other]
	x.cells = x.cells || y.cells
	r.lie(&x, y.low, y.high)
	delete(r.pieces, was)
	delete(r.pieces, other)
	r.pieces[root] = x
}

// HasCells reports whether cells are in the part of p.
func (r *Reach) HasCells(p int) bool {
	root, _, _ := r.Find(p)
	return r.pieces[root].cells
}

// Span names the lowest and the highest point that a probe reaches on the part of p, "" for none.
func (r *Reach) Span(p int) (low, high string) {
	root, _, _ := r.Find(p)
	return r.pieces[root].low, r.pieces[root].high
}
