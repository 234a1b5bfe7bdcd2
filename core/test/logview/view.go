package logview

import (
	"math"
	"slices"
	"strconv"

	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
)

// Column is one column of a View; a value that is missing is NaN, and null in JSON.
type Column []float64

// MarshalJSON writes values to a tenth of a millivolt or milliamp.
func (c Column) MarshalJSON() ([]byte, error) {
	b := make([]byte, 0, 8*len(c)+2)
	b = append(b, '[')
	for i, x := range c {
		if i > 0 {
			b = append(b, ',')
		}
		if math.IsNaN(x) || math.IsInf(x, 0) {
			b = append(b, "null"...)
		} else {
			b = strconv.AppendFloat(b, math.Round(x*1e4)/1e4, 'f', -1, 64)
		}
	}
	return append(b, ']'), nil
}

// View is a stretch of a log for a picture: of each column the lowest and the highest value of each strip, in the
// order in which they came, so that neither a dip nor a spike is lost at any width. Where Whole is true it holds every
// sample. A hole while current flowed is a row of missing values.
type View struct {
	Whole   bool     `json:"whole"`
	FromS   float64  `json:"from"`
	ToS     float64  `json:"to"`
	Seconds Column   `json:"t"`
	Volts   Column   `json:"v"`
	Amps    Column   `json:"a"`
	TempC   Column   `json:"temp,omitempty"`
	Groups  []Column `json:"g,omitempty"`
}

// ViewOf returns what lies between two times in at most strips strips, with the samples beside them, so that lines
// run out of the picture. gaps are those of Analyse. Cost is linear in the samples between.
func ViewOf(log *logfile.Log, gaps []trace.Gap, fromS, toS float64, strips int) View {
	t := log.Seconds
	first, _ := slices.BinarySearch(t, fromS)
	behind, _ := slices.BinarySearch(t, math.Nextafter(toS, math.Inf(1)))
	first, behind = max(0, first-1), min(len(t), behind+1)
	strips = max(1, strips)
	v := View{FromS: fromS, ToS: toS, Whole: behind-first <= 2*strips, Groups: make([]Column, len(log.Groups))}
	hole := 0
	broken := func(i int) bool { // between sample i and the one before
		for hole < len(gaps) && gaps[hole].ToS < t[i] {
			hole++
		}
		return i > first && hole < len(gaps) && t[i-1] >= gaps[hole].FromS && t[i] <= gaps[hole].ToS
	}
	width := (t[behind-1] - t[first]) / float64(strips)
	for i := first; i < behind; {
		k := i + 1
		if broken(i) {
			v.row(math.Nextafter(t[i-1], math.Inf(1)), log, -1, -1)
		}
		if v.Whole {
			v.row(t[i], log, i, i)
			i = k
			continue
		}
		end := t[first] + (math.Floor((t[i]-t[first])/width)+1)*width
		for k < behind && t[k] < end && !broken(k) {
			k++
		}
		v.row(t[i], log, i, k)
		i = k
	}
	return v
}

// row adds what lies from sample i to before k: a single sample where both are one, a hole where i is negative.
func (v *View) row(at float64, log *logfile.Log, i, k int) {
	rows := 2
	switch {
	case i < 0:
		rows = 1
	case k <= i+1:
		rows, k = 1, i+1
	}
	v.Seconds = append(v.Seconds, at)
	if rows == 2 {
		v.Seconds = append(v.Seconds, (at+log.Seconds[k-1])/2)
	}
	v.Volts = ends(v.Volts, log.Volts, i, k, rows)
	v.Amps = ends(v.Amps, log.Amps, i, k, rows)
	if log.TempC != nil {
		v.TempC = ends(v.TempC, log.TempC, i, k, rows)
	}
	for g := range log.Groups {
		v.Groups[g] = ends(v.Groups[g], log.Groups[g], i, k, rows)
	}
}

// ends appends the lowest and the highest of col[i:k], the one first that came first.
func ends[T float32 | float64](out Column, col []T, i, k, rows int) Column {
	if i < 0 {
		return append(out, math.NaN())
	}
	if rows == 1 {
		return append(out, float64(col[i]))
	}
	lo, hi := -1, -1
	for n := i; n < k; n++ {
		x := col[n]
		if x != x {
			continue
		}
		if lo < 0 {
			lo, hi = n, n
			continue
		}
		if x < col[lo] {
			lo = n
		} else if x > col[hi] {
			hi = n
		}
	}
	switch {
	case lo < 0:
		return append(out, math.NaN(), math.NaN())
	case lo > hi:
		lo, hi = hi, lo
	}
	return append(out, float64(col[lo]), float64(col[hi]))
}
