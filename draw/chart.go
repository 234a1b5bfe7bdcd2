package draw

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/base/chart"
	"pandrel/core/base/numeral"
)

const chartW, chartH, chartLeft, chartRight, chartTop, chartBottom = 640.0, 320.0, 62.0, 18.0, 20.0, 44.0

// scale is one axis: from values to places.
type scale struct {
	low, high, from, to float64
	log                 bool
}

func (s scale) at(v float64) float64 {
	a, b := s.low, s.high
	if s.log {
		v, a, b = math.Log10(max(v, 1e-12)), math.Log10(a), math.Log10(b)
	}
	return s.from + (s.to-s.from)*(v-a)/(b-a)
}

// ticks are round values between the ends, about n of them.
func (s scale) ticks(n int) (out []float64) {
	if s.log {
		for e := math.Ceil(math.Log10(s.low) - 1e-9); e <= math.Log10(s.high)+1e-9; e++ {
			out = append(out, math.Pow(10, e))
		}
		return out
	}
	step := niceStep((s.high - s.low) / float64(n))
	for v := math.Ceil(s.low/step-1e-9) * step; v <= s.high+step*1e-6; v += step {
		out = append(out, v)
	}
	return out
}

// niceStep is the least of 1, 2, 2.5, 5 times a power of ten that is not below a step.
func niceStep(v float64) float64 {
	if v <= 0 || math.IsInf(v, 0) || math.IsNaN(v) {
		return 1
	}
	p := math.Pow(10, math.Floor(math.Log10(v)))
	for _, k := range []float64{1, 2, 2.5, 5} {
		if k*p >= v*(1-1e-9) {
			return k * p
		}
	}
	return 10 * p
}

// axes finds the ends of both axes.
func axes(c chart.Chart) (x, y scale) {
	x = scale{math.Inf(1), math.Inf(-1), chartLeft, chartW - chartRight, c.LogX}
	y = scale{math.Inf(1), math.Inf(-1), chartH - chartBottom, chartTop, false}
	for _, l := range c.Curves {
		for _, p := range l.Points {
			x.low, x.high = min(x.low, p[0]), max(x.high, p[0])
			y.low, y.high = min(y.low, p[1]), max(y.high, p[1])
		}
	}
	for _, m := range c.Marks {
		y.low, y.high = min(y.low, m.At), max(y.high, m.At)
	}
	if c.Bars || y.low > 0 && y.low < 0.4*y.high {
		y.low = min(0, y.low)
	}
	if c.Bars {
		x.low, x.high = x.low-0.6, x.high+0.6
	}
	if !(x.high > x.low) {
		x.low, x.high = x.low-0.5, x.low+0.5
	}
	if !(y.high > y.low) {
		y.high = y.low + 1
	}
	step := niceStep((y.high - y.low) / 5)
	y.low, y.high = math.Floor(y.low/step+1e-9)*step, math.Ceil(y.high/step-1e-9)*step
	return x, y
}

// tick writes a value of an axis.
func tick(v float64) string {
	if math.Abs(v) < 1e-9 {
		return "0"
	}
	if a := math.Abs(v); a >= 1e4 && a < 1e7 { // no powers of ten for people
		whole := fmt.Sprintf("%.0f", v)
		return whole[:len(whole)-3] + " " + whole[len(whole)-3:]
	}
	return fmt.Sprintf("%.4g", v)
}

// Chart draws curves or bars over one axis, with the levels that mean something. A chart without points is empty.
func Chart(c chart.Chart) string {
	if len(c.Curves) == 0 || len(c.Curves[0].Points) == 0 {
		return ""
	}
	x, y := axes(c)
	first, last := c.Curves[0].Points[0], c.Curves[0].Points[len(c.Curves[0].Points)-1]
	g := open(chartW, chartH, "chart", c.Title, fmt.Sprintf("%s from %s at %s to %s at %s", c.Y, tick(first[1]),
		tick(first[0]), tick(last[1]), tick(last[0])))
	if c.Band[1] > c.Band[0] {
		g.rect("dr-band", x.at(c.Band[0]), chartTop, x.at(c.Band[1])-x.at(c.Band[0]), chartH-chartTop-chartBottom, 0)
		g.text("dr-soft", (x.at(c.Band[0])+x.at(c.Band[1]))/2, chartTop+14, 12, "middle", "flat: voltage cannot tell")
	}
	for _, v := range y.ticks(5) {
		g.line("dr-hair", chartLeft, y.at(v), chartW-chartRight, y.at(v))
		g.text("dr-soft num", chartLeft-8, y.at(v)+4, 12, "end", tick(v))
	}
	g.text("dr-soft", 6, 12, 12, "start", c.Y)
	if c.Bars {
		bars(g, c, x, y)
	} else {
		for _, v := range x.ticks(7) {
			g.line("dr-hair", x.at(v), chartTop, x.at(v), chartH-chartBottom)
			g.text("dr-soft num", x.at(v), chartH-chartBottom+17, 12, "middle", tick(v))
		}
		lines(g, c, x, y)
	}
	g.text("dr-soft", chartW-chartRight, chartH-6, 12, "end", c.X)
	for i, m := range c.Marks {
		class := map[string]string{"caution": "dr-amps", "stop": "dr-worst"}[m.Level]
		if class == "" {
			class = "dr-mark"
		}
		g.line(class, chartLeft, y.at(m.At), chartW-chartRight, y.at(m.At))
		name := fmt.Sprintf("%s %s", m.Name, tick(m.At))
		if c.Bars { // on a bar it could not be read: above all of them
			g.line(class, chartLeft+60+190*float64(i), 8, chartLeft+84+190*float64(i), 8)
			g.text("dr-ink", chartLeft+90+190*float64(i), 12, 12, "start", name)
			continue
		}
		g.text("dr-ink", chartLeft+6+float64(i%3)*190, y.at(m.At)-5, 12, "start", name)
	}
	return g.close()
}

// legendMost is how many curves are named; more names would cover them.
const legendMost = 8

// lineClasses are the strokes of curves in their order; from the fifth on they come again, dashed.
var lineClasses = []string{"dr-volts", "dr-amps", "dr-group", "dr-worst"}

func lines(g *canvas, c chart.Chart, x, y scale) {
	stroke := func(i int, d string) {
		dashed := ""
		if i >= len(lineClasses) {
			dashed = ` stroke-dasharray="8 4"`
		}
		g.put(`<path `, attrs(lineClasses[i%len(lineClasses)]), dashed, ` d="`, d, "\"/>\n")
	}
	for i, l := range c.Curves {
		var d strings.Builder
		for k, p := range l.Points {
			cmd := "L"
			if k == 0 {
				cmd = "M"
			}
			fmt.Fprintf(&d, "%s%s %s", cmd, num(x.at(p[0])), num(y.at(p[1])))
		}
		stroke(i, d.String())
	}
	if len(c.Curves) < 2 || len(c.Curves) > legendMost {
		return
	}
	left, top := legendAt(c, x, y)
	for i, l := range c.Curves {
		at := top + 18*float64(i)
		stroke(i, fmt.Sprintf("M%s %sL%s %s", num(left), num(at), num(left+26), num(at)))
		g.text("dr-ink", left+32, at+4, 12, "start", l.Name)
	}
}

// legendAt finds the place of the names that covers the fewest points: a corner, or between two.
func legendAt(c chart.Chart, x, y scale) (left, top float64) {
	const wide = 150.0
	high := 18 * float64(len(c.Curves))
	fewest := -1
	for _, t := range []float64{chartTop + 16, (chartTop+chartH-chartBottom-high)/2 + 8, chartH - chartBottom - high} {
		for _, l := range []float64{chartW - chartRight - wide, chartLeft + 14} {
			n := 0
			for _, curve := range c.Curves {
				for _, p := range curve.Points {
					px, py := x.at(p[0]), y.at(p[1])
					if px > l-8 && px < l+wide && py > t-14 && py < t+high {
						n++
					}
				}
			}
			if fewest < 0 || n < fewest {
				fewest, left, top = n, l, t
			}
		}
	}
	return left, top
}

func bars(g *canvas, c chart.Chart, x, y scale) {
	wide := min(46, 0.7*(x.at(1)-x.at(0)))
	each := max(1, len(c.Curves[0].Points)*len(longest(c.Labels))*7/520) // labels that do not fit are left out
	for i, p := range c.Curves[0].Points {
		a, b := y.at(0), y.at(p[1])
		g.rect("dr-copper-f", x.at(p[0])-wide/2, min(a, b), wide, math.Abs(a-b), 0)
		if i < len(c.Labels) && i%each == 0 {
			g.text("dr-soft", x.at(p[0]), chartH-chartBottom+17, 12, "middle", c.Labels[i])
		}
	}
	g.line("dr-mark", chartLeft, y.at(0), chartW-chartRight, y.at(0))
}

func longest(list []string) string {
	out := ""
	for _, s := range list {
		if len(s) > len(out) {
			out = s
		}
	}
	return out
}

// Stack draws a bolted joint from the head down, each part as thick as it is.
func Stack(title string, layers []chart.Layer) string {
	sum := 0.0
	for _, l := range layers {
		sum += l.MM
	}
	if sum <= 0 {
		return ""
	}
	const w, top = 460.0, 10.0
	per := min(14, 260/sum)
	h := top
	for _, l := range layers {
		h += max(20, l.MM*per)
	}
	g := open(w, h+10, "stack", title, fmt.Sprintf("%s from the head down, %.1f mm in all", numeral.Count(len(layers),
		"part"), sum))
	classes := map[string]string{"screw": "dr-post", "washer": "dr-plain", "ring": "dr-copper-f", "bar": "dr-copper-f",
		"thread": "dr-ok", "gap": "dr-ghost"}
	widths := map[string]float64{"screw": 90, "washer": 110, "ring": 130, "bar": 190, "thread": 60, "gap": 60}
	at := top
	for _, l := range layers {
		thick := max(20, l.MM*per)
		wide := widths[l.Kind]
		g.rect(classes[l.Kind], 110-wide/2, at, wide, thick-2, 0)
		g.text("dr-ink", 220, at+thick/2+4, 13, "start", fmt.Sprintf("%s, %s mm", l.Name,
			tick(math.Round(l.MM*100)/100)))
		at += thick
	}
	return g.close()
}

// Network draws resistors, s in series by p in parallel; a large one is drawn as its corner with its counts.
func Network(title string, n chart.Grid) string {
	s, p := min(n.Series, 8), min(n.Parallel, 8)
	const cellW, cellH, left = 64.0, 34.0, 60.0
	w, h := left*2+cellW*float64(s), 50+cellH*float64(p)
	g := open(max(w, 300), h, "network", title, fmt.Sprintf("%d in series by %d in parallel, each %s", n.Series,
		n.Parallel, n.Each))
	y0, y1 := 30.0, 30+cellH*float64(p-1)
	g.line("dr-mark", left-18, y0, left-18, y1)
	g.line("dr-mark", left+cellW*float64(s)+18, y0, left+cellW*float64(s)+18, y1)
	for row := range p {
		y := 30 + cellH*float64(row)
		g.line("dr-mark", left-18, y, left+cellW*float64(s)+18, y)
		for col := range s {
			g.rect("dr-plain", left+cellW*float64(col)+8, y-9, cellW-16, 18, 0)
			g.text("dr-ink num", left+cellW*(float64(col)+0.5), y+4, 11, "middle", n.Each)
		}
	}
	mid := (y0 + y1) / 2
	g.line("dr-mark", left-44, mid, left-18, mid)
	g.line("dr-mark", left+cellW*float64(s)+18, mid, left+cellW*float64(s)+44, mid)
	g.text("dr-soft", left-18, h-6, 12, "start", fmt.Sprintf("%d in series × %d in parallel", n.Series, n.Parallel))
	return g.close()
}
