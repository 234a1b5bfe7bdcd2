// Package change is what is done to the drawing of a bank: one thing at a time, judged before it is made.
//
// A drawing is a value: what is done to it gives another one, and the one that was given stays as it is. A joint is
// asked for first (Between): what it would do, what it may be made of. One that would close a loop with voltage, or go
// round a fuse, is not made.
package change

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
)

// What is done to a drawing.
const (
	Add    = "add"    // a piece of Kind, or the modules ID
	Move   = "move"   // piece ID to X, Y, or by X, Y where By
	Turn   = "turn"   // piece ID by a quarter
	Flip   = "flip"   // piece ID
	Lift   = "lift"   // piece ID by Layers
	Take   = "take"   // piece, joint or shelf ID off
	Join   = "join"   // A to B by Kind
	Rate   = "rate"   // joint ID: what is known of it
	Device = "device" // joint ID: opened or closed
	Size   = "size"   // piece ID: its own size
	Shelf  = "shelf"  // a support of W × D that bears Kg, named ID where it exists
	Set    = "set"    // BMS ID: what it opens by or drives; an outlet: whether it is for the monitor alone
	Lay    = "lay"    // all modules anew, by the shortest links
	Under  = "under"  // the photograph Picture under the drawing, or the one there, Size across at X, Y
	Pin    = "pin"    // the picture Picture to piece ID, with a Note
)

// Op is one change. Which fields count depends on Do.
type Op struct {
	Do      string
	ID      string
	Kind    string
	A, B    string
	X, Y    float64
	By      bool
	Layers  int
	Size    floor.Case        // of Size, and across, deep and kilograms of Shelf
	Rated   netlist.Conductor // of Rate: ratings, section and length
	Drives  string
	Volts   *float64
	Supply  bool
	LeadsMM float64 // of Set: how long the leads of a BMS are as supplied
	Charge  bool    // of Set: a BMS with a pole of its own for chargers
	Rest    bool    // of Join: the others along the row likewise
	// Picture is the number of one, and Tall how high it is for each millimetre across.
	Picture int64
	Tall    float64
	Note    string
}

// grid is what places are rounded to, and snap how near an edge must be to another's to meet it, mm.
const (
	grid = 5.0
	snap = 15.0
)

// sheet is the drawing in hand.
type sheet struct {
	floor.Drawing
	units floor.Units
}

// deeds is what is done to a piece that is there.
var deeds = map[string]func(s *sheet, p *floor.Piece, op Op) (string, error){
	Move: (*sheet).move, Turn: (*sheet).turn, Lift: (*sheet).lift, Size: (*sheet).size, Set: (*sheet).set,
	Pin: (*sheet).pin,
	Flip: func(_ *sheet, p *floor.Piece, _ Op) (string, error) {
		p.Place.Flip = !p.Place.Flip
		return p.ID + " flipped", nil
	},
}

// Make does one thing to a drawing and says what in a few words. It fails with a floor.Bad for what cannot be done, and
// for a joint that is refused.
func Make(d floor.Drawing, units floor.Units, op Op) (floor.Drawing, string, error) {
	s := &sheet{d.Clone(), units}
	said, err := s.do(op)
	if err != nil {
		return d, "", err
	}
	return s.Drawing, said, nil
}

func (s *sheet) do(op Op) (string, error) {
	switch op.Do {
	case Add:
		return s.add(op)
	case Join:
		return s.join(op)
	case Take:
		return s.take(op)
	case Rate:
		return s.rate(op)
	case Device:
		return s.device(op)
	case Shelf:
		return s.shelf(op)
	case Under:
		return s.under(op)
	case Lay:
		s.Drawing = floor.Arranged(s.Drawing, s.units)
		return "laid out anew", nil
	}
	deed := deeds[op.Do]
	if deed == nil {
		return "", floor.Errorf("do", "%q: expected what to do with it", op.Do)
	}
	p := s.Piece(op.ID)
	if p == nil {
		return "", floor.Errorf("id", "%q is not on the drawing: expected the name of a piece", op.ID)
	}
	return deed(s, p, op)
}

func (s *sheet) move(p *floor.Piece, op Op) (string, error) {
	x, y := op.X, op.Y
	if op.By {
		x, y = p.Place.XMM+x, p.Place.YMM+y
	}
	if !(math.Abs(x) <= floor.FarMM && math.Abs(y) <= floor.FarMM) {
		return "", floor.Errorf("x", "expected a place within %.0f m of the drawing", floor.FarMM/1000)
	}
	p.Place.XMM, p.Place.YMM = x, y
	if !op.By {
		s.snap(p)
	}
	return p.ID + " moved", nil
}

// turn turns a piece about its middle.
func (s *sheet) turn(p *floor.Piece, _ Op) (string, error) {
	was := s.BoxOf(*p, s.units)
	p.Place.Turn = (p.Place.Turn + 1) % 4
	now := s.BoxOf(*p, s.units)
	p.Place.XMM, p.Place.YMM = round(was.X+(was.W-now.W)/2), round(was.Y+(was.D-now.D)/2)
	return p.ID + " turned", nil
}

func (s *sheet) lift(p *floor.Piece, op Op) (string, error) {
	to := p.Place.Layer + op.Layers
	if to < 0 || to > floor.TopLayer {
		return "", floor.Errorf("layer", "expected a layer from 1 to %d", floor.TopLayer+1)
	}
	p.Place.Layer = to
	return fmt.Sprintf("%s to layer %d", p.ID, to+1), nil
}

func (s *sheet) size(p *floor.Piece, op Op) (string, error) {
	for _, v := range []float64{op.Size.WMM, op.Size.DMM, op.Size.HMM, op.Size.Kg} {
		if !(v >= 0 && v <= 5000) {
			return "", floor.Errorf("w_mm", "expected 0 (not known) to 5000")
		}
	}
	p.Own = op.Size
	return p.ID + " sized", nil
}

func round(v float64) float64 { return math.Round(v/grid) * grid }

// snap rounds a place, and lets an edge meet a neighbour's where it is near: side by side with a gap, or in line.
func (s *sheet) snap(p *floor.Piece) {
	b := s.BoxOf(*p, s.units)
	bestX, bestY := snap, snap
	x, y := round(b.X), round(b.Y)
	for _, o := range s.Pieces {
		if o.ID == p.ID || o.Place.Layer != p.Place.Layer {
			continue
		}
		c := s.BoxOf(o, s.units)
		for _, at := range []float64{c.X, c.X + c.W + floor.Gap, c.X - b.W - floor.Gap, c.X + c.W - b.W} {
			if off := math.Abs(at - b.X); off < bestX && nearby(b.Y, b.D, c.Y, c.D) {
				bestX, x = off, at
			}
		}
		for _, at := range []float64{c.Y, c.Y + c.D + floor.Gap, c.Y - b.D - floor.Gap, c.Y + c.D - b.D} {
			if off := math.Abs(at - b.Y); off < bestY && nearby(b.X, b.W, c.X, c.W) {
				bestY, y = off, at
			}
		}
	}
	p.Place.XMM, p.Place.YMM = x, y
}

// nearby reports whether two spans lie beside each other, or nearly.
func nearby(a, long, b, longB float64) bool { return a < b+longB+4*snap && b < a+long+4*snap }

func (s *sheet) add(op Op) (string, error) {
	kind := floor.Kind(op.Kind)
	if kind == floor.Module {
		return s.modules(strings.Fields(op.ID))
	}
	if !slices.Contains(floor.Kinds, kind) {
		return "", floor.Errorf("kind", "%q: expected what is added, such as bms, outlet or stud", op.Kind)
	}
	if len(s.Pieces) >= floor.MaxPieces {
		return "", floor.Errorf("kind", "%d pieces are on the drawing: expected at most that", floor.MaxPieces)
	}
	p := floor.Piece{ID: s.Free(op.Kind), Kind: kind, Place: s.room()}
	if kind == floor.BMS {
		p.Opens = netlist.Opens
	}
	s.Pieces = append(s.Pieces, p)
	return p.ID + " added", nil
}

// modules puts modules down in a row beside what is there; the first ones of a drawing lie with unlike poles together.
func (s *sheet) modules(ids []string) (string, error) {
	if len(ids) == 0 {
		return "", floor.Errorf("id", "expected the number of a module")
	}
	if len(s.Pieces)+len(ids) > floor.MaxPieces {
		return "", floor.Errorf("id", "%d pieces are on the drawing: expected at most %d", len(s.Pieces),
			floor.MaxPieces)
	}
	first := !slices.ContainsFunc(s.Pieces, func(p floor.Piece) bool { return p.Kind == floor.Module })
	for _, id := range ids {
		if _, ok := s.units[id]; !ok {
			return "", floor.Errorf("id", "%q: expected a module that is on record", id)
		}
		if s.Piece(id) != nil {
			return "", floor.Errorf("id", "%s is on the drawing already", id)
		}
		area := s.Area(s.units)
		p := floor.Piece{ID: id, Kind: floor.Module}
		if len(s.Pieces) > 0 {
			p.Place.XMM, p.Place.YMM = round(area.X+area.W+floor.Gap), area.Y
		}
		s.Pieces = append(s.Pieces, p)
	}
	if len(ids) == 1 {
		return ids[0] + " put down", nil
	}
	if first {
		s.Drawing = floor.Arranged(s.Drawing, s.units)
	}
	return fmt.Sprintf("%d modules put down", len(ids)), nil
}

// room is where a new piece is put: in a row below the modules, beside what stands there already.
func (s *sheet) room() (p floor.Place) {
	if len(s.Pieces) == 0 {
		return p
	}
	area := s.Area(s.units)
	p.XMM, p.YMM = area.X, area.Y
	for _, m := range s.Pieces {
		if b := s.BoxOf(m, s.units); m.Kind == floor.Module {
			p.YMM = max(p.YMM, round(b.Y+b.D+floor.RowGap))
		}
	}
	for _, m := range s.Pieces {
		if b := s.BoxOf(m, s.units); b.Y+b.D > p.YMM {
			p.XMM = max(p.XMM, round(b.X+b.W+floor.RowGap))
		}
	}
	return p
}

func (s *sheet) join(op Op) (string, error) {
	j, err := Between(s.Drawing, s.units, op.A, op.B)
	if err != nil {
		return "", err
	}
	kind := netlist.Kind(op.Kind)
	if !slices.Contains(netlist.Kinds, kind) {
		return "", floor.Errorf("kind", "%q: expected one of %s", op.Kind, netlist.KindList())
	}
	if !slices.Contains(j.Kinds, kind) {
		return "", floor.Errorf("kind", "%s %s", j.Says.Text, j.Says.Do)
	}
	c := made(&s.Drawing, kind, op.A, op.B)
	s.Joints = append(s.Joints, c)
	said := fmt.Sprintf("%s: %s from %s to %s", c.ID, floor.Word(op.Kind), op.A, op.B)
	if n := 0; op.Rest {
		for _, p := range j.Rest {
			next, err := Between(s.Drawing, s.units, p.A, p.B)
			if err != nil || next.Says.Level >= finding.Stop || !slices.Contains(next.Kinds, kind) {
				break
			}
			s.Joints = append(s.Joints, made(&s.Drawing, kind, p.A, p.B))
			n++
		}
		said += fmt.Sprintf(", and %d more along the row", n)
	}
	return said, nil
}

// made is a new joint: what can be open is drawn open.
func made(d *floor.Drawing, kind netlist.Kind, a, b string) netlist.Conductor {
	return netlist.Conductor{ID: d.Free(string(kind)), Kind: kind, From: a, To: b, Open: kind == netlist.Switch ||
		kind == netlist.Contactor || kind == netlist.Precharge || kind == netlist.Plug}
}

func (s *sheet) take(op Op) (string, error) {
	if s.Joint(op.ID) != nil {
		s.Joints = slices.DeleteFunc(s.Joints, func(c netlist.Conductor) bool { return c.ID == op.ID })
		for i := range s.Pieces {
			if s.Pieces[i].Drives == op.ID {
				s.Pieces[i].Drives = ""
			}
		}
		return op.ID + " taken off", nil
	}
	if k := slices.IndexFunc(s.Supports, func(x floor.Support) bool { return x.ID == op.ID }); k >= 0 {
		s.Supports = slices.Delete(s.Supports, k, k+1)
		return op.ID + " taken off", nil
	}
	if said, ok := s.unpin(op.ID); ok {
		return said, nil
	}
	p := s.Piece(op.ID)
	if p == nil {
		return "", floor.Errorf("id", "%q is not on the drawing: expected the name of a piece or a joint", op.ID)
	}
	was := len(s.Joints)
	s.Joints = slices.DeleteFunc(s.Joints, func(c netlist.Conductor) bool { return p.Owns(c.From) || p.Owns(c.To) })
	s.Pieces = slices.DeleteFunc(s.Pieces, func(p floor.Piece) bool { return p.ID == op.ID })
	if len(s.Joints) < was {
		return op.ID + " taken off, with what was joined to it", nil
	}
	return op.ID + " taken off", nil
}

// known returns the joint that an operation is about.
func (s *sheet) known(op Op) (*netlist.Conductor, error) {
	c := s.Joint(op.ID)
	if c == nil {
		return nil, floor.Errorf("id", "%q is not on the drawing: expected the name of a joint", op.ID)
	}
	return c, nil
}

func (s *sheet) device(op Op) (string, error) {
	c, err := s.known(op)
	if err != nil {
		return "", err
	}
	if c.Open = !c.Open; c.Open {
		return c.ID + " opened", nil
	}
	return c.ID + " closed", nil
}

func (s *sheet) rate(op Op) (string, error) {
	c, err := s.known(op)
	if err != nil {
		return "", err
	}
	r := op.Rated
	for _, x := range []struct {
		field string
		v     *float64
		most  float64
	}{{"rating_a", r.RatingA, 5000}, {"voltage_v", r.VoltageRatingV, 2000}, {"interrupt_a", r.InterruptA, 5e5},
		{"area_mm2", r.AreaMM2, 2000}, {"length_mm", r.LengthMM, floor.FarMM}} {
		if x.v != nil && !(*x.v > 0 && *x.v <= x.most) {
			return "", floor.Errorf(x.field, "expected above 0 and at most %g, or nothing where it is not known",
				x.most)
		}
	}
	c.RatingA, c.VoltageRatingV, c.InterruptA, c.AreaMM2 = r.RatingA, r.VoltageRatingV, r.InterruptA, r.AreaMM2
	c.LengthMM = r.LengthMM
	return c.ID + ": " + floor.Rating(*c), nil
}

func (s *sheet) set(p *floor.Piece, op Op) (string, error) {
	switch p.Kind {
	case floor.BMS, floor.Board:
		if op.Drives != "" {
			if c := s.Joint(op.Drives); c == nil || c.Kind != netlist.Contactor {
				return "", floor.Errorf("drives", "%q: expected the name of a contactor on the drawing", op.Drives)
			}
		}
		if op.Volts != nil && !(*op.Volts > 0 && *op.Volts <= 2000) {
			return "", floor.Errorf("volts", "expected the volts that its switch opens, above 0 and at most 2000")
		}
		switch k := netlist.Kind(op.Kind); k {
		case netlist.Transistor, netlist.Opens, netlist.Contactor, "":
			p.Opens = k
		default:
			return "", floor.Errorf("kind", "%q: expected transistor, opens or contactor, or nothing where it "+
				"is not known",
				op.Kind)
		}
		if pole := p.ID + ":C-"; p.Charge && !op.Charge && len(s.At(pole)) > 0 {
			return "", floor.Errorf("charge", "something is joined to %s: take that off first", pole)
		}
		if !(op.LeadsMM >= 0 && op.LeadsMM <= 20000) {
			return "", floor.Errorf("leads_mm", "expected how long its leads are, up to 20 000 mm, or nothing "+
				"where it is not known")
		}
		p.LeadsMM = op.LeadsMM
		p.Drives, p.OpensV, p.Charge = op.Drives, op.Volts, op.Charge && p.Kind == floor.BMS
		return p.ID + " set", nil
	case floor.Outlet:
		p.Supply = op.Supply
		return p.ID + " set", nil
	}
	return "", floor.Errorf("id", "%s has nothing to be set: expected a BMS or an outlet", p.ID)
}

func (s *sheet) shelf(op Op) (string, error) {
	c := op.Size
	if !(c.WMM >= 50 && c.WMM <= 10000 && c.DMM >= 50 && c.DMM <= 10000) {
		return "", floor.Errorf("w_mm", "expected 50 to 10 000 mm across and deep")
	}
	if !(c.Kg >= 0 && c.Kg <= 5000) {
		return "", floor.Errorf("kg", "expected what it bears, 0 (not known) to 5000 kg")
	}
	for i := range s.Supports {
		if x := &s.Supports[i]; x.ID == op.ID {
			x.WMM, x.DMM, x.BearsKg = c.WMM, c.DMM, c.Kg
			return x.ID + " changed", nil
		}
	}
	area := s.Area(s.units)
	x := floor.Support{ID: fmt.Sprintf("shelf %d", len(s.Supports)+1), XMM: round(area.X - floor.Gap),
		YMM: round(area.Y - floor.Gap), WMM: c.WMM, DMM: c.DMM, BearsKg: c.Kg}
	if len(s.Supports) > 0 {
		x.YMM = round(area.Y + area.D + 2*floor.Gap)
	}
	s.Supports = append(s.Supports, x)
	return x.ID + " added", nil
}
