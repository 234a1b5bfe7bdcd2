package share

import "math"

// factored is a net's matrix R + B, plus h times the slopes of the rest voltages where a step of time is taken, as its
// Cholesky factor, with the answer to a unit of volts.
type factored struct {
	l    []float64
	n    int
	y    []float64 // currents for one volt everywhere
	sumY float64
}

// still is the net of a moment, prepared once.
func (w *net) still() *factored {
	if w.f0 == nil {
		w.f0 = w.factor(0)
	}
	return w.f0
}

// factor prepares a net. h is 0 for a moment, else the hours of a step: the rest voltages then give way as they will.
func (w *net) factor(h float64, slopes ...float64) *factored {
	n := len(w.b)
	f := w.scratch
	if f == nil || h == 0 {
		f = &factored{l: make([]float64, n*n), n: n, y: make([]float64, n)}
		if h > 0 {
			w.scratch = f
		}
	}
	for i := range n {
		for j := range i + 1 {
			f.l[i*n+j] = w.shared(w.b[i].at, w.b[j].at)
		}
		f.l[i*n+i] += w.b[i].r
		if h > 0 {
			f.l[i*n+i] += h * slopes[i]
		}
	}
	for j := range n {
		d := f.l[j*n+j]
		for k := range j {
			d -= f.l[j*n+k] * f.l[j*n+k]
		}
		d = math.Sqrt(max(d, 1e-18))
		f.l[j*n+j] = d
		for i := j + 1; i < n; i++ {
			s := f.l[i*n+j]
			for k := range j {
				s -= f.l[i*n+k] * f.l[j*n+k]
			}
			f.l[i*n+j] = s / d
		}
	}
	f.sumY = 0
	for i := range f.y {
		f.y[i] = 1
	}
	f.solve(f.y)
	for _, v := range f.y {
		f.sumY += v
	}
	return f
}

// shared is the resistance, in ohms, of the part of the bars that the currents of two places both use.
func (w *net) shared(i, j int) float64 {
	if w.flat {
		return 0
	}
	over := func(tap float64) float64 {
		a, b := float64(i)-tap, float64(j)-tap
		if a*b <= 0 {
			return 0
		}
		return min(math.Abs(a), math.Abs(b))
	}
	return w.step * (over(w.plus) + over(w.minus))
}

// solve puts the answer in the place of x.
func (f *factored) solve(x []float64) {
	n := f.n
	for i := range n {
		for k := range i {
			x[i] -= f.l[i*n+k] * x[k]
		}
		x[i] /= f.l[i*n+i]
	}
	for i := n - 1; i >= 0; i-- {
		for k := i + 1; k < n; k++ {
			x[i] -= f.l[k*n+i] * x[k]
		}
		x[i] /= f.l[i*n+i]
	}
}

// current shares a total of amps among the strings.
func (f *factored) current(emf []float64, total float64) (amps []float64, volts float64) {
	amps = append([]float64(nil), emf...)
	f.solve(amps)
	sum := 0.0
	for _, v := range amps {
		sum += v
	}
	volts = (sum - total) / f.sumY
	for i := range amps {
		amps[i] -= volts * f.y[i]
	}
	return amps, volts
}

// open is the voltage without a load: by symmetry the answer to one volt weighs the rest voltages.
func (f *factored) open(emf []float64) float64 {
	sum := 0.0
	for i, e := range emf {
		sum += e * f.y[i]
	}
	return sum / f.sumY
}

// power shares a load that draws watts whatever the voltage. ok is false where that is more than there is; the most
// that there is flows then.
func (f *factored) power(emf []float64, watts float64) (amps []float64, volts float64, ok bool) {
	open := f.open(emf)
	r := 1 / f.sumY
	d := open*open - 4*r*watts
	ok = d >= 0
	return f.powered(emf, (open-math.Sqrt(max(0, d)))/(2*r), ok)
}

func (f *factored) powered(emf []float64, total float64, ok bool) ([]float64, float64, bool) {
	amps, volts := f.current(emf, total)
	return amps, volts, ok
}

// most is the most watts that the strings give at all.
func (f *factored) most(emf []float64) float64 {
	open := f.open(emf)
	return open * open * f.sumY / 4
}
