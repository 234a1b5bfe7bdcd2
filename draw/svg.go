// Package draw turns core results into SVG.
//
// The functions are pure: same input, same bytes, held by golden files. Colours come from style
// classes, with plain presentation attributes as a fallback for a file that is opened alone. Every
// state has a shape of its own beside its colour.
package draw

import (
	"fmt"
	"html"
	"strconv"
	"strings"

	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// fallback holds what a class looks like without the style sheet: the light palette.
var fallback = map[string]string{
	"dr-ink":      `fill="#16313a"`,
	"dr-soft":     `fill="#5b6b6c"`,
	"dr-rung":     `stroke="#16313a" stroke-width="2"`,
	"dr-hair":     `stroke="#b9b4a6" stroke-width="1"`,
	"dr-dash":     `stroke="#5b6b6c" stroke-width="2" stroke-dasharray="5 4"`,
	"dr-case":     `fill="#ece7da" stroke="#16313a" stroke-width="1.5"`,
	"dr-pin":      `fill="#8f4519" stroke="#fbf9f3" stroke-width="2"`,
	"dr-pinned":   `fill="#fbf9f3" font-weight="600"`,
	"dr-chip":     `fill="#fbf9f3" stroke="#8d8a7d" stroke-width="1"`,
	"dr-ok":       `fill="#d5e5da" stroke="#2b6b52" stroke-width="1.5"`,
	"dr-mild":     `fill="#efe6c8" stroke="#8a6410" stroke-width="1.5"`,
	"dr-caution":  `fill="#f3ddae" stroke="#8a5a06" stroke-width="1.5"`,
	"dr-stop":     `fill="#f0cabd" stroke="#9a3420" stroke-width="1.5"`,
	"dr-plain":    `fill="#e6e1d3" stroke="#5b6b6c" stroke-width="1.5"`,
	"dr-ghost":    `fill="none" stroke="#8d8a7d" stroke-width="1" stroke-dasharray="3 3"`,
	"dr-copper":   `stroke="#a4562a" stroke-width="7" fill="none"`,
	"dr-copper-f": `fill="#a4562a"`,
	"dr-tin":      `stroke="#7d8a8c" stroke-width="3" fill="none"`,
	"dr-cable":    `stroke="#2c3b40" stroke-width="5" fill="none"`,
	"dr-volts":    `stroke="#16313a" stroke-width="1.8" fill="none"`,
	"dr-volts-f":  `fill="#16313a" fill-opacity="0.25"`,
	"dr-amps":     `stroke="#a4562a" stroke-width="1.6" fill="none"`,
	"dr-group":    `stroke="#2b6b52" stroke-width="1" fill="none" stroke-opacity="0.7"`,
	"dr-worst":    `stroke="#9a3420" stroke-width="1.8" fill="none"`,
	"dr-band":     `fill="#ece7da"`,
	"dr-gap":      `fill="#f0cabd"`,
	"dr-mark":     `fill="none" stroke="#16313a" stroke-width="1.6" stroke-linecap="round" stroke-linejoin="round"`,
	"dr-shadow":   `fill="#16313a" fill-opacity="0.18"`,
	"dr-reach":    `fill="none" stroke="#9a3420" stroke-width="3" stroke-dasharray="7 4"`,
	"fl-bar":      `stroke="#a4562a" fill="none" stroke-linecap="round"`,
	"fl-cable":    `stroke="#2c3b40" fill="none" stroke-linecap="round"`,
	"fl-bond":     `stroke="#7d8a8c" fill="none" stroke-linecap="round"`,
	"dr-post":     `fill="#c9c2ae" stroke="#16313a" stroke-width="1.5"`,
}

// canvas collects one picture.
type canvas struct {
	b    strings.Builder
	w, h float64
	from string // where the numbers of its texts come from
}

// open starts a picture of w × h with a name and a description for screen readers.
func open(w, h float64, kind, title, desc string) *canvas { return openAt(w, h, 1, kind, title, desc) }

// openAt starts a picture whose unit is shown as scale pixels.
func openAt(w, h, scale float64, kind, title, desc string) *canvas {
	c := &canvas{w: w, h: h, from: known.Of(1, known.Measured).Times(1).Mark()}
	fmt.Fprintf(&c.b, `<svg xmlns="http://www.w3.org/2000/svg" class="drawing %s" viewBox="0 0 %s %s" `+
		`width="%s" height="%s" role="img" aria-label="%s" `+`font-family="inherit" font-size="14">`, kind, num(w),
		num(h), num(w*scale), num(h*scale), esc(title+". "+desc))
	fmt.Fprintf(&c.b, "<title>%s</title>\n", esc(title))
	return c
}

func (c *canvas) close() string {
	c.b.WriteString("</svg>\n")
	return c.b.String()
}

func esc(s string) string { return html.EscapeString(s) }

// num writes a coordinate to a tenth, without a negative zero.
func num(v float64) string {
	// without fmt: drawings are made at each keystroke
	s := strings.TrimSuffix(strconv.FormatFloat(v, 'f', 1, 64), ".0")
	if s == "-0" {
		return "0"
	}
	return s
}

func attrs(class string) string {
	first, _, _ := strings.Cut(class, " ")
	return `class="` + class + `" ` + fallback[first]
}

func (c *canvas) put(parts ...string) {
	for _, p := range parts {
		c.b.WriteString(p)
	}
}

func (c *canvas) rect(class string, x, y, w, h, r float64) {
	c.put(`<rect `, attrs(class), ` x="`, num(x), `" y="`, num(y), `" width="`, num(w), `" height="`, num(h), `" rx="`,
		num(r), "\"/>\n")
}

func (c *canvas) line(class string, x1, y1, x2, y2 float64) {
	c.put(`<line `, attrs(class), ` x1="`, num(x1), `" y1="`, num(y1), `" x2="`, num(x2), `" y2="`, num(y2), "\"/>\n")
}

func (c *canvas) circle(class string, x, y, r float64) {
	c.put(`<circle `, attrs(class), ` cx="`, num(x), `" cy="`, num(y), `" r="`, num(r), "\"/>\n")
}

func (c *canvas) path(class, d string) {
	c.put(`<path `, attrs(class), ` d="`, d, "\"/>\n")
}

// measured says that the numbers of a picture were read by somebody; others were worked out.
func (c *canvas) measured() *canvas {
	c.from = known.Measured.String()
	return c
}

// numbers writes a text; each number of the trade in it says where it comes from.
func (c *canvas) numbers(s string) string {
	var b strings.Builder
	for _, p := range figure.Split(s) {
		if p.Number {
			fmt.Fprintf(&b, `<tspan data-value="%g" data-from="%s">%s</tspan>`, p.Value, c.from, esc(p.Text))
		} else {
			b.WriteString(esc(p.Text))
		}
	}
	return b.String()
}

// text writes s; anchor is start, middle or end; size in px.
func (c *canvas) text(class string, x, y, size float64, anchor, s string) {
	c.put(`<text `, attrs(class), ` x="`, num(x), `" y="`, num(y), `" font-size="`, num(size), `" text-anchor="`,
		anchor, `">`, c.numbers(s), "</text>\n")
}

// textWidth is a rough width of s at size px in a condensed sans, for chips that must not be cut.
func textWidth(s string, size float64) float64 { return float64(len([]rune(s))) * size * 0.53 }

// glyphs are the shapes of the states, drawn in a 16 × 16 box. Each is its own, so that meaning never hangs on colour.
var glyphs = map[string]string{
	"ok":         "M3 8.5 6.5 12 13 4.5",
	"borderline": "M2 9c2-4 4-4 6-1s4 3 6-1",
	"balance":    "M3 13V6M8 13V3M13 13V8",
	"unknown":    "M5.5 6a2.5 2.5 0 1 1 3.6 2.2c-.8.5-1.1.9-1.1 1.8M8 13v.01",
	"watch": "M1.5 8s2.5-4.5 6.5-4.5S14.5 8 14.5 8 12 12.5 8 12.5 1.5 8 1.5 8ZM8 6.2a1.8 1.8 0 1 1 0 3.6 1.8 " +
		"1.8 0 0 1 0-3.6Z",
	"suspect":    "M8 2 14.5 13.5H1.5ZM8 6.5v3.2M8 11.6v.01",
	"leaking":    "M8 2c3 4 4.5 5.8 4.5 8a4.5 4.5 0 0 1-9 0C3.5 7.8 5 6 8 2Z",
	"reread":     "M13 8a5 5 0 1 1-1.6-3.7M13 2v3h-3",
	"over":       "M8 14V4M4 7.5 8 3.5l4 4M3 1.5h10",
	"quarantine": "M5 1.5h6L14.5 5v6L11 14.5H5L1.5 11V5ZM5.5 5.5l5 5M10.5 5.5l-5 5",
	"note":       "M8 1.5a6.5 6.5 0 1 1 0 13 6.5 6.5 0 0 1 0-13ZM8 7.2v4M8 4.6v.01",
	"caution":    "M8 2 14.5 13.5H1.5ZM8 6.5v3.2M8 11.6v.01",
	"stop":       "M5 1.5h6L14.5 5v6L11 14.5H5L1.5 11V5ZM4.8 8h6.4",
	"refuse":     "M5 1.5h6L14.5 5v6L11 14.5H5L1.5 11V5ZM5.5 5.5l5 5M10.5 5.5l-5 5",
	"accept":     "M3 8.5 6.5 12 13 4.5",
	"reject":     "M3.5 3.5l9 9M12.5 3.5l-9 9",
	"good":       "M3 8.5 6.5 12 13 4.5",
	"swapped":    "M2 5h11M10 2l3 3-3 3M14 11H3M6 8l-3 3 3 3",
	"shifted":    "M2 13h4V9h4V5h4",
	"reversed":   "M13 3v5a3 3 0 0 1-3 3H3M6 8l-3 3 3 3",
	"open":       "M1 8h4M11 8h4M5 8l5-4",
	"wrong":      "M3.5 3.5l9 9M12.5 3.5l-9 9",
	"ready":      "M2 8h11M9 4l4 4-4 4",
	"next":       "M2 8h11M9 4l4 4-4 4",
	"not yet":    "M8 1.5a6.5 6.5 0 1 1 0 13 6.5 6.5 0 0 1 0-13ZM8 4.5V8l2.5 2",
}

// Glyph returns the path of a state's shape in a 16 × 16 box; unknown states get the question mark.
func Glyph(state string) string {
	if d, ok := glyphs[state]; ok {
		return d
	}
	return glyphs["unknown"]
}

// HasGlyph reports whether a state has a shape of its own.
func HasGlyph(state string) bool { return glyphs[state] != "" }

func (c *canvas) glyph(state string, x, y, size float64) {
	fmt.Fprintf(&c.b, `<g transform="translate(%s %s) scale(%s)"><path %s d="%s"/></g>`+"\n", num(x), num(y),
		fmt.Sprintf("%.3g", size/16), attrs("dr-mark"), Glyph(state))
}

// classOf is the fill of a verdict's block.
func classOf(verdict string) string {
	switch verdict {
	case "ok", "good":
		return "dr-ok"
	case "borderline", "balance":
		return "dr-mild"
	case "watch", "suspect", "unknown", "unproven", "swapped", "shifted":
		return "dr-caution"
	case "leaking", "reread", "over", "quarantine", "reversed", "open", "wrong":
		return "dr-stop"
	}
	return "dr-plain"
}
