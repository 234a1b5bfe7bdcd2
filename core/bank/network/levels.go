package network

// Levels is a union-find structure in which every point knows its level (signed groups) and volts
// above the root of its part.
type Levels struct {
	parent []int
	count  []int     // groups above parent
	volts  []float64 // volts above parent
	size   []int
}

func NewLevels(n int) *Levels {
	l := &Levels{make([]int, n), make([]int, n), make([]float64, n), make([]int, n)}
	for i := range l.parent {
		l.parent[i], l.size[i] = i, 1
	}
	return l
}

// Find returns the root of p and p's level and volts above it.
func (l *Levels) Find(p int) (root, count int, volts float64) {
	root = p
	for l.parent[root] != root {
		count += l.count[root]
		volts += l.volts[root]
		root = l.parent[root]
	}
	// Compress the path, so that later finds are short.
	for c, v := count, volts; l.parent[p] != root && p != root; {
		next, pc, pv := l.parent[p], l.count[p], l.volts[p]
		l.parent[p], l.count[p], l.volts[p] = root, c, v
		p, c, v = next, c-pc, v-pv
	}
	return root, count, volts
}

// Join states that b lies count groups and volts above a. When both were joined before it changes
// nothing and returns false with the contradiction: what b would have to move by.
func (l *Levels) Join(a, b, count int, volts float64) (fresh bool, dCount int, dVolts float64) {
	ra, ca, va := l.Find(a)
	rb, cb, vb := l.Find(b)
	if ra == rb {
		return false, ca + count - cb, va + volts - vb
	}
	if l.size[ra] < l.size[rb] {
		l.parent[ra] = rb
		l.count[ra], l.volts[ra] = cb-count-ca, vb-volts-va
		l.size[rb] += l.size[ra]
	} else {
		l.parent[rb] = ra
		l.count[rb], l.volts[rb] = ca+count-cb, va+volts-vb
		l.size[ra] += l.size[rb]
	}
	return true, 0, 0
}

// Between returns how b lies above a; ok is false when nothing joins them.
func (l *Levels) Between(a, b int) (count int, volts float64, ok bool) {
	ra, ca, va := l.Find(a)
	rb, cb, vb := l.Find(b)
	return cb - ca, vb - va, ra == rb
}
