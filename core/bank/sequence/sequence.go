// Package sequence finds the order in which to join the parts of a bank so that as little voltage as possible lies open
// for as long as possible (rules §10).
//
// Parts are points at fixed volts to each other; a link joins two of them at no volts. After each link the widest part
// is what a person may touch. Up to twelve links every order is compared, by dynamic programming over the sets of links
// fitted so far, since what is exposed depends on the set alone. Above that, link by link, the one that leaves the
// narrowest part is next, from a heap: n links cost about n·log² n.
package sequence

import (
	"container/heap"
	"math"
	"slices"
)

// exactLinks is the number of links up to which every order is compared.
const exactLinks = 12

// Link joins two points.
type Link struct{ A, B int }

// Parts are the points of a bank as far as they are joined. Exposed is the widest part so far, in volts.
type Parts struct {
	Exposed float64

	part      []int
	volts     []float64 // of each point, within its part
	members   [][]int
	low, high []float64 // of each part
}

// New returns n points of which none is joined.
func New(n int) *Parts {
	b := &Parts{part: make([]int, n), volts: make([]float64, n), members: make([][]int, n), low: make([]float64, n),
		high: make([]float64, n)}
	for p := range n {
		b.part[p], b.members[p] = p, []int{p}
	}
	return b
}

func (b *Parts) clone() *Parts {
	d := *b
	d.part, d.volts, d.low, d.high = slices.Clone(b.part), slices.Clone(b.volts), slices.Clone(b.low),
		slices.Clone(b.high)
	d.members = slices.Clone(b.members)
	for i := range d.members {
		d.members[i] = slices.Clone(d.members[i])
	}
	return &d
}

// Join joins the parts of p and q with q at volts above p. Parts that are one already stay.
func (b *Parts) Join(p, q int, volts float64) {
	x, y := b.part[p], b.part[q]
	if x == y {
		return
	}
	shift := b.volts[p] + volts - b.volts[q] // to y's points
	if len(b.members[x]) < len(b.members[y]) {
		x, y, shift = y, x, -shift
	}
	for _, m := range b.members[y] {
		b.part[m] = x
		b.volts[m] += shift
	}
	b.members[x] = append(b.members[x], b.members[y]...)
	b.members[y] = nil
	b.low[x], b.high[x] = min(b.low[x], b.low[y]+shift), max(b.high[x], b.high[y]+shift)
	b.Exposed = max(b.Exposed, b.high[x]-b.low[x])
}

// Order returns the places of links in the order in which to fit them. Orders are compared by the number of steps with
// more than touchVolts exposed, then by the sum of exposed volts; of equals the one nearest to the order given.
func (b *Parts) Order(links []Link, touchVolts float64) []int {
	if len(links) <= exactLinks {
		return b.exact(links, touchVolts)
	}
	return b.greedy(links)
}

// span is how wide the part is that a link makes.
func (b *Parts) span(l Link) float64 {
	x, y := b.part[l.A], b.part[l.B]
	if x == y {
		return b.high[x] - b.low[x]
	}
	shift := b.volts[l.A] - b.volts[l.B]
	return max(b.high[x], b.high[y]+shift) - min(b.low[x], b.low[y]+shift)
}

// same is how far two spans may differ that count as the same: sums of volts in another order.
const same = 1e-7

// waiting is a link with the span it had when it was put on the heap.
type waiting struct {
	span float64 // in whole multiples of same
	k    int
}

type queue []waiting

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	return q[i].span < q[j].span || q[i].span == q[j].span && q[i].k < q[j].k
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(waiting)) }
func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// greedy takes the link next that leaves the narrowest part. A part only grows, so a link that waits can only become
// wider, and is looked at again when its turn comes; but where its two ends have come into one part another way, it
// may have become narrower, and is put on the heap anew.
func (b *Parts) greedy(links []Link) []int {
	b = b.clone()
	of := make([][]int, len(b.part)) // links by the parts they touch
	q := make(queue, 0, len(links))
	now := func(k int) waiting { return waiting{math.Round(b.span(links[k]) / same), k} }
	for k, l := range links {
		of[b.part[l.A]] = append(of[b.part[l.A]], k)
		of[b.part[l.B]] = append(of[b.part[l.B]], k)
		q = append(q, now(k))
	}
	heap.Init(&q)
	done := make([]bool, len(links))
	out := make([]int, 0, len(links))
	for len(out) < len(links) {
		w := heap.Pop(&q).(waiting)
		if done[w.k] {
			continue
		}
		if n := now(w.k); n.span != w.span {
			heap.Push(&q, n)
			continue
		}
		done[w.k] = true
		out = append(out, w.k)
		x, y := b.part[links[w.k].A], b.part[links[w.k].B]
		if x == y {
			continue
		}
		b.Join(links[w.k].A, links[w.k].B, 0)
		whole := b.part[links[w.k].A]
		gone := x + y - whole
		for _, k := range of[gone] {
			if !done[k] && b.part[links[k].A] == b.part[links[k].B] {
				heap.Push(&q, now(k))
			}
		}
		of[whole] = append(of[whole], of[gone]...)
		of[gone] = nil
	}
	return out
}

// exact finds the best order by dynamic programming over the sets of links fitted so far: the
// exposed voltage depends on the set alone, not on its order.
func (b *Parts) exact(links []Link, touchVolts float64) []int {
	n := len(links)
	if n == 0 {
		return nil
	}
	type best struct {
		above int
		sum   float64
		last  int
	}
	exposed := b.exposedBySet(links)
	table := make([]best, 1<<n)
	for set := 1; set < 1<<n; set++ {
		table[set] = best{math.MaxInt, 0, -1}
		for k := range n {
			if set&(1<<k) == 0 {
				continue
			}
			was := table[set&^(1<<k)]
			now := best{was.above, was.sum + exposed[set], k}
			if exposed[set] > touchVolts {
				now.above++
			}
			// Of equals the one that fits the later link last, so that file order is kept.
			if t := table[set]; now.above < t.above || now.above == t.above && now.sum < t.sum-1e-9 ||
				now.above == t.above && now.sum < t.sum+1e-9 && k > t.last {
				table[set] = now
			}
		}
	}
	out := make([]int, n)
	for set, i := 1<<n-1, n-1; i >= 0; i-- {
		k := table[set].last
		out[i] = k
		set &^= 1 << k
	}
	return out
}

// exposedBySet returns the exposed voltage for every set of links fitted, by bit mask. It works on
// the few parts that the links touch.
func (b *Parts) exposedBySet(links []Link) []float64 {
	local := map[int]int{}
	var low, high []float64
	part := func(p int) int {
		k, ok := local[b.part[p]]
		if !ok {
			k = len(low)
			local[b.part[p]] = k
			low, high = append(low, b.low[b.part[p]]), append(high, b.high[b.part[p]])
		}
		return k
	}
	type tie struct {
		x, y int
		rise float64 // of y's volts to meet x's
	}
	ties := make([]tie, len(links))
	for k, l := range links {
		ties[k] = tie{part(l.A), part(l.B), b.volts[l.A] - b.volts[l.B]}
	}
	n := len(low)
	label, off, lo, hi := make([]int, n), make([]float64, n), make([]float64, n), make([]float64, n)
	out := make([]float64, 1<<len(links))
	for set := range out {
		for i := range n {
			label[i], off[i], lo[i], hi[i] = i, 0, low[i], high[i]
		}
		most := b.Exposed
		for k, t := range ties {
			x, y := label[t.x], label[t.y]
			if set&(1<<k) == 0 || x == y {
				continue
			}
			shift := off[t.x] + t.rise - off[t.y]
			for i := range n {
				if label[i] == y {
					label[i] = x
					off[i] += shift
				}
			}
			lo[x], hi[x] = min(lo[x], lo[y]+shift), max(hi[x], hi[y]+shift)
			most = max(most, hi[x]-lo[x])
		}
		out[set] = most
	}
	return out
}
