package layout

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"

	"pandrel/core/module/isolation"
)

// graph is the readings as edges between numbered points. off marks edges left out of the fit.
type graph struct {
	points []string
	index  map[string]int
	edges  []edge
	adj    [][]int // edge numbers at each point
}

type edge struct {
	Reading
	a, b int // red, black
	u    float64
	off  bool
}

func (e *edge) other(p int) int {
	if e.a == p {
		return e.b
	}
	return e.a
}

func newGraph(readings []Reading) (*graph, []Reading, error) {
	if len(readings) == 0 {
		return nil, nil, &UnusableError{Text: "no readings: expected at least one line of red, black, volts"}
	}
	g := &graph{index: map[string]int{}}
	var caseReadings []Reading
	for i, r := range readings {
		if r.Line == 0 {
			r.Line = i + 1
		}
		r.Red, r.Black = CleanName(r.Red), CleanName(r.Black)
		switch {
		case r.Red == "" || r.Black == "":
			return nil, nil, &UnusableError{r.Line, "a point has no name: expected a name for the red and the " +
				"black probe"}
		case r.Red == r.Black:
			return nil, nil, &UnusableError{r.Line, fmt.Sprintf("both probes on %s: expected two different points",
				r.Red)}
		case math.IsNaN(r.Volts) || math.Abs(r.Volts) > absurdVolts:
			return nil, nil, &UnusableError{r.Line, fmt.Sprintf("%v V: expected a voltage that a meter can show",
				r.Volts)}
		case math.IsNaN(r.AccuracyVolts) || r.AccuracyVolts < 0 || math.IsInf(r.AccuracyVolts, 0):
			return nil, nil, &UnusableError{r.Line, fmt.Sprintf("accuracy %v V: expected zero or more",
				r.AccuracyVolts)}
		}
		if r.Red == isolation.CasePoint || r.Black == isolation.CasePoint {
			caseReadings = append(caseReadings, r)
			continue
		}
		e := edge{Reading: r, a: g.point(r.Red), b: g.point(r.Black), u: r.uncertainty()}
		n := len(g.edges)
		g.edges = append(g.edges, e)
		g.adj[e.a] = append(g.adj[e.a], n)
		g.adj[e.b] = append(g.adj[e.b], n)
	}
	if len(g.edges) == 0 {
		return nil, nil, &UnusableError{Text: "only readings against the case: expected readings between points of " +
			"the module"}
	}
	return g, caseReadings, nil
}

// CleanName takes out of a point's name what nobody sees: blanks at its ends, and the invisible characters
// that spreadsheets and chat programs leave behind. Any case of the word for the case is one.
func CleanName(s string) string {
	s = strings.Map(func(r rune) rune {
		switch {
		case r == '\u00a0' || r == '\t' || r == '\u2007' || r == '\u202f':
			return ' '
		case unicode.Is(unicode.Cf, r) || unicode.IsControl(r):
			return -1
		}
		return r
	}, s)
	s = strings.Join(strings.Fields(s), " ")
	if strings.EqualFold(s, isolation.CasePoint) {
		return isolation.CasePoint
	}
	return s
}

func (g *graph) point(name string) int {
	if i, ok := g.index[name]; ok {
		return i
	}
	g.index[name] = len(g.points)
	g.points = append(g.points, name)
	g.adj = append(g.adj, nil)
	return len(g.points) - 1
}

// tree is a breadth-first spanning forest with the potential and variance from each root.
type tree struct {
	parent []int // edge to the parent, -1 at a root
	depth  []int
	root   []int
	phi    []float64
	order  []int
}

// span builds the forest over the edges that are not off, skipping the points in skip.
// Roots are taken in point order, so the result does not depend on map order.
func (g *graph) span(skip int) tree {
	if skip < 0 {
		return g.spanWithout(nil)
	}
	out := make([]bool, len(g.points))
	out[skip] = true
	return g.spanWithout(out)
}

// spanWithout is span without the points for which skip is true; nil skips none.
func (g *graph) spanWithout(skip []bool) tree {
	n := len(g.points)
	t := tree{make([]int, n), make([]int, n), make([]int, n), make([]float64, n), make([]int, 0, n)}
	for i := range t.root {
		t.root[i] = -1
	}
	for start := range n {
		if t.root[start] >= 0 || skip != nil && skip[start] {
			continue
		}
		t.root[start], t.parent[start] = start, -1
		head := len(t.order)
		t.order = append(t.order, start)
		for ; head < len(t.order); head++ {
			p := t.order[head]
			for _, k := range g.adj[p] {
				e := &g.edges[k]
				q := e.other(p)
				if e.off || skip != nil && skip[q] || t.root[q] >= 0 {
					continue
				}
				t.root[q], t.parent[q], t.depth[q] = start, k, t.depth[p]+1
				if q == e.a {
					t.phi[q] = t.phi[p] + e.Volts
				} else {
					t.phi[q] = t.phi[p] - e.Volts
				}
				t.order = append(t.order, q)
			}
		}
	}
	return t
}

// parts returns the connected parts, largest first.
func (g *graph) parts() [][]int {
	t := g.span(-1)
	byRoot := map[int][]int{}
	for _, p := range t.order {
		byRoot[t.root[p]] = append(byRoot[t.root[p]], p)
	}
	var out [][]int
	for _, p := range t.order {
		if t.root[p] == p {
			out = append(out, byRoot[p])
		}
	}
	slices.SortStableFunc(out, func(a, b []int) int { return len(b) - len(a) })
	return out
}

// laplacian multiplies out = L·x, where L is the weighted graph Laplacian of the edges in use.
func (g *graph) laplacian(x, out []float64) {
	clear(out)
	for i := range g.edges {
		e := &g.edges[i]
		if e.off {
			continue
		}
		f := (x[e.a] - x[e.b]) / (e.u * e.u)
		out[e.a] += f
		out[e.b] -= f
	}
}

// solve finds x with L·x = b by conjugate gradients with diagonal scaling, starting at x. b must sum to zero over every
// part. In exact arithmetic it ends after as many steps as there are points; twice that is allowed for rounding.
func (g *graph) solve(x, b []float64) {
	n := len(g.points)
	diag := make([]float64, n)
	for i := range g.edges {
		if e := &g.edges[i]; !e.off {
			diag[e.a] += 1 / (e.u * e.u)
			diag[e.b] += 1 / (e.u * e.u)
		}
	}
	r, z, d, q := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	g.laplacian(x, q)
	var rz, scale float64
	for i := range r {
		if diag[i] == 0 {
			continue
		}
		r[i] = b[i] - q[i]
		z[i] = r[i] / diag[i]
		d[i] = z[i]
		rz += r[i] * z[i]
		scale += b[i] * b[i] / diag[i]
	}
	for step := 0; step < 2*n+20 && rz > 1e-22*scale; step++ {
		g.laplacian(d, q)
		var dq float64
		for i := range d {
			dq += d[i] * q[i]
		}
		if dq <= 0 {
			return
		}
		alpha, next := rz/dq, 0.0
		for i := range d {
			if diag[i] == 0 {
				continue
			}
			x[i] += alpha * d[i]
			r[i] -= alpha * q[i]
			z[i] = r[i] / diag[i]
			next += r[i] * z[i]
		}
		beta := next / rz
		rz = next
		for i := range d {
			d[i] = z[i] + beta*d[i]
		}
	}
}

// fit sets phi by weighted least squares (weights 1/u²) over the edges in use.
func (s *solver) fit() {
	s.phi = s.span(-1).phi
	b := make([]float64, len(s.points))
	for i := range s.edges {
		if e := &s.edges[i]; !e.off {
			w := e.Volts / (e.u * e.u)
			b[e.a] += w
			b[e.b] -= w
		}
	}
	s.solve(s.phi, b)
}

// pairSigma is the standard uncertainty of φ(p) − φ(q) from the fit, volts: the effective
// resistance between the two points in the network with conductances 1/u².
func (g *graph) pairSigma(p, q int) float64 {
	x, b := make([]float64, len(g.points)), make([]float64, len(g.points))
	b[p], b[q] = 1, -1
	g.solve(x, b)
	return math.Sqrt(max(0, x[p]-x[q]))
}

// redundancy is the number of independent loops among the readings in use.
func (g *graph) redundancy() int {
	t := g.span(-1)
	used, roots := 0, 0
	for i := range g.edges {
		if !g.edges[i].off {
			used++
		}
	}
	for _, p := range t.order {
		if t.root[p] == p {
			roots++
		}
	}
	return used - len(t.order) + roots
}
