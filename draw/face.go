package draw

import (
	"fmt"
	"slices"

	"pandrel/core/base/numeral"
	"pandrel/core/module/face"
)

// FaceMarks say what is marked on a face: where the probes are, or, while a group is being read,
// its negative and positive points.
type FaceMarks struct {
	Red, Black         string
	Negative, Positive []string
	Case               bool // the case itself can be touched, away from the points
}

// casePoint is the name of the case as a point.
const casePoint = "case"

// of returns the class and the sign of a point, "" for none.
func (m FaceMarks) of(name string) (class, sign string) {
	switch {
	case name == m.Red:
		return "dr-stop", "R"
	case name == m.Black:
		return "dr-caution", "B"
	case slices.Contains(m.Positive, name):
		return "dr-stop", "+"
	case slices.Contains(m.Negative, name):
		return "dr-caution", "−"
	}
	return "dr-post", ""
}

const faceEdge = 12.0 // room around the case

// Face draws a module as it lies on the bench. Each point carries its name, so that a script can let
// it be pressed or mark it; a mark is a letter or sign as well as a colour.
func Face(title string, f face.Face, m FaceMarks) string {
	w, h := f.Size()
	posts, pins := f.Names()
	c := open(w+2*faceEdge, h+2*faceEdge, "face", title, fmt.Sprintf("%s and %s%s",
		numeral.Count(len(posts), "post"), numeral.Count(len(pins), "connector point"), m.words()))
	if m.Case {
		_, sign := m.of(casePoint)
		fmt.Fprintf(&c.b, `<g data-point="%s">`+"\n", casePoint)
		c.rect("dr-case", faceEdge, faceEdge, w, h, 8)
		fmt.Fprintf(&c.b,
			`<text class="dr-ink face-mark" %s x="%s" y="%s" font-size="17" text-anchor="middle">%s</text>`+"\n",
			fallback["dr-ink"], num(faceEdge+16), num(h-2), sign)
		c.text("dr-soft", faceEdge+28, h-2, 13, "start", casePoint)
		c.b.WriteString("</g>\n")
	} else {
		c.rect("dr-case", faceEdge, faceEdge, w, h, 8)
	}
	for _, con := range f.Connectors {
		c.connector(f, con)
	}
	for _, p := range f.Place() {
		c.facePoint(p, m)
	}
	return c.close()
}

func (m FaceMarks) words() string {
	switch {
	case m.Red != "" || m.Black != "":
		return fmt.Sprintf("; red probe on %s, black probe on %s", orNone(m.Red), orNone(m.Black))
	case len(m.Negative)+len(m.Positive) > 0:
		return "; the group in hand is marked by plus and minus"
	}
	return ""
}

// connector draws the outline of a connector with its key.
func (c *canvas) connector(f face.Face, con face.Connector) {
	x, y := f.Middle(con)
	cw, ch := con.Extent()
	x, y = x+faceEdge, y+faceEdge
	w, h := cw*face.Pitch+6, ch*face.Pitch+6
	fmt.Fprintf(&c.b, `<g data-connector="%s">`+"\n", esc(con.Name))
	c.rect("dr-plain", x-w/2, y-h/2, w, h, 5)
	if dx, dy, ok := con.KeyOffset(); ok {
		kw, kh := 26.0, 9.0
		if con.Turn%2 != 0 {
			kw, kh = kh, kw
		}
		c.rect("dr-ink", x+dx*face.Pitch-kw/2, y+dy*face.Pitch-kh/2, kw, kh, 2)
	}
	c.b.WriteString("</g>\n")
}

func (c *canvas) facePoint(p face.Placed, m FaceMarks) {
	x, y := p.X+faceEdge, p.Y+faceEdge
	class, sign := m.of(p.Name)
	fmt.Fprintf(&c.b, `<g data-point="%s">`+"\n", esc(p.Name))
	r, size := 22.0, 14.0
	switch p.Kind {
	case face.Tab:
		c.rect(class, x-16, y-22, 32, 44, 3)
	case face.Pin:
		r, size = 15, 12
		c.circle(class, x, y-6, r)
		y -= 6
	case face.Stud:
		c.circle(class, x, y, r)
		c.circle("dr-ghost", x, y, 10)
	default:
		c.circle(class, x, y, r)
	}
	fmt.Fprintf(&c.b, `<text class="dr-ink face-mark" %s x="%s" y="%s" font-size="17" text-anchor="middle">%s</text>`+
		"\n", fallback["dr-ink"], num(x), num(y+6), sign)
	c.text("dr-ink num", x, y+r+size, size, "middle", p.Name)
	// The whole pitch can be pressed, with a glove too.
	fmt.Fprintf(&c.b, `<rect class="face-hit" fill="none" pointer-events="all" x="%s" y="%s" width="50" height="50"/>`+
		"\n</g>\n", num(x-25), num(y-20))
}

func orNone(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}
