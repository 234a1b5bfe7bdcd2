package draw

import (
	"fmt"
	"math"

	"pandrel/core/base/numeral"
)

// BankModule is a module where it stands. Volts are the potentials of its nodes, from its negative post upwards.
type BankModule struct {
	Label    string
	Position int // in the series order, from 0
	Mate     int // among those in parallel, from 0
	Volts    []float64
	Sense    []string // sense lead numbers on each node, "" for none
	// Inside says what it is where its groups are not drawn one by one; Volts are then those of its ends, or none.
	Inside string
}

// Bank is a bank as it will stand. Strings are rows of their own when StringsFirst.
type Bank struct {
	Title        string
	Series       int // positions
	Parallel     int
	StringsFirst bool
	Modules      []BankModule
	BMS          []string
	Fuses        []string
	Relays       []string                        // main contactors, in the minus of each string
	Between      func(position, mate int) string // names of what joins mate−1 and mate, "" for nothing
	PlusVolts    float64
	LinkName     func(position, mate int) string // of the link that follows a position
	PartAfter    int                             // position behind which a disconnect by hand sits, 0 for none
	// Bars says that all strings lie on the same two bars, and nothing is known of what stands before them.
	Bars bool
}

const (
	caseW, caseH = 176.0, 82.0
	gapX, mateY  = 46.0, 116.0
	sideW        = 150.0
)

// SVG draws modules as plain cases with their labels, links as copper bars between unlike poles,
// and the potential at every post. Parallel first winds through rows, so that each module is shown
// turned as it must stand; strings first gives every string a row.
//
// In one piece: a picture is drawn from back to front.
func (b Bank) SVG() string {
	perRow := b.perRow()
	rows := (b.Series + perRow - 1) / perRow
	rowH := mateY*float64(b.Parallel) + 26
	if b.StringsFirst {
		rows, perRow, rowH = b.Parallel, b.Series, mateY+26
	}
	if b.Bars {
		rowH = mateY
	}
	w := sideW + float64(perRow)*(caseW+gapX) + 70
	under := 0.0 // of the last row, what stands below its first case
	if !b.StringsFirst {
		under = mateY * float64(b.Parallel-1)
	}
	h := 24 + rowH*float64(rows-1) + under + caseH + 36
	kind := "bank"
	if h <= w { // leaves room on a printed page for what stands above it
		kind += " flat"
	}
	told := fmt.Sprintf("%d positions in series, %d in parallel", b.Series, b.Parallel)
	if b.PlusVolts > 0 || !b.Bars {
		told += fmt.Sprintf(", %.2f V from minus to plus", b.PlusVolts)
	}
	c := open(w, h, kind, b.Title, told)
	at := func(position, mate int) (x, y float64, turned bool) {
		if b.StringsFirst {
			return sideW + float64(position)*(caseW+gapX), 24 + rowH*float64(mate), false
		}
		row, col := position/perRow, position%perRow
		turned = row%2 == 1
		if turned {
			col = perRow - 1 - col
		}
		return sideW + float64(col)*(caseW+gapX), 24 + rowH*float64(row) + mateY*float64(mate), turned
	}
	post := func(position, mate int, positive bool) (x, y float64) {
		x, y, turned := at(position, mate)
		if positive != turned {
			return x + caseW - 14, y + caseH/2
		}
		return x + 14, y + caseH/2
	}
	mates := b.Parallel
	if b.StringsFirst {
		mates = 1
	}
	// Copper first, cases on top of it.
	for m := range b.Parallel {
		if m > 0 && !b.StringsFirst {
			break
		}
		for p := range b.Series - 1 {
			x1, y1 := post(p, m, true)
			x2, y2 := post(p+1, m, false)
			if b.link(c, x1, y1, x2, y2, p+1 == b.PartAfter); b.LinkName != nil {
				lx, ly := (x1+x2)/2, (y1+y2)/2-10
				if math.Abs(y1-y2) > 2 {
					lx, ly = x1+22, (y1+y2)/2+4
				}
				c.text("dr-ink", lx, ly, 12, "middle", b.LinkName(p, m))
			}
		}
	}
	for p := range b.Series {
		if mates < 2 {
			break
		}
		for _, positive := range []bool{false, true} {
			x1, y1 := post(p, 0, positive)
			x2, y2 := post(p, mates-1, positive)
			c.path("dr-copper", "M"+num(x1)+" "+num(y1)+"L"+num(x2)+" "+num(y2))
		}
	}
	b.between(c, at)
	if b.Bars {
		b.bars(c, post)
	} else {
		b.ends(c, post)
	}
	for _, m := range b.Modules {
		x, y, turned := at(m.Position, m.Mate)
		b.module(c, m, x, y, turned)
	}
	return c.close()
}

// link draws what joins a position to the next: copper, or a disconnect by hand with its lever open.
func (b Bank) link(c *canvas, x1, y1, x2, y2 float64, parted bool) {
	if !parted {
		c.path("dr-copper", "M"+num(x1)+" "+num(y1)+"L"+num(x2)+" "+num(y2))
		return
	}
	const third = 1.0 / 3
	ax, ay := x1+(x2-x1)*third, y1+(y2-y1)*third
	bx, by := x2-(x2-x1)*third, y2-(y2-y1)*third
	c.path("dr-copper", "M"+num(x1)+" "+num(y1)+"L"+num(ax)+" "+num(ay))
	c.path("dr-copper", "M"+num(bx)+" "+num(by)+"L"+num(x2)+" "+num(y2))
	c.line("dr-ink", ax, ay, bx-(by-ay)*third, by+(bx-ax)*0.5+6)
	c.circle("dr-post", ax, ay, 3)
	c.circle("dr-post", bx, by, 3)
}

// between writes the names of bars and bonds that join modules in parallel into the gap they cross.
func (b Bank) between(c *canvas, at func(position, mate int) (x, y float64, turned bool)) {
	if b.Between == nil || b.StringsFirst {
		return
	}
	for p := range b.Series {
		for m := 1; m < b.Parallel; m++ {
			if text := b.Between(p, m); text != "" {
				x, y, _ := at(p, m)
				c.text("dr-ink", x+caseW/2, y-4, 11, "middle", text)
			}
		}
	}
}

// ends draws the BMS on the way to the load's minus, and the fuse on the way to its plus.
func (b Bank) ends(c *canvas, post func(position, mate int, positive bool) (x, y float64)) {
	strings := 1
	if b.StringsFirst {
		strings = b.Parallel
	}
	for s := range strings {
		x, y := post(0, s, false)
		c.path("dr-cable", "M16 "+num(y)+"L"+num(x)+" "+num(y))
		c.rect("dr-case", 44, y-24, 76, 48, 6)
		label := name(b.BMS, s, "BMS")
		if s < len(b.Relays) {
			label += " " + b.Relays[s]
		}
		c.text("dr-ink", 82, y-4, 13, "middle", label)
		c.text("dr-soft", 82, y+14, 12, "middle", "P−   B−")
		c.text("dr-ink", 4, y-28, 12, "start", "OUT−")
		x, y = post(b.Series-1, s, true)
		// The way out leaves towards the side on which the last positive post stands.
		out, anchor := c.w-12, "end"
		box := x + 34
		if px, _ := post(b.Series-1, s, false); px > x {
			out, anchor, box = 12, "start", x-94
			if b.Series > 1 {
				box = x - 94
			}
		}
		c.path("dr-cable", "M"+num(x)+" "+num(y)+"L"+num(out)+" "+num(y))
		c.rect("dr-case", box, y-13, 60, 26, 4)
		c.line("dr-rung", box+8, y, box+52, y)
		c.text("dr-ink", box+30, y-18, 12, "middle", name(b.Fuses, s, "fuse"))
		c.text("dr-ink", out, y+26, 13, anchor, fmt.Sprintf("OUT+ %.2f V", b.PlusVolts))
	}
}

// bars draws the two bars on which all strings lie, and nothing between: what is not known is not drawn.
func (b Bank) bars(c *canvas, post func(position, mate int, positive bool) (x, y float64)) {
	_, first := post(0, 0, false)
	_, last := post(0, b.Parallel-1, false)
	for s := range b.Parallel {
		x, y := post(0, s, false)
		c.path("dr-copper", "M40 "+num(y)+"L"+num(x)+" "+num(y))
		x, y = post(b.Series-1, s, true)
		c.path("dr-copper", "M"+num(x)+" "+num(y)+"L"+num(c.w-40)+" "+num(y))
	}
	c.path("dr-copper", "M40 "+num(first)+"L40 "+num(last))
	c.path("dr-copper", "M"+num(c.w-40)+" "+num(first)+"L"+num(c.w-40)+" "+num(last))
	c.text("dr-ink", 8, first-20, 13, "start", "negative")
	label := "positive"
	if b.PlusVolts > 0 {
		label += fmt.Sprintf(", %.2f V", b.PlusVolts)
	}
	c.text("dr-ink", c.w-4, first-20, 13, "end", label)
}

func name(list []string, i int, none string) string {
	if i < len(list) {
		return list[i]
	}
	return none
}

func (b Bank) module(c *canvas, m BankModule, x, y float64, turned bool) {
	c.rect("dr-case", x, y, caseW, caseH, 5)
	c.text("dr-ink num", x+caseW/2, y+38, 17, "middle", m.Label)
	n := len(m.Volts) - 1
	switch {
	case m.Inside != "":
		c.text("dr-soft num", x+caseW/2, y+caseH-10, 12, "middle", m.Inside)
	case n >= 1:
		c.text("dr-soft num", x+caseW/2, y+56, 12, "middle", fmt.Sprintf("%s, %.2f V", numeral.Count(n, "group"),
			m.Volts[n]-m.Volts[0]))
	}
	if n < 1 {
		if m.Inside != "" {
			m.bare(c, x, y)
		}
		return
	}
	for k, v := range m.Volts {
		// Posts at the ends, taps between them along the lower edge.
		f := float64(k) / float64(n)
		if turned {
			f = 1 - f
		}
		px := x + 14 + (caseW-28)*f
		py := y + caseH/2
		if k > 0 && k < n {
			py = y + caseH - 8
			c.circle("dr-post", px, py, 4)
		} else {
			c.circle("dr-post", px, py, 11)
			sign := "−"
			if k == n {
				sign = "+"
			}
			c.text("dr-ink", px, py+5, 16, "middle", sign)
			tx, anchor := x+6, "start"
			if px > x+caseW/2 {
				tx, anchor = x+caseW-6, "end"
			}
			c.text("dr-ink num", tx, y+16, 12, anchor, fmt.Sprintf("%.2f V", v))
			if k < len(m.Sense) && m.Sense[k] != "" {
				c.text("dr-soft num", tx, y+caseH-6, 11, anchor, "s"+m.Sense[k])
			}
			continue
		}
		if k < len(m.Sense) && m.Sense[k] != "" {
			c.text("dr-soft num", px, y+caseH+13, 11, "middle", "s"+m.Sense[k])
		}
	}
}

// bare draws the two posts of a module of which nobody read a voltage.
func (m BankModule) bare(c *canvas, x, y float64) {
	for i, sign := range []string{"−", "+"} { // in one order: a picture is the same each time
		px := x + 14 + float64(i)*(caseW-28)
		c.circle("dr-post", px, y+caseH/2, 11)
		c.text("dr-ink", px, y+caseH/2+5, 16, "middle", sign)
	}
}

// perRow is how many positions stand in a row of a parallel-first bank.
func (b Bank) perRow() int {
	switch {
	case b.Series <= 4:
		return b.Series
	case b.Series%4 == 0 || b.Series > 9:
		return 4
	case b.Series%3 == 0:
		return 3
	}
	return 4
}
