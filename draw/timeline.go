package draw

import (
	"fmt"
	"math"

	"pandrel/core/base/numeral"
	"pandrel/core/bench/schedule"
)

// Timeline draws a schedule: a row for each channel, hours to the right, days marked at midnight; below it the store's
// charge. Start is the hour of the day at its left edge.
func Timeline(title string, channels []string, p schedule.Plan, start float64) string {
	if len(p.Slots) == 0 {
		return ""
	}
	const left, right, row, top = 130.0, 20.0, 40.0, 26.0
	hours := math.Max(p.Finish, 1)
	for _, s := range p.Slots {
		hours = math.Max(hours, s.End)
	}
	width := min(2400, max(900, hours*9))
	h := top + row*float64(len(channels)) + 30
	storeTop := h
	if len(p.Store) > 1 {
		h += 80
	}
	c := open(width, h, "timeline", title, fmt.Sprintf("%s on %s, done after %.0f hours", numeral.Count(len(p.Slots),
		"test"),
		numeral.Count(len(channels), "channel"), p.Finish))
	x := func(t float64) float64 { return left + (width-left-right)*t/hours }
	bottom := top + row*float64(len(channels))
	every := 24.0
	if hours > 24*20 {
		every = 24 * 7
	}
	for k, t := 0, math.Mod(24-math.Mod(start, 24), 24); t <= hours; k, t = k+1, t+every {
		c.line("dr-hair", x(t), top-8, x(t), h-22)
		c.text("dr-soft", x(t)+4, top-10, 12, "start", fmt.Sprintf("day %d", int((start+t)/24)+1))
	}
	for i, name := range channels {
		y := top + row*float64(i)
		c.put(`<g data-row="`, esc(name), `">`)
		c.rect("dr-row", left, y, width-left-right, row, 0)
		c.line("dr-hair", left, y+row, width-right, y+row)
		c.text("dr-ink", left-10, y+row/2+4, 13, "end", name)
		c.put("</g>\n")
	}
	for i, s := range p.Slots {
		y := top + row*float64(s.Channel) + 5
		slot(c, s, channels[s.Channel], i%2 == 1, [4]float64{x(s.Begin), y, max(2, x(s.End)-x(s.Begin)-1), row - 10})
	}
	c.text("dr-soft", width-right, bottom+16, 12, "end", fmt.Sprintf("%.0f hours", p.Finish))
	if len(p.Store) > 1 {
		storeLine(c, p, x, storeTop, left, width-right)
	}
	return c.close()
}

// slot draws one test of a schedule into a box of x, y, width and height; every second one has another shade.
func slot(c *canvas, s schedule.Slot, channel string, second bool, box [4]float64) {
	class, name := "dr-plain", s.Job
	switch {
	case s.Runs:
		class, name = "dr-band", s.Job+" runs"
	case second:
		class = "dr-ok"
	}
	if s.Runs {
		c.put(`<g>`)
	} else {
		c.put(`<g data-job="`, esc(s.Job), `">`)
	}
	c.put(`<title>`, esc(fmt.Sprintf("%s on %s, hour %.1f to %.1f", name, channel, s.Begin, s.End)), `</title>`)
	c.rect(class, box[0], box[1], box[2], box[3], 2)
	if textWidth(name, 12) < box[2]-4 {
		c.text("dr-ink", box[0]+box[2]/2, box[1]+box[3]/2+4, 12, "middle", name)
	}
	c.put("</g>\n")
}

// storeLine draws the store's charge under the channels.
func storeLine(c *canvas, p schedule.Plan, x func(float64) float64, top, left, right float64) {
	most := 0.0
	for _, s := range p.Store {
		most = max(most, s[1])
	}
	y := func(v float64) float64 { return top + 56 - 50*v/max(most, 1e-9) }
	d := ""
	for i, s := range p.Store {
		if i%4 != 0 && i != len(p.Store)-1 { // an hour is fine enough
			continue
		}
		cmd := "L"
		if d == "" {
			cmd = "M"
		}
		d += cmd + num(x(s[0])) + " " + num(y(s[1]))
	}
	c.line("dr-hair", left, y(0), right, y(0))
	c.path("dr-amps", d)
	c.text("dr-ink", left-10, y(most/2)+4, 13, "end", "store")
	c.text("dr-soft num", left-10, y(most)+4, 12, "end", fmt.Sprintf("%.1f kWh", most))
}
