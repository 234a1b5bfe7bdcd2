package share

import "math"

// trips takes each single trip with a total of amps, and lets the most overloaded string trip until none is. What is
// left carries the load where it holds the device above its cut-off.
func (w *net) trips(total, cutoff float64, rating func(b *branch) float64) (out []Trip) {
	for i := range w.b {
		out = append(out, w.cascade(i, total, cutoff, rating))
	}
	return out
}

func (w *net) cascade(first int, total, cutoff float64, rating func(b *branch) float64) Trip {
	t := Trip{Tripped: w.b[first].id, Then: []string{}}
	x := w.without(first)
	for n := 0; len(x.b) > 0; n++ {
		amps, volts := x.factor(0).current(x.emfs(), total)
		if n == 0 {
			t.Amps, t.Volts = x.named(amps), volts
		}
		worst, over := -1, 1.0
		for i := range x.b {
			if k := rating(&x.b[i]); k > 0 && math.Abs(amps[i])/k > over+1e-12 {
				worst, over = i, math.Abs(amps[i])/k
			}
		}
		if worst < 0 {
			t.LeftAmps, t.Carries = x.named(amps), volts > 0 && (cutoff == 0 || volts >= cutoff)
			return t
		}
		t.Then = append(t.Then, x.b[worst].id)
		x = x.without(worst)
	}
	t.LeftAmps = map[string]float64{}
	return t
}

// survives is the total, in amps, up to which every single trip is borne by the others; 0 where a rating is not known.
// Currents are linear in the total: for each trip and string there is one total at which it reaches its rating.
func (w *net) survives() float64 {
	least := math.Inf(1)
	for i := range w.b {
		x := w.without(i)
		f := x.factor(0)
		base, _ := f.current(x.emfs(), 0)
		for j := range x.b {
			if x.b[j].trip <= 0 {
				return 0
			}
			share := f.y[j] / f.sumY // of each amp of the total
			least = min(least, (x.b[j].trip-base[j])/share)
		}
	}
	return max(0, least)
}
