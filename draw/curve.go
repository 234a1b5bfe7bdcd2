package draw

import (
	"fmt"
	"math"
	"strings"
)

// CurveLine is a rest curve to be drawn. The type's own one is drawn strong with its points.
type CurveLine struct {
	Name   string
	SoCPct []float64
	Volts  []float64
	Own    bool
}

// Curve draws rest curves: charge to the right, volts of one group upwards.
func Curve(title string, lines []CurveLine) string {
	const w, h, left, right, top, bottom = 640.0, 340.0, 58.0, 20.0, 18.0, 36.0
	low, high := math.Inf(1), math.Inf(-1)
	var names []string
	for _, l := range lines {
		names = append(names, l.Name)
		for _, v := range l.Volts {
			low, high = min(low, v), max(high, v)
		}
	}
	step := 0.2
	low, high = math.Floor(low/step)*step, math.Ceil(high/step)*step
	c := open(w, h, "curve", title, "rest voltage against charge: "+strings.Join(names, ", "))
	x := func(p float64) float64 { return left + (w-left-right)*p/100 }
	y := func(v float64) float64 { return top + (h-top-bottom)*(high-v)/(high-low) }
	for v := low; v < high+step/2; v += step {
		c.line("dr-hair", left, y(v), w-right, y(v))
		c.text("dr-soft num", left-8, y(v)+4, 12, "end", fmt.Sprintf("%.1f V", v))
	}
	for p := 0.0; p <= 100; p += 20 {
		c.line("dr-hair", x(p), top, x(p), h-bottom)
		c.text("dr-soft num", x(p), h-bottom+18, 12, "middle", fmt.Sprintf("%.0f %%", p))
	}
	for i, l := range lines {
		class := "dr-group"
		if l.Own {
			class = "dr-amps"
		}
		var d strings.Builder
		for k := range l.SoCPct {
			cmd := "L"
			if k == 0 {
				cmd = "M"
			}
			fmt.Fprintf(&d, "%s%s %s", cmd, num(x(l.SoCPct[k])), num(y(l.Volts[k])))
			if l.Own {
				c.circle("dr-post", x(l.SoCPct[k]), y(l.Volts[k]), 4)
			}
		}
		c.path(class, d.String())
		c.line(class, w-right-150, h-bottom-16-20*float64(i), w-right-120, h-bottom-16-20*float64(i))
		c.text("dr-ink", w-right-112, h-bottom-12-20*float64(i), 13, "start", l.Name)
	}
	return c.close()
}
