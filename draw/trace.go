package draw

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
)

// Trace draws a log: group voltages or the mean above, current below, segments as bands, gaps
// hatched in words, the floor as a line. limiting is the group that ended the test, 0 for none.
//
// In one piece: a picture is drawn from back to front.
func Trace(title string, t logview.Thin, series, limiting int) string {
	const w, h, left, right, top, split, bottom = 1140.0, 400.0, 62.0, 14.0, 26.0, 284.0, 364.0
	c := open(w, h, "trace", title, describeTrace(t))
	if len(t.Seconds) == 0 || t.EndS <= 0 {
		c.text("dr-soft", w/2, h/2, 14, "middle", "no samples")
		return c.close()
	}
	series = max(series, 1)
	lo, hi := t.FloorV, t.FloorV
	if lo == 0 {
		lo, hi = math.Inf(1), math.Inf(-1)
	}
	for i := range t.LowV {
		lo, hi = min(lo, t.LowV[i]/float64(series)), max(hi, t.HighV[i]/float64(series))
	}
	for _, g := range t.Groups {
		lo, hi = min(lo, slices.Min(g)), max(hi, slices.Max(g))
	}
	lo, hi = math.Floor(lo*5-0.2)/5, math.Ceil(hi*5+0.2)/5
	amax := 1.0
	for _, a := range t.Amps {
		amax = max(amax, math.Abs(a))
	}
	amax = nice(amax)
	x := func(s float64) float64 { return left + (w-left-right)*s/t.EndS }
	y := func(v float64) float64 { return split - 30 - (split-30-top)*(v-lo)/(hi-lo) }
	ya := func(a float64) float64 { return (split+bottom)/2 - (bottom-split)/2*a/amax }

	for _, s := range t.Segments {
		if s.Kind != trace.Rest {
			c.rect("dr-band", x(s.StartS), top, max(1, x(s.EndS)-x(s.StartS)), bottom-top, 0)
		}
	}
	for _, g := range t.Gaps {
		gw := max(3, x(g.ToS)-x(g.FromS))
		c.rect("dr-gap", x(g.FromS), top, gw, bottom-top, 0)
		c.text("dr-ink", x(g.FromS)+gw/2, top+14, 12, "middle", "gap")
	}
	for v := lo; v <= hi+1e-9; v += nice((hi - lo) / 5) {
		c.line("dr-hair", left, y(v), w-right, y(v))
		c.text("dr-soft num", left-8, y(v)+4, 12, "end", fmt.Sprintf("%.1f V", v))
	}
	for _, a := range []float64{-amax, 0, amax} {
		c.line("dr-hair", left, ya(a), w-right, ya(a))
		c.text("dr-soft num", left-8, ya(a)+4, 12, "end", fmt.Sprintf("%.0f A", a))
	}
	hours := t.EndS / 3600
	step := nice(hours / 7)
	for k := 0.0; k <= hours+1e-9; k += step {
		c.text("dr-soft num", x(k*3600), h-14, 12, "middle", fmt.Sprintf("%g h", math.Round(k*100)/100))
	}
	if t.FloorV > 0 {
		c.line("dr-dash", left, y(t.FloorV), w-right, y(t.FloorV))
		c.text("dr-ink num", left+4, y(t.FloorV)-5, 12, "start", fmt.Sprintf("floor %.2f V", t.FloorV))
	}
	worst := limiting - 1
	if t.Numbers != nil {
		worst = slices.Index(t.Numbers, limiting)
	}
	for g, v := range t.Groups {
		if g != worst {
			c.path("dr-group", polyline(t.Seconds, v, x, y, t))
		}
	}
	if len(t.Groups) == 0 {
		mean := make([]float64, len(t.LowV))
		for i := range mean {
			mean[i] = (t.LowV[i] + t.HighV[i]) / 2 / float64(series)
		}
		c.path("dr-volts", polyline(t.Seconds, mean, x, y, t))
	}
	if worst >= 0 && worst < len(t.Groups) {
		v := t.Groups[worst]
		c.path("dr-worst", polyline(t.Seconds, v, x, y, t))
	}
	c.path("dr-amps", polyline(t.Seconds, t.Amps, x, ya, t))
	c.text("dr-ink", left+4, top-8, 13, "start",
		map[bool]string{true: "group voltages", false: "mean voltage of a group"}[len(t.Groups) > 0])
	if limiting > 0 {
		c.text("dr-ink", w-right-4, top-8, 13, "end", fmt.Sprintf("group %d reached the floor first",
			limiting+max(t.First, 1)-1))
	}
	c.text("dr-ink", left+4, split-8, 13, "start", "current, positive charges")
	return c.close()
}

// polyline joins samples, and lifts the pen over gaps.
func polyline(ts, vs []float64, x, y func(float64) float64, t logview.Thin) string {
	var b strings.Builder
	pen := "M"
	for i := range ts {
		if i > 0 && slices.ContainsFunc(t.Gaps, func(g trace.Gap) bool {
			return ts[i-1] <= g.FromS+1 && ts[i] >= g.ToS-1
		}) {
			pen = "M"
		}
		b.WriteString(pen + num(x(ts[i])) + " " + num(y(vs[i])))
		pen = "L"
	}
	return b.String()
}

// nice rounds up to 1, 2 or 5 times a power of ten.
func nice(v float64) float64 {
	if v <= 0 {
		return 1
	}
	p := math.Pow(10, math.Floor(math.Log10(v)))
	for _, m := range []float64{1, 2, 5, 10} {
		if v <= m*p*(1+1e-9) {
			return m * p
		}
	}
	return 10 * p
}

func describeTrace(t logview.Thin) string {
	parts := make([]string, 0, len(t.Segments))
	for _, s := range t.Segments {
		part := fmt.Sprintf("%s for %.1f h", s.Kind, (s.EndS-s.StartS)/3600)
		if s.Kind != trace.Rest {
			part += fmt.Sprintf(", %.1f Ah", s.Ah)
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, "; ")
}
