package join

import (
	"math"

	"pandrel/core/base/chem"
)

// branch is one bank in the circuit. q is the amp hours given so far, v1 the volts over its RC pair.
type branch struct {
	curve           chem.Curve
	s, ah, soc0     float64
	r0, r1          float64 // ohms
	q, v1           float64
	highest, lowest float64 // volts of a group under way, where it receives and where it gives
}

func (b *branch) emf(q float64) float64   { return b.s * b.curve.Beyond(b.soc0-q/b.ah) }
func (b *branch) slope(q float64) float64 { return b.s * b.curve.BeyondSlope(b.soc0-q/b.ah) / b.ah } // volts per Ah

// circuit is the banks on one bar.
type circuit struct {
	b          []branch
	link       float64 // ohms of half the link
	smallestAh float64
	first      []float64 // currents in the first moment
	i, rhs, j  []float64
}

// state is what goes from step to step.
type state struct{ q, v1 []float64 }

func (c *circuit) state() state {
	s := state{make([]float64, len(c.b)), make([]float64, len(c.b))}
	for k := range c.b {
		s.q[k], s.v1[k] = c.b[k].q, c.b[k].v1
	}
	return s
}

func (c *circuit) set(s state) {
	for k := range c.b {
		c.b[k].q, c.b[k].v1 = s.q[k], s.v1[k]
	}
}

// currents solves Kirchhoff's law at the bar for a state as it stands: what flows at once.
func (c *circuit) currents(s state, out []float64) (bar float64) {
	num, den := 0.0, 0.0
	for k := range c.b {
		b := &c.b[k]
		r := b.r0 + c.link
		num += (b.emf(s.q[k]) - s.v1[k]) / r
		den += 1 / r
	}
	bar = num / den
	for k := range c.b {
		b := &c.b[k]
		out[k] = (b.emf(s.q[k]) - s.v1[k] - bar) / (b.r0 + c.link)
	}
	return bar
}

// stage solves x = base + a·f(x) for the currents i; a in seconds. Newton's method: every branch depends on its own
// current and on the bar alone, so that the linear system is solved by elimination.
func (c *circuit) stage(base state, a float64, i []float64, out state) {
	const hour = 3600.0
	d := 1 + a/tauSeconds
	bar := 0.0
	for it := range 40 {
		sum, num, den := 0.0, 0.0, 0.0
		for k := range c.b {
			b := &c.b[k]
			q := base.q[k] + a*i[k]/hour
			v1 := (base.v1[k] + a*i[k]*b.r1/tauSeconds) / d
			c.rhs[k] = b.emf(q) - v1 - i[k]*(b.r0+c.link)
			c.j[k] = b.r0 + c.link + b.slope(q)*a/hour + a*b.r1/tauSeconds/d
			num += c.rhs[k] / c.j[k]
			den += 1 / c.j[k]
			sum += i[k]
		}
		bar = (num + sum) / den
		change, size := 0.0, 0.0
		for k := range c.b {
			di := (c.rhs[k] - bar) / c.j[k]
			i[k] += di
			change, size = max(change, math.Abs(di)), max(size, math.Abs(i[k]))
		}
		if it > 0 && change <= 1e-11*size+1e-12 {
			break
		}
	}
	for k := range c.b {
		out.q[k] = base.q[k] + a*i[k]/hour
		out.v1[k] = (base.v1[k] + a*i[k]*c.b[k].r1/tauSeconds) / d
	}
}

// step goes from s over h seconds. i holds the currents before and after.
func (c *circuit) step(s state, h float64, i []float64) state {
	g := 1 - 1/math.Sqrt2
	one, two := newState(len(c.b)), newState(len(c.b))
	c.stage(s, g*h, i, one)
	base := newState(len(c.b))
	for k := range c.b {
		// f at the first stage follows from its own equation
		base.q[k] = s.q[k] + (1-g)/g*(one.q[k]-s.q[k])
		base.v1[k] = s.v1[k] + (1-g)/g*(one.v1[k]-s.v1[k])
	}
	c.stage(base, g*h, i, two)
	return two
}

func newState(n int) state { return state{make([]float64, n), make([]float64, n)} }

// marks are the times at which the current is kept.
func marks(end float64) (out []float64) {
	for d := 0.001; d < end; d *= 10 {
		for _, k := range []float64{1, 1.5, 2, 3, 4, 5, 6, 7, 8} {
			out = append(out, k*d)
		}
	}
	return append(out, 3600, end)
}

// run closes the circuit and lets it go on until little flows, or until done says so.
//
// In one piece: a step needs all that the one before left behind.
func (c *circuit) run(end float64, done func(s state, seconds float64) bool) Result {
	n := len(c.b)
	c.i, c.rhs, c.j = make([]float64, n), make([]float64, n), make([]float64, n)
	s := c.state()
	i := make([]float64, n)
	bar := c.currents(s, i)
	c.first = append([]float64(nil), i...)
	lead := 0
	for k := range i {
		if math.Abs(i[k]) > math.Abs(i[lead]) {
			lead = k
		}
	}
	sign := 1.0
	if i[lead] < 0 {
		sign = -1
	}
	r := Result{FirstAmps: math.Abs(i[lead])}
	r.Current = append(r.Current, [2]float64{0, r.FirstAmps})
	stop := min(endAmps, endC*c.smallestAh)
	tol := stepTolerance * max(r.FirstAmps, 1e-6)
	t, h := 0.0, 1e-3
	times := sortedMarks(end)
	c.watch(i, s, bar)
	below := r.FirstAmps <= endAmps
	if below {
		r.SecondsTo1A = new(float64)
	}
	for next := 0; t < end && largest(i) >= stop; {
		for next < len(times) && times[next] <= t {
			next++
		}
		if next == len(times) {
			break
		}
		to := min(h, times[next]-t)
		hit := to == times[next]-t
		whole := append([]float64(nil), i...)
		half := append([]float64(nil), i...)
		a := c.step(s, to, whole)
		m := c.step(s, to/2, half)
		mid := append([]float64(nil), half...)
		b := c.step(m, to/2, half)
		err := math.Abs(whole[lead] - half[lead])
		for k := range a.q {
			err = max(err, math.Abs(whole[k]-half[k]))
		}
		if err > tol && to > 1e-6 {
			h = to * max(0.2, 0.8*math.Cbrt(tol/err))
			continue
		}
		if !below && largest(half) <= endAmps {
			below = true
			at := t + c.crossing(s, to, i)
			r.SecondsTo1A = &at
		}
		c.heat(&r, i, mid, half, to)
		s, i = b, half
		bar = c.currents(s, append([]float64(nil), i...))
		c.watch(i, s, bar)
		if t += to; hit {
			t = times[next]
			r.Current = append(r.Current, [2]float64{t, sign * i[lead]})
		}
		h = min(max(h, to)*min(3, 0.8*math.Cbrt(tol/max(err, 1e-30))), 1800)
		if done != nil && done(s, t) {
			break
		}
	}
	if last := r.Current[len(r.Current)-1]; last[0] < t {
		r.Current = append(r.Current, [2]float64{t, sign * i[lead]})
	}
	c.set(s)
	r.EndVolts, r.EndSeconds = bar, t
	for k := range c.b {
		r.AhMoved += math.Abs(c.b[k].q) / 2
	}
	r.amps10s = r.FirstAmps
	if t > 0 {
		r.amps10s = math.Abs(r.At(10))
	}
	return r
}

func sortedMarks(end float64) []float64 {
	m := marks(end)
	out := m[:0]
	for _, x := range m {
		if x <= end {
			out = append(out, x)
		}
	}
	for a := 1; a < len(out); a++ { // nearly sorted already
		for b := a; b > 0 && out[b] < out[b-1]; b-- {
			out[b], out[b-1] = out[b-1], out[b]
		}
	}
	return out
}

func largest(i []float64) float64 {
	m := 0.0
	for _, x := range i {
		m = max(m, math.Abs(x))
	}
	return m
}

// crossing is when, within a step, the largest current falls to 1 A.
func (c *circuit) crossing(s state, h float64, i []float64) float64 {
	low, high := 0.0, h
	for range 40 {
		mid := (low + high) / 2
		x := append([]float64(nil), i...)
		c.step(s, mid, x)
		if largest(x) > endAmps {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}

// heat adds the joules of a step by Simpson's rule.
func (c *circuit) heat(r *Result, a, m, b []float64, h float64) {
	for k := range c.b {
		sq := (a[k]*a[k] + 4*m[k]*m[k] + b[k]*b[k]) / 6 * h
		r.HeatJ += sq * c.link
		r.CellsHeatJ += sq * c.b[k].r0
	}
}

// watch keeps the highest volts of a group that receives and the lowest of one that gives.
func (c *circuit) watch(i []float64, s state, bar float64) {
	for k := range c.b {
		b := &c.b[k]
		v := (bar + i[k]*c.link) / b.s
		if i[k] < 0 {
			b.highest = max(b.highest, v)
		} else if b.lowest == 0 || v < b.lowest {
			b.lowest = v
		}
	}
}
