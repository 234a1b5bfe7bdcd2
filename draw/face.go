package draw

import "fmt"

// FacePoint is something a probe can touch on the face of a module.
type FacePoint struct {
	Name string
	Post bool
}

// Face draws a module as it lies on the bench: posts along the top, the connector's pins in a row.
// red and black are the points the probes are on, "" for none; each is marked by a letter as well
// as by its place. Points carry their names, so that a script can let them be pressed.
func Face(title string, points []FacePoint, red, black string) string {
	posts, pins := 0, 0
	for _, p := range points {
		if p.Post {
			posts++
		} else {
			pins++
		}
	}
	w := max(420, float64(pins)*58+70, float64(posts)*120+60)
	h := 150.0
	if pins > 0 {
		h = 220
	}
	c := open(w, h, "face", title, fmt.Sprintf("%d posts and %d connector points; red probe on %s, black probe on %s", posts, pins, orNone(red), orNone(black)))
	c.rect("dr-case", 12, 12, w-24, h-24, 8)
	if pins > 0 {
		c.rect("dr-plain", 34, 128, w-68, 66, 5)
	}
	i, k := 0, 0
	for _, p := range points {
		x, y, r := 0.0, 0.0, 18.0
		if p.Post {
			x, y, r = 12+(w-24)*(float64(i)+0.5)/float64(posts), 62, 24
			i++
		} else {
			x, y = 34+(w-68)*(float64(k)+0.5)/float64(pins), 154
			k++
		}
		class, mark := "dr-post", ""
		switch p.Name {
		case red:
			class, mark = "dr-stop", "R"
		case black:
			class, mark = "dr-caution", "B"
		}
		fmt.Fprintf(&c.b, `<g data-point="%s">`+"\n", esc(p.Name))
		c.circle(class, x, y, r)
		if mark != "" {
			c.text("dr-ink", x, y+6, 17, "middle", mark)
		}
		c.text("dr-ink num", x, y+r+16, 14, "middle", p.Name)
		c.b.WriteString("</g>\n")
	}
	return c.close()
}

func orNone(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}
