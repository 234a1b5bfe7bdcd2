// Package unsure says what a bank holds when its modules are known only within intervals, and which of them to test
// first because they decide most (rules §16, §17).
package unsure

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"pandrel/core/base/known"
)

// Part is one module in its place, with what it holds in amp hours: Position counts along the string, Mate those beside
// each other, both from 0.
type Part struct {
	Name           string
	Position, Mate int
	Ah             known.Value
}

// Open reports whether the module is known only within an interval.
func (p Part) Open() bool { return p.Ah.High()-p.Ah.Low() > 1e-9*p.Ah.High() }

// Decisive is a module to test, and the share of what is unsure of the bank that its test settles.
type Decisive struct {
	Name  string
	Share float64 // 0…1
}

const (
	draws = 4000
	bins  = 20
	seed  = 0x756e73
	// leastShare is where a share is no more than the noise of the draws.
	leastShare = 0.02
)

// JudgeParts works out what a bank holds, amp hours: the least if every module holds the least it may, the most if each
// holds the most. No module of it can make the bank better or worse than that, and it is known no better than the worst
// of them. It fails for no modules, and for one of which nothing is known.
func JudgeParts(parts []Part, stringsFirst bool) (known.Value, error) {
	if err := check(parts); err != nil {
		return known.Value{}, err
	}
	s, ah := newShape(parts, stringsFirst), make([]float64, len(parts))
	pick := func(of func(known.Value) float64) float64 {
		for i, p := range parts {
			ah[i] = of(p.Ah)
		}
		return s.bank(ah)
	}
	from := known.Measured
	for _, p := range parts {
		from = min(from, p.Ah.From())
	}
	return known.Within(pick(known.Value.V), pick(known.Value.Low), pick(known.Value.High), from).Times(1), nil
}

func check(parts []Part) error {
	if len(parts) == 0 {
		return fmt.Errorf("no modules: expected at least one")
	}
	for _, p := range parts {
		if !p.Ah.Is() || p.Ah.Low() < 0 || p.Ah.High() > 1e6 {
			return fmt.Errorf("module %s: %s: expected a capacity from 0 to 1 000 000 Ah", p.Name, p.Ah.Text(1, "Ah"))
		}
		if p.Position < 0 || p.Mate < 0 || p.Position > 1000 || p.Mate > 1000 {
			return fmt.Errorf("module %s: place %d, %d: expected 0 to 1000", p.Name, p.Position, p.Mate)
		}
	}
	return nil
}

// shape is where the modules stand, as indices that sums can be kept under.
type shape struct {
	at       []int
	stringly bool
	sums     []float64
}

func newShape(parts []Part, stringsFirst bool) *shape {
	s := &shape{stringly: stringsFirst}
	index := map[int]int{}
	for _, p := range parts {
		key := p.Position
		if stringsFirst {
			key = p.Mate
		}
		k, ok := index[key]
		if !ok {
			k = len(index)
			index[key] = k
		}
		s.at = append(s.at, k)
	}
	s.sums = make([]float64, len(index))
	return s
}

// bank is the capacity: parallel first the least sum of a position, strings first the sum of each string's least.
func (s *shape) bank(ah []float64) float64 {
	for k := range s.sums {
		s.sums[k] = 0
		if s.stringly {
			s.sums[k] = math.Inf(1)
		}
	}
	for i, a := range ah {
		if s.stringly {
			s.sums[s.at[i]] = min(s.sums[s.at[i]], a)
		} else {
			s.sums[s.at[i]] += a
		}
	}
	if !s.stringly {
		return slices.Min(s.sums)
	}
	out := 0.0
	for _, v := range s.sums {
		out += v
	}
	return out
}

// TestFirst lists the modules whose test would settle most of what is unsure, most first, at most n. Each share is the
// first-order share of the variance of the bank (the variance of its mean given that module, over the whole variance)
// in draws from triangles over the intervals, by a fixed seed: the same bank gives the same list. Where the modules are
// alike the list is by name; where nothing is unsure it is empty. Cost is O(draws · modules).
func TestFirst(parts []Part, stringsFirst bool, n int) ([]Decisive, error) {
	if err := check(parts); err != nil {
		return nil, err
	}
	order := slices.Clone(parts) // by name, so that the order in which they come says nothing
	slices.SortFunc(order, func(a, b Part) int { return cmp.Compare(a.Name, b.Name) })
	s := newShape(order, stringsFirst)
	rng := rand.New(rand.NewPCG(seed, uint64(len(order))))
	ah, at := make([]float64, len(order)), make([][]uint8, len(order))
	for i := range at {
		at[i] = make([]uint8, draws)
	}
	out := make([]float64, draws)
	mean := 0.0
	for d := range draws {
		for i, p := range order {
			u := rng.Float64()
			ah[i], at[i][d] = triangle(p, u), uint8(u*bins)
		}
		out[d] = s.bank(ah)
		mean += out[d] / draws
	}
	variance := 0.0
	for _, v := range out {
		variance += (v - mean) * (v - mean) / draws
	}
	if variance <= 1e-12*mean*mean {
		return nil, nil
	}
	var list []Decisive
	for i, p := range order {
		if !p.Open() {
			continue
		}
		if share := explained(out, at[i], mean) / variance; share >= leastShare || len(order) > 1/leastShare {
			list = append(list, Decisive{p.Name, min(1, share)})
		}
	}
	slices.SortStableFunc(list, func(a, b Decisive) int {
		// shares within the noise are alike
		return cmp.Compare(math.Round(b.Share/leastShare), math.Round(a.Share/leastShare))
	})
	return list[:min(n, len(list))], nil
}

// triangle is the value below which a share u of a triangle over the interval lies.
func triangle(p Part, u float64) float64 {
	w := p.Ah.High() - p.Ah.Low()
	if w <= 0 {
		return p.Ah.V()
	}
	if c := (p.Ah.V() - p.Ah.Low()) / w; u < c {
		return p.Ah.Low() + math.Sqrt(u*c)*w
	} else {
		return p.Ah.High() - math.Sqrt((1-u)*(1-c))*w
	}
}

// explained is the variance of the means of out over bins of equal share, less what chance alone gives them.
func explained(out []float64, bin []uint8, mean float64) float64 {
	var sum, sq, n [bins]float64
	for d, b := range bin {
		sum[b] += out[d]
		sq[b] += out[d] * out[d]
		n[b]++
	}
	v := 0.0
	for b := range bins {
		if n[b] < 2 {
			continue
		}
		m := sum[b] / n[b]
		within := max(0, sq[b]/n[b]-m*m)
		v += n[b] / float64(len(out)) * ((m-mean)*(m-mean) - within/(n[b]-1))
	}
	return max(0, v)
}
