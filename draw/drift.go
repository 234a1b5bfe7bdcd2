package draw

import (
	"fmt"
	"math"
	"time"
)

// DriftPoint is one survey: each group's offset in per cent of charge, as an interval.
type DriftPoint struct {
	At      time.Time
	Offsets [][2]float64
}

// Drift shows how the groups' offsets against their siblings move from survey to survey.
type Drift struct {
	Title  string
	Points []DriftPoint
}

// SVG draws a line for each group, with its uncertainty as a bar at each survey. The group that
// falls most is drawn strongest and named.
func (d Drift) SVG() string {
	const w, h, left, right, top, bottom = 760.0, 260.0, 62.0, 96.0, 18.0, 218.0
	first, last := d.Points[0], d.Points[len(d.Points)-1]
	span := last.At.Sub(first.At).Hours()
	lo, hi := -2.0, 2.0
	for _, p := range d.Points {
		for _, o := range p.Offsets {
			lo, hi = min(lo, o[0]), max(hi, o[1])
		}
	}
	mid := func(o [2]float64) float64 { return (o[0] + o[1]) / 2 }
	worst, fall := 0, 0.0
	for g := range last.Offsets {
		if g < len(first.Offsets) {
			if f := mid(first.Offsets[g]) - mid(last.Offsets[g]); f > fall {
				worst, fall = g, f
			}
		}
	}
	c := open(w, h, "drift", d.Title, fmt.Sprintf("%d surveys over %.0f days; group %d fell most, by %.1f per cent "+
		"of charge", len(d.Points), span/24, worst+1, fall))
	x := func(t time.Time) float64 {
		if span <= 0 {
			return left
		}
		return left + (w-left-right)*t.Sub(first.At).Hours()/span
	}
	y := func(v float64) float64 { return bottom - (bottom-top)*(v-lo)/(hi-lo) }
	step := nice((hi - lo) / 5)
	for v := math.Ceil(lo/step) * step; v <= hi+1e-9; v += step {
		c.line("dr-hair", left, y(v), w-right, y(v))
		c.text("dr-soft num", left-8, y(v)+4, 12, "end", fmt.Sprintf("%+.0f %%", v))
	}
	for _, p := range d.Points {
		c.text("dr-soft num", x(p.At), h-18, 12, "middle", p.At.Format("01-02"))
	}
	for g := range first.Offsets {
		path, pen := "", "M"
		for _, p := range d.Points {
			if g < len(p.Offsets) {
				path += pen + num(x(p.At)) + " " + num(y(mid(p.Offsets[g])))
				pen = "L"
			}
		}
		class := "dr-group"
		if g == worst && fall > 1 {
			class = "dr-worst"
			for _, p := range d.Points {
				if g < len(p.Offsets) {
					c.line("dr-rung", x(p.At), y(p.Offsets[g][0]), x(p.At), y(p.Offsets[g][1]))
				}
			}
			c.text("dr-ink", w-right+8, y(mid(last.Offsets[g]))+5, 13, "start", fmt.Sprintf("group %d", g+1))
		}
		c.path(class, path)
	}
	return c.close()
}
