package draw

import "fmt"

// ConnectorPin is a pin as it is drawn: its name, the node it carries as text, and whether a sense
// lead uses it.
type ConnectorPin struct {
	Name string
	Node string
	Used bool
	Dead bool
}

// Connector draws a connector face on. Pins fill rows from the left, the first row on top; the key
// is the notch above the first pin. From the wire side everything is mirrored, as one sees it with
// the leads towards one.
func Connector(title string, pins []ConnectorPin, rows int, wireSide bool) string {
	rows = max(1, min(rows, max(1, len(pins))))
	perRow := (len(pins) + rows - 1) / rows
	w, h := 60+float64(perRow)*62, 62+float64(rows)*70
	side := "mating side"
	if wireSide {
		side = "wire side"
	}
	c := open(w, h, "connector", title, fmt.Sprintf("%d pins in %d rows, seen from the %s", len(pins), rows, side))
	c.rect("dr-case", 14, 26, w-28, h-40, 6)
	keyX := 30.0
	if wireSide {
		keyX = w - 30 - 36
	}
	c.rect("dr-plain", keyX, 14, 36, 14, 2)
	c.text("dr-soft", w/2, 14, 12, "middle", side)
	for i, p := range pins {
		col := i % perRow
		if wireSide {
			col = perRow - 1 - col
		}
		x, y := 30+62*(float64(col)+0.5), 60+70*float64(i/perRow)
		class := "dr-plain"
		switch {
		case p.Dead:
			class = "dr-ghost"
		case p.Used:
			class = "dr-ok"
		}
		c.circle(class, x, y, 20)
		c.text("dr-ink num", x, y+5, 15, "middle", p.Node)
		c.text("dr-soft num", x, y+36, 13, "middle", p.Name)
	}
	return c.close()
}
