package draw

import (
	"fmt"

	"pandrel/core/base/numeral"
	"pandrel/core/module/face"
)

// ConnectorPin is a pin as it is drawn: its name, the node it carries as text, and whether a sense lead uses it.
type ConnectorPin struct {
	Name string
	Node string
	Used bool
	Dead bool
}

// Connector draws a connector as it is built: rows, order of pins and key as the face has them, seen as it is plugged.
// From the wire side everything is mirrored, as one sees it with the leads towards one.
func Connector(title string, con face.Connector, pins []ConnectorPin, wireSide bool) string {
	const pitchX, pitchY = 62.0, 70.0
	con.Turn, con.Mirror = 0, wireSide
	con.Rows = max(1, min(con.Rows, max(1, len(pins))))
	cols, rows := con.Extent()
	w, h := 60+cols*pitchX, 62+rows*pitchY
	side := "mating side"
	if wireSide {
		side = "wire side"
	}
	c := open(w, h, "connector", title, fmt.Sprintf("%d pins in %s, seen from the %s", len(pins),
		numeral.Count(con.Rows, "row"), side))
	mx, my := w/2, 26+(h-40)/2-8
	c.rect("dr-case", 14, 26, w-28, h-40, 6)
	if dx, _, ok := con.KeyOffset(); ok {
		c.rect("dr-plain", mx+dx*pitchX-18, 14, 36, 14, 2)
	}
	c.text("dr-soft", w-16, 14, 12, "end", side)
	for i, p := range pins {
		dx, dy := con.Offset(i)
		x, y := mx+dx*pitchX, my+dy*pitchY
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
