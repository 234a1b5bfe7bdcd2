package logview

import (
	"math"

	"pandrel/core/base/numeral"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
)

// Thin is a log reduced for a picture: one entry for each stretch of time, with the lowest and
// highest voltage in it, so that no dip is lost. Groups and temperatures hold means of what was read; where a
// stretch has none, the one before stands.
type Thin struct {
	Seconds []float64   `json:"t"`
	LowV    []float64   `json:"lo"`
	HighV   []float64   `json:"hi"`
	Amps    []float64   `json:"a"`
	TempC   []float64   `json:"temp,omitempty"`
	Groups  [][]float64 `json:"g,omitempty"`
	// First is the first of the module's groups that was on the clamps, 0 for 1.
	First    int             `json:"first,omitempty"`
	Numbers  []int           `json:"numbers,omitempty"` // of Groups, where one has no column
	EndS     float64         `json:"end"`
	FloorV   float64         `json:"floor"` // of a group
	Segments []trace.Segment `json:"segments"`
	Gaps     []trace.Gap     `json:"gaps"`
}

// Thinned reduces log to at most n stretches. Stretches without samples are left out, so that a gap stays a gap.
func Thinned(log *logfile.Log, n int) Thin {
	t := Thin{EndS: log.Seconds[len(log.Seconds)-1]}
	t.Groups = make([][]float64, len(log.Groups))
	anyTemp := mean(log.TempC, 0)
	width := t.EndS / float64(n)
	if width <= 0 {
		width = 1
	}
	for i := 0; i < len(log.Seconds); {
		bucket := math.Floor(log.Seconds[i] / width)
		k := i
		lo, hi, amps := math.Inf(1), math.Inf(-1), 0.0
		for k < len(log.Seconds) && math.Floor(log.Seconds[k]/width) == bucket {
			lo, hi = min(lo, log.Volts[k]), max(hi, log.Volts[k])
			amps += log.Amps[k]
			k++
		}
		t.Seconds = append(t.Seconds, math.Round(log.Seconds[i]*10)/10)
		t.LowV, t.HighV = append(t.LowV, numeral.Round3(lo)), append(t.HighV, numeral.Round3(hi))
		t.Amps = append(t.Amps, numeral.Round3(amps/float64(k-i)))
		if log.TempC != nil {
			t.TempC = append(t.TempC, math.Round(mean(log.TempC[i:k], last(t.TempC, anyTemp))*10)/10)
		}
		for g := range log.Groups {
			t.Groups[g] = append(t.Groups[g], numeral.Round3(mean(log.Groups[g][i:k], last(t.Groups[g],
				hi/float64(len(log.Groups))))))
		}
		i = k
	}
	return t
}

// mean is that of the values that were read; before where there is none.
func mean[T float32 | float64](v []T, before float64) float64 {
	sum, n := 0.0, 0
	for _, x := range v {
		if x := float64(x); !math.IsNaN(x) {
			sum += x
			n++
		}
	}
	if n == 0 {
		return before
	}
	return sum / float64(n)
}

func last(v []float64, none float64) float64 {
	if len(v) == 0 {
		return none
	}
	return v[len(v)-1]
}

// Discharged is a discharge of a thinned log as a curve that cycles and modules are compared by: amp hours that were
// taken out so far, and volts of the mean group. A gap ends it, since what flowed in it is not known.
func (t Thin) Discharged(series int, fromS, toS float64) (points [][2]float64) {
	ah := 0.0
	for i, s := range t.Seconds {
		if s < fromS-1 || s > toS+1 {
			continue
		}
		if n := len(points); n > 0 {
			for _, g := range t.Gaps {
				if g.FromS < s && g.ToS > t.Seconds[i-1]+1 && g.ToS-g.FromS > 60 {
					return points
				}
			}
			ah -= (t.Amps[i] + t.Amps[i-1]) / 2 * (s - t.Seconds[i-1]) / 3600
		}
		points = append(points, [2]float64{ah, (t.LowV[i] + t.HighV[i]) / 2 / float64(max(series, 1))})
	}
	return points
}
