// Package floor is a bank as it will stand: its pieces to scale in their places, and what joins them.
//
// A drawing holds places and joints only. What a module is (its groups, its face, its size) comes from whoever calls,
// as it is on record; so the same drawing is judged by what was measured last. A drawing becomes a netlist, and
// package wiring judges that: this package adds where things lie and how long what joins them is. What a joint would
// do before it is made is package change.
package floor

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/known"
	"pandrel/core/module/face"
)

// Kind is what a piece is.
type Kind string

// The kinds of piece. What joins two points (a bar, a fuse, a switch) is no piece but a joint.
const (
	Module  Kind = "module"
	BMS     Kind = "bms"
	Board   Kind = "board"   // a monitor of a stack, without a switch of its own
	Outlet  Kind = "outlet"  // where a load attaches
	Load    Kind = "load"    // one that is always there
	Charger Kind = "charger" // its own way in
	Stud    Kind = "stud"    // a bus bar or a junction
	Earth   Kind = "earth"
)

// Kinds of piece that may be added to a drawing beside its modules, in the order in which they are offered.
var Kinds = []Kind{BMS, Board, Outlet, Charger, Load, Stud, Earth}

// Place is where a piece lies: its upper left corner from above, turned clockwise by quarters after it was flipped.
type Place struct {
	XMM   float64 `json:"x_mm"`
	YMM   float64 `json:"y_mm"`
	Turn  int     `json:"turn,omitempty"`
	Flip  bool    `json:"flip,omitempty"`
	Layer int     `json:"layer,omitempty"`
}

// Case is the size of a piece as its face is drawn, across, down and high, and its mass; 0 where not known.
type Case struct {
	WMM float64 `json:"w_mm,omitempty"`
	DMM float64 `json:"d_mm,omitempty"`
	HMM float64 `json:"h_mm,omitempty"`
	Kg  float64 `json:"kg,omitempty"`
}

// Known reports whether the case can be drawn to scale.
func (c Case) Known() bool { return c.WMM > 0 && c.DMM > 0 }

// Piece is one thing in its place. What follows Place is of a BMS: what it opens by, the joint that it drives, what its
// switch opens, and its leads where somebody laid them otherwise than they follow from the drawing. Own is the size of
// this one, empty for that of its type or kind.
type Piece struct {
	ID    string `json:"id"`
	Kind  Kind   `json:"kind"`
	Place Place  `json:"place"`
	Own   Case   `json:"size,omitzero"`

	Opens  netlist.Kind `json:"opens,omitempty"`
	Drives string       `json:"drives,omitempty"`
	OpensV *float64     `json:"opens_v,omitempty"`
	Sense  []*string    `json:"sense,omitempty"`
	Charge bool         `json:"charge_pole,omitempty"` // a BMS with a pole of its own for chargers
	Supply bool         `json:"supply,omitempty"`      // an outlet for nothing but the monitor's own supply
	// LeadsMM is how long the sense leads are that a BMS or board came with, 0 not known.
	LeadsMM float64 `json:"leads_mm,omitempty"`
}

// chargePole is what the pole of a BMS for chargers is called.
const chargePole = ":C-"

// poles are the points of a piece that is no module.
func (p *Piece) poles() []pole {
	if p.Kind == BMS && p.Charge {
		return append(slices.Clone(poles[BMS]), pole{chargePole, 0.84, 0.8})
	}
	return poles[p.Kind]
}

// Support is a shelf, a box or the floor of a rack on which pieces stand. BearsKg is 0 where not known.
type Support struct {
	ID      string  `json:"id"`
	XMM     float64 `json:"x_mm"`
	YMM     float64 `json:"y_mm"`
	WMM     float64 `json:"w_mm"`
	DMM     float64 `json:"d_mm"`
	BearsKg float64 `json:"bears_kg,omitempty"`
}

// Photo is a picture that lies under a drawing, to draw over: its number, its upper left corner and its size.
type Photo struct {
	Picture int64   `json:"picture"`
	XMM     float64 `json:"x_mm"`
	YMM     float64 `json:"y_mm"`
	WMM     float64 `json:"w_mm"`
	HMM     float64 `json:"h_mm"`
}

// Pinned is a picture of the real thing at its place.
type Pinned struct {
	ID      string  `json:"id"`
	Picture int64   `json:"picture"`
	XMM     float64 `json:"x_mm"`
	YMM     float64 `json:"y_mm"`
	Note    string  `json:"note,omitempty"`
}

// Drawing is a bank as somebody drew it. Its pictures are numbers of the workshop that it was drawn in: no file carries
// them.
type Drawing struct {
	Supports []Support           `json:"supports,omitempty"`
	Pieces   []Piece             `json:"pieces"`
	Joints   []netlist.Conductor `json:"joints"`
	Photo    *Photo              `json:"photo,omitempty"`
	Pins     []Pinned            `json:"pins,omitempty"`
}

// Unit is a module as it is on record: its groups and posts, its face, its size, and its points by preference.
type Unit struct {
	netlist.Module
	Face   face.Face
	Case   Case
	Front  []string    // points for power, by preference
	Taps   []string    // points for sense leads, by preference
	Thread string      // of its posts and what to have for them, "" for not known
	Ah     known.Value // what it holds and on what that rests; not known for what its groups say
	Nobody bool        // nobody read its volts: nominal ones stand in
}

// Units are modules by number.
type Units map[string]Unit

// Source is what the volts of these modules rest on.
func (u Units) Source() known.Source {
	for _, x := range u {
		if x.Nobody {
			return known.Assumed
		}
	}
	return known.Measured
}

// holds is what a group of a module holds.
func (u Unit) holds(group int) known.Value {
	if u.Ah.Is() {
		return u.Ah
	}
	return known.Recorded(u.Groups[group].Ah, known.Typed)
}

// With are the units with the groups and posts that a netlist has of them.
func (u Units) With(modules []netlist.Module) Units {
	out := maps.Clone(u)
	if out == nil {
		out = Units{}
	}
	for _, m := range modules {
		x := out[m.ID]
		x.Module = m
		out[m.ID] = x
	}
	return out
}

// Sizes that stand for what nobody measured, mm.
var (
	assumedCase = Case{WMM: 300, DMM: 150}
	usual       = map[Kind]Case{
		BMS: {WMM: 150, DMM: 90}, Board: {WMM: 110, DMM: 70}, Outlet: {WMM: 120, DMM: 70}, Load: {WMM: 160, DMM: 110},
		Charger: {WMM: 160, DMM: 110}, Stud: {WMM: 30, DMM: 30}, Earth: {WMM: 30, DMM: 30},
	}
)

// FarMM is as far as a drawing goes, MaxPieces how many pieces one may have, TopLayer as high as they are stacked.
const (
	FarMM     = 50000.0
	MaxPieces = 2000
	TopLayer  = 20
)

// pinPitchMM is how far pins of a connector stand from each other as they are placed; a lead is cut longer than that.
const pinPitchMM = 4

// CaseOf is the size of a piece as it was built, and whether it is assumed.
func (d Drawing) CaseOf(p Piece, units Units) (c Case, assumed bool) {
	c = p.Own
	if p.Kind == Module {
		u := units[p.ID]
		if !c.Known() {
			c.WMM, c.DMM, c.HMM = u.Case.WMM, u.Case.DMM, u.Case.HMM
		}
		if c.Kg == 0 {
			c.Kg = u.Case.Kg
		}
		if !c.Known() {
			c.WMM, c.DMM = assumedCase.WMM, assumedCase.DMM
			if u.Face.Upright {
				c.WMM, c.DMM = c.DMM, c.WMM
			}
			return c, true
		}
		return c, false
	}
	if !c.Known() {
		c.WMM, c.DMM = usual[p.Kind].WMM, usual[p.Kind].DMM
	}
	return c, false
}

// Box is what a piece covers, mm.
type Box struct{ X, Y, W, D float64 }

// Overlaps reports whether two boxes cover one place.
func (b Box) Overlaps(o Box) bool {
	const touch = 0.5
	return b.X < o.X+o.W-touch && o.X < b.X+b.W-touch && b.Y < o.Y+o.D-touch && o.Y < b.Y+b.D-touch
}

// Holds reports whether a point lies on it.
func (b Box) Holds(x, y float64) bool { return x >= b.X && x <= b.X+b.W && y >= b.Y && y <= b.Y+b.D }

// BoxOf is what a piece covers as it lies.
func (d Drawing) BoxOf(p Piece, units Units) Box {
	c, _ := d.CaseOf(p, units)
	if p.Place.Turn%2 != 0 {
		c.WMM, c.DMM = c.DMM, c.WMM
	}
	return Box{p.Place.XMM, p.Place.YMM, c.WMM, c.DMM}
}

// Spot is a point that can be joined, where it lies. Pin is of a tap connector: it carries a sense lead and no current.
type Spot struct {
	Name  string
	Piece string
	Pole  string
	X, Y  float64
	Pin   bool
	Layer int
	Node  int // of a module, the groups below it
	Last  bool
}

// pole is a point of a piece that is no module, in parts of its case.
type pole struct {
	Pole string
	X, Y float64
}

var poles = map[Kind][]pole{
	BMS:     {{":B-", 0.16, 0.4}, {":P-", 0.84, 0.4}},
	Board:   {{":B-", 0.2, 0.4}},
	Outlet:  {{"+", 0.22, 0.4}, {"-", 0.78, 0.4}},
	Load:    {{"+", 0.22, 0.4}, {"-", 0.78, 0.4}},
	Charger: {{"+", 0.22, 0.4}, {"-", 0.78, 0.4}},
	Stud:    {{"", 0.5, 0.5}},
	Earth:   {{"", 0.5, 0.5}},
}

// Spots lists the points of a piece, in the order of its face.
func (d Drawing) Spots(p Piece, units Units) (out []Spot) {
	box := d.BoxOf(p, units)
	if p.Kind != Module {
		for _, x := range p.poles() {
			px, py := turned(x.X, x.Y, p.Place)
			out = append(out, Spot{Name: p.ID + x.Pole, Piece: p.ID, Pole: x.Pole, X: box.X + px*box.W,
				Y: box.Y + py*box.D, Layer: p.Place.Layer})
		}
		return out
	}
	u := units[p.ID]
	f := u.Face
	if p.Place.Flip {
		f = f.Flipped()
	}
	f = f.Turned(p.Place.Turn)
	spot := func(name string, x, y float64, pin bool) {
		node, ok := u.Module.Posts[name]
		if !ok {
			return
		}
		out = append(out, Spot{Name: p.ID + "." + name, Piece: p.ID, Pole: name, X: x, Y: y, Pin: pin, Node: node,
			Layer: p.Place.Layer, Last: node == len(u.Groups)})
	}
	const edge = 6
	for _, x := range f.Points {
		spot(x.Name, within(box.X+x.X/100*box.W, box.X+edge, box.X+box.W-edge),
			within(box.Y+x.Y/100*box.D, box.Y+edge, box.Y+box.D-edge), false)
	}
	for _, c := range f.Connectors {
		for i, name := range c.Pins {
			dx, dy := c.Offset(i)
			spot(name, within(box.X+c.X/100*box.W+dx*pinPitchMM, box.X+2, box.X+box.W-2),
				within(box.Y+c.Y/100*box.D+dy*pinPitchMM, box.Y+2, box.Y+box.D-2), true)
		}
	}
	return out
}

func within(v, low, high float64) float64 { return max(low, min(v, high)) }

// turned is a point of a case, in parts of it, as the case lies.
func turned(x, y float64, p Place) (float64, float64) {
	if p.Flip {
		x = 1 - x
	}
	for range (p.Turn%4 + 4) % 4 {
		x, y = 1-y, x
	}
	return x, y
}

// AllSpots are the points of the whole drawing by name.
func (d Drawing) AllSpots(units Units) map[string]Spot {
	out := map[string]Spot{}
	for _, p := range d.Pieces {
		for _, s := range d.Spots(p, units) {
			out[s.Name] = s
		}
	}
	return out
}

// Piece returns a piece by name.
func (d *Drawing) Piece(id string) *Piece {
	for i := range d.Pieces {
		if d.Pieces[i].ID == id {
			return &d.Pieces[i]
		}
	}
	return nil
}

// Joint returns a joint by name.
func (d *Drawing) Joint(id string) *netlist.Conductor {
	for i := range d.Joints {
		if d.Joints[i].ID == id {
			return &d.Joints[i]
		}
	}
	return nil
}

// At lists the joints at a point.
func (d Drawing) At(point string) (out []netlist.Conductor) {
	for _, c := range d.Joints {
		if c.From == point || c.To == point {
			out = append(out, c)
		}
	}
	return out
}

// Clone is a copy that shares nothing that is changed.
func (d Drawing) Clone() Drawing {
	d.Supports, d.Pieces, d.Joints = slices.Clone(d.Supports), slices.Clone(d.Pieces), slices.Clone(d.Joints)
	d.Pins = slices.Clone(d.Pins)
	return d
}

// Assumed lists the modules whose size nobody measured.
func (d Drawing) Assumed(units Units) (out []string) {
	for _, p := range d.Pieces {
		if _, assumed := d.CaseOf(p, units); assumed {
			out = append(out, p.ID)
		}
	}
	return out
}

// Area is what the drawing covers with its supports, mm: the whole of what is to be seen.
func (d Drawing) Area(units Units) Box {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	add := func(b Box) {
		x0, y0, x1, y1 = min(x0, b.X), min(y0, b.Y), max(x1, b.X+b.W), max(y1, b.Y+b.D)
	}
	for _, p := range d.Pieces {
		add(d.BoxOf(p, units))
	}
	for _, s := range d.Supports {
		add(Box{s.XMM, s.YMM, s.WMM, s.DMM})
	}
	if d.Photo != nil {
		add(Box{d.Photo.XMM, d.Photo.YMM, d.Photo.WMM, d.Photo.HMM})
	}
	if math.IsInf(x0, 1) {
		return Box{0, 0, 600, 400}
	}
	return Box{x0, y0, x1 - x0, y1 - y0}
}

// Length is how long a joint is along the plan: a bar goes straight, anything soft goes round corners with a tenth for
// its bends, and each layer adds its step. It is assumed while the size of an end is.
func (d Drawing) Length(c netlist.Conductor, spots map[string]Spot, units Units) known.Value {
	a, okA := spots[c.From]
	b, okB := spots[c.To]
	if !okA || !okB {
		return known.Value{}
	}
	v := lengthMM(a, b, c.Kind == netlist.Bar)
	source := known.Typed
	for _, id := range []string{a.Piece, b.Piece} {
		if p := d.Piece(id); p != nil {
			if _, assumed := d.CaseOf(*p, units); assumed {
				source = known.Assumed
			}
		}
	}
	return known.Of(v, source).Times(1)
}

// What a soft conductor needs beside the way, and how far one layer lies above another where no height is known.
const (
	bendShare = 1.1
	layerMM   = 150.0
)

func lengthMM(a, b Spot, straight bool) float64 {
	dx, dy := math.Abs(a.X-b.X), math.Abs(a.Y-b.Y)
	up := math.Abs(float64(a.Layer-b.Layer)) * layerMM
	if straight {
		return math.Round(math.Hypot(dx, dy) + up)
	}
	return math.Round((dx + dy + up) * bendShare)
}

// letters begin the names of what is added to a drawing.
var letters = map[string]string{string(BMS): "B", string(Board): "M", string(Outlet): "OUT", string(Charger): "CH",
	string(Load): "LD", string(Stud): "S", string(Earth): "E", string(netlist.Bar): "L", string(netlist.Cable): "C",
	string(netlist.Bond): "J", string(netlist.Fuse): "F", string(netlist.Breaker): "A", string(netlist.Switch): "Q",
	string(netlist.Contactor): "K", string(netlist.Shunt): "H", string(netlist.Precharge): "R",
	string(netlist.Plug): "D"}

// Free is the first name of a kind that the drawing does not use: B1, F2.
func (d *Drawing) Free(kind string) string {
	for n := 1; ; n++ {
		id := fmt.Sprintf("%s%d", letters[kind], n)
		if d.Piece(id) == nil && d.Joint(id) == nil {
			return id
		}
	}
}

// Bad is a change that cannot be made, and why.
type Bad struct{ Field, Text string }

func (e *Bad) Error() string { return e.Text }

// Errorf is a Bad about a field.
func Errorf(field, format string, args ...any) error {
	return &Bad{field, fmt.Sprintf(format, args...)}
}

// PieceOf is the piece that a point belongs to.
func (d *Drawing) PieceOf(point string) *Piece {
	if id, _, ok := strings.Cut(point, "."); ok {
		if p := d.Piece(id); p != nil && p.Kind == Module {
			return p
		}
	}
	for i := range d.Pieces {
		for _, x := range d.Pieces[i].poles() {
			if d.Pieces[i].ID+x.Pole == point {
				return &d.Pieces[i]
			}
		}
	}
	return nil
}

// Renamed is the drawing with one module in the place of another of its type.
func (d Drawing) Renamed(out, in string) Drawing {
	d = d.Clone()
	if p := d.Piece(out); p != nil {
		p.ID = in
	}
	end := func(point string) string {
		if rest, ok := strings.CutPrefix(point, out+"."); ok {
			return in + "." + rest
		}
		return point
	}
	for i := range d.Joints {
		d.Joints[i].From, d.Joints[i].To = end(d.Joints[i].From), end(d.Joints[i].To)
	}
	for i := range d.Pieces {
		if d.Pieces[i].Sense == nil {
			continue
		}
		d.Pieces[i].Sense = slices.Clone(d.Pieces[i].Sense)
		for k, s := range d.Pieces[i].Sense {
			if s != nil {
				to := end(*s)
				d.Pieces[i].Sense[k] = &to
			}
		}
	}
	return d
}

// Owns reports whether a point is of a piece.
func (p *Piece) Owns(point string) bool {
	if p.Kind == Module {
		return strings.HasPrefix(point, p.ID+".")
	}
	for _, x := range p.poles() {
		if p.ID+x.Pole == point {
			return true
		}
	}
	return false
}

// IsModule reports whether a point is of a module.
func (d *Drawing) IsModule(s Spot) bool {
	p := d.Piece(s.Piece)
	return p != nil && p.Kind == Module
}
