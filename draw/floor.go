package draw

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// Floor is a bank drawn to scale, in millimetres. Every piece, joint and post of it carries its name, so that a page
// can take hold of it: data-piece with data-box, data-joint with its ends, data-spot.
type Floor struct {
	Title string
	State floor.State
	Units floor.Units
	Live  bool // a page takes hold of it: posts are buttons
}

// airMM is what is left free around a drawing, mm.
const airMM = 60.0

// SVG draws supports, cases, joints over them, and posts on top, with the volts at each.
//
// A joint is a curve from post to post, so that two beside each other never hide one another; a device sits in its
// middle as a plate with its name. What is wrong wears its glyph where it is wrong.
func (f Floor) SVG() string {
	d := f.State.Drawing
	area := f.room()
	w, h := area.W+2*airMM, area.D+2*airMM
	t := f.State.Tells
	told := fmt.Sprintf("%d modules", t.Modules)
	if t.Series > 0 {
		told += fmt.Sprintf(", %d groups in series, %d in parallel", t.Series, t.Parallel)
	}
	k := max(w, h*1.5) / 1000
	s := &sheetOf{Floor: f, c: openAt(w, h, 1/k, "floor", f.Title, told), x0: area.X - airMM, y0: area.Y - airMM, k: k}
	if f.Units.Source() == known.Assumed {
		s.c.from = known.Assumed.String()
		s.c.text("dr-soft", 6*k, h-8*k, 12*k, "start", "volts assumed")
	}
	s.photo()
	for _, x := range d.Supports {
		s.support(x)
	}
	layers := 0
	for _, p := range d.Pieces {
		layers = max(layers, p.Place.Layer)
	}
	for l := range layers + 1 {
		for _, p := range d.Pieces {
			if p.Place.Layer == l {
				s.piece(p)
			}
		}
	}
	for _, j := range d.Joints {
		s.joint(j)
	}
	for _, p := range d.Pieces {
		s.spots(p)
	}
	s.pins()
	return s.c.close()
}

// photo is what lies under the drawing, on a page alone: a file carries no pictures.
func (s *sheetOf) photo() {
	p := s.State.Drawing.Photo
	if p == nil || !s.Live {
		return
	}
	x, y := s.at(p.XMM, p.YMM)
	s.c.put(`<image class="fl-photo" aria-hidden="true" href="/pictures/`, fmt.Sprint(p.Picture), `" x="`, num(x),
		`" y="`, num(y), `" width="`, num(p.WMM), `" height="`, num(p.HMM), "\"/>\n")
}

// pins are the pictures of the real thing at their places: each leads to its picture.
func (s *sheetOf) pins() {
	if !s.Live {
		return
	}
	size := 26 * s.k
	for _, p := range s.State.Drawing.Pins {
		x, y := s.at(p.XMM, p.YMM)
		_, no, _ := strings.Cut(p.ID, " ")
		s.c.put(`<a class="fl-pin" href="/pictures/`, fmt.Sprint(p.Picture), `"><title>`, esc(strings.TrimSuffix(p.ID+
			", "+p.Note, ", ")), "</title>\n")
		s.c.rect("dr-pin", x-size/2, y-size/2, size, size, size*0.2)
		s.c.text("dr-pinned", x, y+4.5*s.k, 13*s.k, "middle", no)
		s.c.put("</a>\n")
	}
}

// room is what the drawing covers, with the bends of its joints.
func (f Floor) room() floor.Box {
	a := f.State.Drawing.Area(f.Units)
	x0, y0, x1, y1 := a.X, a.Y, a.X+a.W, a.Y+a.D
	for _, j := range f.State.Drawing.Joints {
		from, okA := f.State.Spots[j.From]
		to, okB := f.State.Spots[j.To]
		if okA && okB {
			_, mx, my := curve(from.X, from.Y, to.X, to.Y, f.bow(j, from, to))
			x0, y0, x1, y1 = min(x0, mx), min(y0, my), max(x1, mx), max(y1, my)
		}
	}
	return floor.Box{X: x0, Y: y0, W: x1 - x0, D: y1 - y0}
}

// sheetOf is a drawing on its sheet: k millimetres of the drawing are a thousandth of its width.
type sheetOf struct {
	Floor
	c      *canvas
	x0, y0 float64
	k      float64
	posts  []floor.Spot // what can be pressed, from left to right
}

func (s *sheetOf) at(x, y float64) (float64, float64) { return x - s.x0, y - s.y0 }

func (s *sheetOf) support(p floor.Support) {
	x, y := s.at(p.XMM, p.YMM)
	s.c.rect("dr-ghost", x, y, p.WMM, p.DMM, 4*s.k)
	label := p.ID
	if p.BearsKg > 0 {
		label += fmt.Sprintf(", bears %.0f kg", p.BearsKg)
	}
	s.c.text("dr-soft", x+6*s.k, y+p.DMM-6*s.k, 12*s.k, "start", label)
}

// mark puts the glyph of the gravest judgement at a place.
func (s *sheetOf) mark(on string, x, y float64) {
	m, ok := s.State.Worst(on)
	if !ok {
		return
	}
	class := "dr-caution"
	if m.Level >= finding.Stop {
		class = "dr-stop"
	}
	size := 20 * s.k
	s.c.put(`<g class="fl-flag">`, "<title>", esc(m.Text), "</title>\n")
	s.c.rect(class, x-size*0.65, y-size*0.65, size*1.3, size*1.3, size*0.3)
	s.c.glyph(m.Level.String(), x-size/2, y-size/2, size)
	s.c.put("</g>\n")
}

func (s *sheetOf) piece(p floor.Piece) {
	b := s.State.Drawing.BoxOf(p, s.Units)
	x, y := s.at(b.X, b.Y)
	class := "dr-case"
	if p.Kind != floor.Module {
		class = "dr-chip"
	}
	s.c.put(`<g data-piece="`, esc(p.ID), `" data-box="`, num(b.X), " ", num(b.Y), " ", num(b.W), " ", num(b.D), `"`)
	if s.Live {
		s.c.put(` tabindex="-1" role="group" aria-label="`, esc(s.name(p)), `"`)
	}
	s.c.put(">\n")
	if p.Place.Layer > 0 { // what lies above throws a shadow
		off := 6 * s.k * float64(p.Place.Layer)
		s.c.rect("dr-shadow", x+off, y+off, b.W, b.D, 5*s.k)
	}
	s.c.rect(class, x, y, b.W, b.D, 5*s.k)
	s.c.put("</g>\n")
}

// aside is where across a case its label stands, and how wide it may be: in the middle, or beside the connector that
// sits there.
func (s *sheetOf) aside(p floor.Piece, b floor.Box) (at, room float64) {
	for _, x := range s.State.Drawing.Spots(p, s.Units) {
		if x.Pin && math.Abs(x.X-b.X-b.W/2) < b.W*0.2 && math.Abs(x.Y-b.Y-b.D/2) < b.D*0.15 {
			return b.W * 0.3, b.W * 0.3
		}
	}
	return b.W / 2, b.W * 0.9
}

// least is the smallest text of a drawing, in thousandths of its sheet.
const least = 11

// fit is a size of text at which s keeps within a width, at most size in thousandths of the sheet and never below the
// smallest that can be read.
func (s *sheetOf) fit(text string, width, size float64) float64 {
	size *= s.k
	if w := textWidth(text, size); w > width && w > 0 {
		size *= width / w
	}
	return max(size, least*s.k)
}

// under says how a module stands: its groups from the main negative up, and its layer where it lies on another.
func (s *sheetOf) under(p floor.Piece) string {
	n := len(s.Units[p.ID].Groups)
	text := ""
	if k, ok := s.State.Tells.At[p.ID]; ok && s.State.Tells.Series > 0 {
		text = fmt.Sprintf("groups %d to %d", k+1, k+n)
		if n == 1 {
			text = fmt.Sprintf("group %d", k+1)
		}
	}
	if p.Place.Layer > 0 {
		text += fmt.Sprintf(" · layer %d", p.Place.Layer+1)
	}
	return strings.TrimPrefix(text, " · ")
}

func (s *sheetOf) name(p floor.Piece) string {
	text := p.ID
	if p.Kind != floor.Module {
		text += ", " + floor.Word(string(p.Kind))
	} else if u := s.under(p); u != "" {
		text += ", " + u
	}
	if m, ok := s.State.Worst(p.ID); ok {
		text += ". " + m.Text
	}
	return text
}

// bow is how far a joint bends aside, in parts of its length, away from the middle of the bank: a bar lies straight.
func (f Floor) bow(j netlist.Conductor, from, to floor.Spot) float64 {
	if j.Kind == netlist.Bar || j.Kind == netlist.Bond {
		return 0
	}
	const aside = 0.18
	a := f.State.Drawing.Area(f.Units)
	mx, my := a.X+a.W/2, a.Y+a.D/2
	cx, cy := (from.X+to.X)/2, (from.Y+to.Y)/2
	dx, dy := (from.Y-to.Y)*aside, (to.X-from.X)*aside
	if math.Hypot(cx-dx-mx, cy-dy-my) > math.Hypot(cx+dx-mx, cy+dy-my) {
		return -aside
	}
	return aside
}

// curve is the way of a joint and its middle. The script that drags a piece draws it by the same rule.
func curve(x1, y1, x2, y2, bow float64) (path string, mx, my float64) {
	cx, cy := (x1+x2)/2+(y1-y2)*bow, (y1+y2)/2+(x2-x1)*bow
	return "M" + num(x1) + " " + num(y1) + "Q" + num(cx) + " " + num(cy) + " " + num(x2) + " " + num(y2),
		(x1 + 2*cx + x2) / 4, (y1 + 2*cy + y2) / 4
}

func (s *sheetOf) joint(j netlist.Conductor) {
	a, okA := s.State.Spots[j.From]
	b, okB := s.State.Spots[j.To]
	if !okA || !okB {
		return
	}
	x1, y1 := s.at(a.X, a.Y)
	x2, y2 := s.at(b.X, b.Y)
	bow := s.bow(j, a, b)
	path, mx, my := curve(x1, y1, x2, y2, bow)
	class, wide := "fl-cable", 5.0
	switch j.Kind {
	case netlist.Bar:
		class, wide = "fl-bar", 9
	case netlist.Bond:
		class, wide = "fl-bond", 3
	}
	s.c.put(`<g data-joint="`, esc(j.ID), `" data-from="`, esc(j.From), `" data-to="`, esc(j.To), `" data-bow="`,
		fmt.Sprintf("%g", bow), `">`, "\n")
	s.c.put(`<path `, attrs(class), ` stroke-width="`, num(wide*s.k), `" d="`, path, "\"/>\n")
	size := 12 * s.k
	label := j.ID
	if device(j.Kind) {
		label += " " + plateWord(j)
	}
	wd := textWidth(label, size) + 10*s.k
	s.c.put(`<g data-middle="`, num(mx), " ", num(my), `">`, "\n")
	switch {
	case device(j.Kind):
		s.c.rect("dr-chip", mx-wd/2, my-size*0.8, wd, size*1.6, 3*s.k)
		s.c.text("dr-ink num", mx, my+size*0.35, size, "middle", label)
	case j.Kind != netlist.Bond && math.Hypot(x1-x2, y1-y2) > 1.3*wd+22*s.k:
		s.c.text("dr-ink fl-over", mx, my+size*0.35, size, "middle", label)
	}
	s.mark(j.ID, mx+wd/2+8*s.k, my-size)
	s.c.put("</g>\n</g>\n")
}

// device reports whether a joint is a thing of its own, and not only metal.
func device(k netlist.Kind) bool { return k != netlist.Bar && k != netlist.Cable && k != netlist.Bond }

func plateWord(j netlist.Conductor) string {
	word := string(j.Kind)
	if j.Kind == netlist.Precharge {
		word = "pre-charge"
	}
	if j.RatingA != nil {
		word += fmt.Sprintf(" %.0f A", *j.RatingA)
	}
	if j.Open {
		word += ", open"
	}
	return word
}

// label writes what a piece is over whatever runs across it, and wears what is wrong with it.
func (s *sheetOf) label(p floor.Piece, b floor.Box) {
	x, y := s.at(b.X, b.Y)
	s.c.put(`<g class="fl-name" data-of="`, esc(p.ID), `" pointer-events="none">`, "\n")
	switch {
	case p.Kind == floor.Module:
		at, room := s.aside(p, b)
		size := s.fit(p.ID, room, 17)
		s.c.text("dr-ink fl-over", x+at, y+b.D/2+size*0.1, size, "middle", p.ID)
		if t := s.under(p); t != "" && textWidth(t, least*s.k) < b.W {
			s.c.text("dr-soft fl-over", x+at, y+b.D/2+size*1.15, s.fit(t, room, 12), "middle", t)
		}
	case b.D > 40:
		s.c.text("dr-ink fl-over", x+b.W/2, y+b.D-6*s.k, s.fit(p.ID, b.W*0.9, 14), "middle", p.ID)
	default:
		s.c.text("dr-ink fl-over", x+b.W/2, y-4*s.k, 14*s.k, "middle", p.ID)
	}
	s.mark(p.ID, x+b.W-12*s.k, y+2*s.k)
	s.c.put("</g>\n")
}

// spots draws the points of a piece: posts with their sign and volts, pins as dots.
func (s *sheetOf) spots(p floor.Piece) {
	b := s.State.Drawing.BoxOf(p, s.Units)
	s.label(p, b)
	list := s.State.Drawing.Spots(p, s.Units)
	for _, x := range list {
		px, py := s.at(x.X, x.Y)
		if x.Pin {
			s.c.put(`<g data-pin="`, esc(x.Name), `" data-of="`, esc(p.ID), `" data-at="`, num(px), " ", num(py), `">`)
			s.c.circle("dr-post", px, py, min(1.6, 3*s.k))
			s.c.put("</g>\n")
			continue
		}
		r := 11 * s.k
		sign := sign(p, x)
		s.c.put(`<g data-spot="`, esc(x.Name), `" data-of="`, esc(p.ID), `" data-at="`, num(px), " ", num(py), `"`)
		if s.Live {
			s.c.put(` role="button" tabindex="-1" aria-label="`, esc(s.spotName(x, sign)), `"`)
		}
		s.c.put(">\n")
		if s.Live {
			s.c.put(`<circle class="fl-hit" fill="none" pointer-events="all" cx="`, num(px), `" cy="`, num(py), `" r="`,
				num(s.reach(x)), "\"/>\n")
		}
		for i := range s.State.Band(x.Name) {
			s.c.circle("dr-reach", px, py, r*(1.4+0.4*float64(i)))
		}
		s.post(sign, px, py, r)
		s.c.put("</g>\n", `<g data-of="`, esc(p.ID), `" pointer-events="none">`,
			"\n") // what is pressed is the post alone
		if v, ok := s.State.Volts[x.Name]; ok && p.Kind == floor.Module {
			s.volts(b, px, py, r, v)
		}
		s.mark(x.Name, px+r, py-r)
		s.c.put("</g>\n")
	}
}

// volts writes what a post stands at towards the middle of its case, where there is room.
func (s *sheetOf) volts(b floor.Box, px, py, r, v float64) {
	size := 11 * s.k
	left, top := b.X-s.x0, b.Y-s.y0
	ty := py - r - 5*s.k
	if py-top < b.D/2 {
		ty = py + r + size + 2*s.k
	}
	tx, anchor := px, "middle"
	switch {
	case px-left < 26*s.k:
		tx, anchor = left+3*s.k, "start"
	case left+b.W-px < 26*s.k:
		tx, anchor = left+b.W-3*s.k, "end"
	}
	s.c.text("dr-ink fl-over", tx, ty, size, anchor, fmt.Sprintf("%.2f V", v))
}

// post is a plus on a round plate, a minus on a square one, and anything else on a plate with its corners cut.
func (s *sheetOf) post(sign string, x, y, r float64) {
	switch sign {
	case "+":
		s.c.circle("dr-post", x, y, r)
	case "−":
		s.c.rect("dr-post", x-r*0.9, y-r*0.9, r*1.8, r*1.8, 1*s.k)
	default:
		s.c.rect("dr-post", x-r*0.9, y-r*0.9, r*1.8, r*1.8, r*0.6)
	}
	size := 15 * s.k
	if len([]rune(sign)) > 1 {
		size = least * s.k
	}
	s.c.text("dr-ink", x, y+size*0.34, size, "middle", sign)
}

func sign(p floor.Piece, x floor.Spot) string {
	switch {
	case p.Kind == floor.Module && x.Last:
		return "+"
	case p.Kind == floor.Module && x.Node == 0:
		return "−"
	case p.Kind == floor.Module:
		return x.Pole
	case p.Kind == floor.Stud:
		return "·"
	case p.Kind == floor.Earth:
		return "E"
	}
	return strings.Replace(strings.TrimPrefix(x.Pole, ":"), "-", "−", 1)
}

func (s *sheetOf) spotName(x floor.Spot, sign string) string {
	text := x.Name
	if word := map[string]string{"+": "plus", "−": "minus"}[sign]; word != "" {
		text += " (" + word + ")"
	}
	if v, ok := s.State.Volts[x.Name]; ok {
		text += fmt.Sprintf(", %.2f V", v)
	}
	if s.State.Band(x.Name) > 0 {
		text += fmt.Sprintf(", %.0f V within reach", s.State.Reach[x.Name])
	}
	return text
}

// reach is how far around a post a press counts: as far as a finger needs, and never nearer to another post.
func (s *sheetOf) reach(x floor.Spot) float64 {
	far := 26 * s.k
	if s.posts == nil {
		for _, o := range s.State.Spots {
			if !o.Pin {
				s.posts = append(s.posts, o)
			}
		}
		slices.SortFunc(s.posts, func(a, b floor.Spot) int {
			return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Name, b.Name))
		})
	}
	r := far
	from, _ := slices.BinarySearchFunc(s.posts, x.X-2*far, func(o floor.Spot, v float64) int {
		return cmp.Compare(o.X,
			v)
	})
	for _, o := range s.posts[from:] {
		if o.X > x.X+2*far {
			break
		}
		if o.Name != x.Name {
			r = min(r, math.Hypot(o.X-x.X, o.Y-x.Y)/2)
		}
	}
	return r
}
