package network

import "math"

// Resistor joins two nodes.
type Resistor struct {
	A, B int
	MOhm float64 // above 0
}

// Solved is what a solver ended with. Converged is false where the residual did not fall below what was asked for:
// the value is then an estimate, and nobody may take it for more.
type Solved struct {
	MOhm      float64
	Converged bool
	Steps     int
}

// residual is when the solver stops: as a share of the injected current.
const residual = 1e-8

// Resistance is that between two of n nodes. It is 0, and converged, where they are one node or where nothing joins
// them.
//
// Method: nodal analysis, solved by conjugate gradients with a diagonal preconditioner (Hestenes and Stiefel, J. Res.
// Nat. Bur. Stand. 49, 1952). It stops at a residual of 1e-8 of the injected current, or after twice as many steps as
// there are nodes, which exact arithmetic never needs. Cost: a step is linear in resistors; a chain of n needs about
// n steps, a mesh about √n.
func Resistance(n int, resistors []Resistor, from, to int) Solved {
	if from == to || !connected(n, resistors, from, to) {
		return Solved{Converged: true}
	}
	g := newGradient(n, resistors, from, to)
	limit := 2*n + 10
	for step := 1; step <= limit; step++ {
		left, ok := g.step()
		if !ok {
			return Solved{g.x[from], false, step}
		}
		if left < residual {
			return Solved{g.x[from], true, step}
		}
	}
	return Solved{g.x[from], false, limit}
}

// gradient is the state of the conjugate gradients. Node to is held at zero; parts of the circuit away from it carry
// no current and stay at zero.
type gradient struct {
	resistors      []Resistor
	to             int
	diag           []float64
	x, r, z, p, ap []float64
	rz             float64
}

func newGradient(n int, resistors []Resistor, from, to int) *gradient {
	vec := func() []float64 { return make([]float64, n) }
	g := &gradient{resistors: resistors, to: to, diag: vec(), x: vec(), r: vec(), z: vec(), p: vec(), ap: vec()}
	for _, l := range resistors {
		g.diag[l.A] += 1 / l.MOhm
		g.diag[l.B] += 1 / l.MOhm
	}
	g.r[from] = 1
	g.scale()
	copy(g.p, g.z)
	g.rz = dot(g.r, g.z)
	return g
}

// apply multiplies by the conductance matrix.
func (g *gradient) apply() {
	clear(g.ap)
	for _, l := range g.resistors {
		d := (g.p[l.A] - g.p[l.B]) / l.MOhm
		g.ap[l.A] += d
		g.ap[l.B] -= d
	}
	g.ap[g.to] = g.p[g.to]
}

func (g *gradient) scale() {
	for i := range g.z {
		g.z[i] = 0
		if i != g.to && g.diag[i] > 0 {
			g.z[i] = g.r[i] / g.diag[i]
		}
	}
}

// step goes one step; it returns the residual, and false where rounding has eaten the direction.
func (g *gradient) step() (left float64, ok bool) {
	g.apply()
	pap := dot(g.p, g.ap)
	if !(pap > 0) {
		return math.Inf(1), false
	}
	alpha := g.rz / pap
	for i := range g.x {
		g.x[i] += alpha * g.p[i]
		g.r[i] -= alpha * g.ap[i]
	}
	g.r[g.to] = 0
	left = math.Sqrt(dot(g.r, g.r))
	g.scale()
	next := dot(g.r, g.z)
	beta := next / g.rz
	g.rz = next
	for i := range g.p {
		g.p[i] = g.z[i] + beta*g.p[i]
	}
	return left, true
}

func dot(a, b []float64) float64 {
	sum := 0.0
	for i, v := range a {
		sum += v * b[i]
	}
	return sum
}

// connected reports whether resistors lead from one node to another.
func connected(n int, resistors []Resistor, from, to int) bool {
	l := NewLevels(n)
	for _, r := range resistors {
		l.Join(r.A, r.B, 0, 0)
	}
	_, _, ok := l.Between(from, to)
	return ok
}
