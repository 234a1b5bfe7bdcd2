package sample

import (
	"math"
	"slices"
)

// Bin is how many values lie from Low up to, but not at, Low + the width.
type Bin struct {
	Low   float64
	Count int
}

// Bins counts values in steps of a width, from the least to the greatest, empty steps between them too. There are at
// most
// a hundred steps; a width that would make more is doubled until it does not. Values that are no numbers are left out.
func Bins(values []float64, width float64) (bins []Bin, used float64) {
	v := slices.DeleteFunc(slices.Clone(values), func(x float64) bool { return math.IsNaN(x) || math.IsInf(x, 0) })
	if len(v) == 0 || !(width > 0) {
		return nil, width
	}
	low, high := slices.Min(v), slices.Max(v)
	for (high-low)/width > 98 {
		width *= 2
	}
	first := math.Floor(low/width + 1e-9)
	n := int(math.Floor(high/width+1e-9)-first) + 1
	bins = make([]Bin, n)
	for i := range bins {
		bins[i].Low = (first + float64(i)) * width
	}
	for _, x := range v {
		bins[min(n-1, max(0, int(math.Floor(x/width+1e-9)-first)))].Count++
	}
	return bins, width
}

// NiceWidth is a step of 1, 2 or 5 times a power of ten that makes about eight of a range.
func NiceWidth(v []float64) float64 {
	w := (slices.Max(v) - slices.Min(v)) / 8
	if !(w > 0) {
		return 1
	}
	p := math.Pow(10, math.Floor(math.Log10(w)))
	for _, k := range []float64{1, 2, 5} {
		if k*p >= w {
			return k * p
		}
	}
	return 10 * p
}
