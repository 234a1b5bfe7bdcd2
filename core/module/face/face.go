// Package face is the module as it lies on the bench: posts, studs, tabs and connectors with their
// pins, placed as they are on the case.
//
// Places are in per cent of the case from its left and its top, so that they hold when the drawing
// grows; pins are laid out around their connector's place in steps of one pitch. Turning and
// flipping the module changes the places and never the names.
package face

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/numeral"
)

// Kinds of points.
const (
	Post = "post" // threaded post or insert
	Stud = "stud"
	Tab  = "tab"
	Pin  = "pin"
)

// Where the key of a connector sits.
const (
	KeyFirst  = "first" // at the end of the first pin
	KeyLast   = "last"
	KeyMiddle = "middle"
	KeyNone   = "none"
)

// How pins are numbered over the rows.
const (
	ByRow    = "rows"    // along the first row, then along the second
	ByColumn = "columns" // down the first column, then down the second
)

// Bounds.
const (
	MaxPins   = 120
	MaxRows   = 6
	MaxPoints = 40
)

// Point is a post, stud or tab. X and Y are 0…100.
type Point struct {
	Name string  `json:"name"`
	Kind string  `json:"kind"`
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
}

// Connector is a plug or socket. X and Y are its middle, 0…100; Turn counts quarter turns clockwise,
// applied before Mirror.
type Connector struct {
	Name   string   `json:"name"`
	Pins   []string `json:"pins"`
	Rows   int      `json:"rows"`
	Order  string   `json:"order"`
	Key    string   `json:"key"`
	X      float64  `json:"x"`
	Y      float64  `json:"y"`
	Turn   int      `json:"turn"`
	Mirror bool     `json:"mirror"`
}

// Face is a module's case with what a probe can touch on it. Upright is true for a case taller than wide as it lies.
type Face struct {
	Points     []Point     `json:"points"`
	Connectors []Connector `json:"connectors"`
	Upright    bool        `json:"upright"`
}

// Pins returns the names prefix1 … prefixN.
func Pins(prefix string, n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = fmt.Sprintf("%s%d", prefix, i+1)
	}
	return out
}

// Default places posts along the top and the pins in one connector below, in as many rows as keep it
// no longer than 16 pins.
func Default(posts, pins []string) Face {
	var f Face
	for i, p := range posts {
		f.Points = append(f.Points, Point{Name: p, Kind: Post, X: 100 * (float64(i) + 0.5) / float64(len(posts)),
			Y: 25})
	}
	if len(pins) > 0 {
		f.Connectors = []Connector{{Name: "connector", Pins: slices.Clone(pins), Rows: (len(pins) + 15) / 16,
			Order: ByRow, Key: KeyFirst, X: 50, Y: 70}}
	} else {
		for i := range f.Points {
			f.Points[i].Y = 50
		}
	}
	return f
}

// Names returns the names of the posts, studs and tabs, and those of the pins.
func (f Face) Names() (posts, pins []string) {
	for _, p := range f.Points {
		posts = append(posts, p.Name)
	}
	for _, c := range f.Connectors {
		pins = append(pins, c.Pins...)
	}
	return posts, pins
}

// Check says what cannot be used, naming the thing.
func (f Face) Check() error {
	if n := len(f.Points); n < 2 || n > MaxPoints {
		return fmt.Errorf("%d posts, studs and tabs: expected 2 to %d", n, MaxPoints)
	}
	seen := map[string]bool{}
	name := func(s, what string) error {
		if seen[s] {
			return fmt.Errorf("%s %s is there twice", what, s)
		}
		seen[s] = true
		return checkName(s, what)
	}
	place := func(x, y float64, what string) error {
		if !(x >= 0 && x <= 100 && y >= 0 && y <= 100) {
			return fmt.Errorf("%s lies at %g, %g: expected 0 to 100 per cent of the case", what, x, y)
		}
		return nil
	}
	for _, p := range f.Points {
		if err := name(p.Name, "post"); err != nil {
			return err
		}
		if !slices.Contains([]string{Post, Stud, Tab}, p.Kind) {
			return fmt.Errorf("%s is a %q: expected post, stud or tab", p.Name, p.Kind)
		}
		if err := place(p.X, p.Y, p.Name); err != nil {
			return err
		}
	}
	total := 0
	for _, c := range f.Connectors {
		total += len(c.Pins)
		if err := c.check(total); err != nil {
			return err
		}
		for _, p := range c.Pins {
			if err := name(p, "pin"); err != nil {
				return err
			}
		}
		if err := place(c.X, c.Y, "connector "+c.Name); err != nil {
			return err
		}
	}
	return nil
}

// checkName says what cannot be the name of a point.
func checkName(s, what string) error {
	switch {
	case strings.TrimSpace(s) != s || s == "":
		return fmt.Errorf("%s %q: expected a name", what, s)
	case len([]rune(s)) > 12 || strings.ContainsAny(s, " .#,;\t\n"):
		return fmt.Errorf("%s %q: expected up to 12 letters and digits, without blanks, points, commas or #", what, s)
	case strings.EqualFold(s, "case"):
		return fmt.Errorf("%s %q: that word is kept for the case itself", what, s)
	}
	return nil
}

// check says what of a connector cannot be used; total is how many pins there are up to it.
func (c Connector) check(total int) error {
	n := len(c.Pins)
	switch {
	case n < 1 || total > MaxPins:
		return fmt.Errorf("connector %s has %d pins: expected 1 to %d over all connectors", c.Name, n, MaxPins)
	case c.Rows < 1 || c.Rows > MaxRows || c.Rows > n:
		return fmt.Errorf("connector %s has %s: expected 1 to %d, and no more than pins", c.Name,
			numeral.Count(c.Rows, "row"),
			MaxRows)
	case !slices.Contains([]string{KeyFirst, KeyLast, KeyMiddle, KeyNone}, c.Key):
		return fmt.Errorf("connector %s has its key at %q: expected first, last, middle or none", c.Name, c.Key)
	case !slices.Contains([]string{ByRow, ByColumn}, c.Order):
		return fmt.Errorf("connector %s counts by %q: expected rows or columns", c.Name, c.Order)
	}
	return nil
}

// PerRow is the number of pins in a row of c, the last row being possibly shorter.
func (c Connector) PerRow() int { return (len(c.Pins) + c.Rows - 1) / c.Rows }

// cell returns column and row of pin i as the connector is built.
func (c Connector) cell(i int) (col, row int) {
	if c.Order == ByColumn {
		return i / c.Rows, i % c.Rows
	}
	return i % c.PerRow(), i / c.PerRow()
}

// Offset returns where pin i lies from the connector's middle, in pitches, as it is drawn.
func (c Connector) Offset(i int) (dx, dy float64) {
	col, row := c.cell(i)
	return c.turned(float64(col)-float64(c.PerRow()-1)/2, float64(row)-float64(c.Rows-1)/2)
}

// KeyOffset returns where the key lies from the middle, in pitches; ok is false for none.
func (c Connector) KeyOffset() (dx, dy float64, ok bool) {
	half, up := float64(c.PerRow()-1)/2, -float64(c.Rows)/2-0.15
	switch c.Key {
	case KeyFirst:
		dx, dy = c.turned(-half, up)
	case KeyLast:
		dx, dy = c.turned(half, up)
	case KeyMiddle:
		dx, dy = c.turned(0, up)
	default:
		return 0, 0, false
	}
	return dx, dy, true
}

// Extent returns the connector's width and height in pitches, as it is drawn.
func (c Connector) Extent() (w, h float64) {
	w, h = float64(c.PerRow()), float64(c.Rows)
	if c.Turn%2 != 0 {
		return h, w
	}
	return w, h
}

func (c Connector) turned(dx, dy float64) (float64, float64) {
	for range (c.Turn%4 + 4) % 4 {
		dx, dy = -dy, dx
	}
	if c.Mirror {
		dx = -dx
	}
	return dx + 0, dy + 0 // no negative zero
}

// Turned is the face after quarters of a turn clockwise.
func (f Face) Turned(quarters int) Face {
	out := f.clone()
	for range (quarters%4 + 4) % 4 {
		for i, p := range out.Points {
			out.Points[i].X, out.Points[i].Y = 100-p.Y, p.X
		}
		for i, c := range out.Connectors {
			out.Connectors[i].X, out.Connectors[i].Y = 100-c.Y, c.X
			// A quarter turn after a mirror is the mirror of a quarter turn the other way.
			step := 1
			if c.Mirror {
				step = 3
			}
			out.Connectors[i].Turn = (c.Turn%4 + 4 + step) % 4
		}
		out.Upright = !out.Upright
	}
	return out
}

// Flipped is the face seen from its other side, left and right exchanged.
func (f Face) Flipped() Face {
	out := f.clone()
	for i := range out.Points {
		out.Points[i].X = 100 - out.Points[i].X
	}
	for i := range out.Connectors {
		out.Connectors[i].X = 100 - out.Connectors[i].X
		out.Connectors[i].Mirror = !out.Connectors[i].Mirror
	}
	return out
}

func (f Face) clone() Face {
	f.Points, f.Connectors = slices.Clone(f.Points), slices.Clone(f.Connectors)
	return f
}

// Placed is something a probe can touch, at its place in drawing units.
type Placed struct {
	Name      string
	Kind      string
	X, Y      float64
	Connector string // of a pin
}

// Drawing sizes: a pitch keeps pins far enough apart for a gloved finger.
const (
	Pitch  = 52.0
	Margin = 46.0
	long   = 640.0
	short  = 230.0
)

// Size returns width and height of the drawing of the case: at least its usual size, more where the connectors need it.
func (f Face) Size() (w, h float64) {
	w, h = long, short
	if f.Upright {
		w, h = short, long
	}
	for _, c := range f.Connectors {
		cw, ch := c.Extent()
		w, h = max(w, cw*Pitch+2*Margin), max(h, ch*Pitch+2*Margin)
	}
	if len(f.Connectors) > 0 && !f.Upright {
		h = max(h, 260)
	}
	return w, h
}

// Middle returns the middle of a connector in drawing units, kept inside the case.
func (f Face) Middle(c Connector) (x, y float64) {
	w, h := f.Size()
	cw, ch := c.Extent()
	return inside(w*c.X/100, cw*Pitch/2+12, w), inside(h*c.Y/100, ch*Pitch/2+16, h)
}

// Place returns every point at its place in drawing units.
func (f Face) Place() []Placed {
	w, h := f.Size()
	var out []Placed
	for _, p := range f.Points {
		out = append(out, Placed{Name: p.Name, Kind: p.Kind, X: inside(w*p.X/100, 30, w),
			Y: inside(h*p.Y/100, 34, h-10)})
	}
	for _, c := range f.Connectors {
		mx, my := f.Middle(c)
		for i, p := range c.Pins {
			dx, dy := c.Offset(i)
			out = append(out, Placed{Name: p, Kind: Pin, X: mx + dx*Pitch, Y: my + dy*Pitch, Connector: c.Name})
		}
	}
	return out
}

// inside keeps v at least room away from both ends of 0…size.
func inside(v, room, size float64) float64 {
	if 2*room >= size {
		return size / 2
	}
	return min(max(v, room), size-room)
}

// Sides say where the red probe goes from the black one.
const (
	Right = "right"
	Left  = "left"
	Above = "above"
	Below = "below"
)

// Lies says on which side of the black point the red one lies, "" where one of them is not on the
// face or they share a place. Along a module whose polarity alternates the answer alternates too,
// and the clip that was positive is negative one step on.
func (f Face) Lies(red, black string) string {
	var r, b *Placed
	all := f.Place()
	for i := range all {
		switch all[i].Name {
		case red:
			r = &all[i]
		case black:
			b = &all[i]
		}
	}
	if r == nil || b == nil {
		return ""
	}
	dx, dy := r.X-b.X, r.Y-b.Y
	switch {
	case math.Abs(dx) < 1 && math.Abs(dy) < 1:
		return ""
	case math.Abs(dx) >= math.Abs(dy) && dx > 0:
		return Right
	case math.Abs(dx) >= math.Abs(dy):
		return Left
	case dy < 0:
		return Above
	}
	return Below
}

// With returns the face with exactly these posts and pins: what is no longer named is taken off, what
// is new is put where Default puts it.
func (f Face) With(posts, pins []string) Face {
	out := f.clone()
	out.Points = slices.DeleteFunc(out.Points, func(p Point) bool { return !slices.Contains(posts, p.Name) })
	have, havePins := f.Names()
	fresh := Default(posts, nil)
	for _, p := range fresh.Points {
		if !slices.Contains(have, p.Name) {
			out.Points = append(out.Points, p)
		}
	}
	var rest []string
	for _, p := range pins {
		if !slices.Contains(havePins, p) {
			rest = append(rest, p)
		}
	}
	for i := range out.Connectors {
		c := &out.Connectors[i]
		c.Pins = slices.DeleteFunc(slices.Clone(c.Pins), func(p string) bool { return !slices.Contains(pins, p) })
		c.Rows = max(1, min(c.Rows, len(c.Pins)))
	}
	out.Connectors = slices.DeleteFunc(out.Connectors, func(c Connector) bool { return len(c.Pins) == 0 })
	if len(rest) > 0 {
		out.Connectors = append(out.Connectors, Default(nil, rest).Connectors...)
	}
	return out
}
