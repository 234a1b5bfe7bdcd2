package change

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/floor"
)

// photo is what the photograph under a drawing is called where it is taken off.
const photo = "photo"

// pinned begins the names of pictures that are pinned.
const pinned = "picture "

// mostPins are pictures on one drawing, longestNote letters under one.
const (
	mostPins    = 60
	longestNote = 200
)

// OfPictures reports whether it concerns pictures alone.
func (op Op) OfPictures() bool {
	return op.Do == Under || op.Do == Pin || op.Do == Take && (op.ID == photo || strings.HasPrefix(op.ID, pinned))
}

// under lays a photograph under the drawing, or moves and scales the one that is there.
func (s *sheet) under(op Op) (string, error) {
	if !(op.Size.WMM >= 50 && op.Size.WMM <= 20000) {
		return "", floor.Errorf("across_mm", "expected how much it shows across, 50 to 20 000 mm")
	}
	next := floor.Photo{Picture: op.Picture, XMM: op.X, YMM: op.Y, WMM: op.Size.WMM, HMM: op.Size.WMM * op.Tall}
	switch was := s.Photo; {
	case op.Picture == 0 && was == nil:
		return "", floor.Errorf("picture", "expected a photograph")
	case op.Picture == 0:
		next.Picture, next.HMM = was.Picture, op.Size.WMM*was.HMM/was.WMM
	case !(op.Tall > 0.05 && op.Tall < 20):
		return "", floor.Errorf("picture", "expected a photograph that is not a strip")
	}
	if !(next.XMM >= -floor.FarMM && next.XMM <= floor.FarMM && next.YMM >= -floor.FarMM && next.YMM <= floor.FarMM) {
		return "", floor.Errorf("left_mm", "expected a place within %.0f m of the drawing", floor.FarMM/1000)
	}
	s.Photo = &next
	return fmt.Sprintf("a photograph of %.0f mm across laid under it", next.WMM), nil
}

// pin pins a picture to a piece.
func (s *sheet) pin(p *floor.Piece, op Op) (string, error) {
	note := strings.TrimSpace(op.Note)
	switch {
	case op.Picture <= 0:
		return "", floor.Errorf("picture", "expected a picture")
	case len(s.Pins) >= mostPins:
		return "", floor.Errorf("picture", "%d pictures are pinned: expected at most that", mostPins)
	case len([]rune(note)) > longestNote:
		return "", floor.Errorf("note", "expected at most %d letters", longestNote)
	}
	id := ""
	for n := 1; id == "" || slices.ContainsFunc(s.Pins, func(x floor.Pinned) bool { return x.ID == id }); n++ {
		id = fmt.Sprintf("%s%d", pinned, n)
	}
	b := s.BoxOf(*p, s.units)
	beside := 0.0
	for _, x := range s.Pins { // several at one piece stand side by side along its lower edge
		if x.YMM == b.Y+b.D && x.XMM >= b.X && x.XMM <= b.X+b.W {
			beside += 30
		}
	}
	s.Pins = append(s.Pins, floor.Pinned{ID: id, Picture: op.Picture, XMM: min(b.X+beside, b.X+b.W), YMM: b.Y + b.D,
		Note: note})
	return fmt.Sprintf("%s pinned to %s", id, p.ID), nil
}

// unpin takes a picture off.
func (s *sheet) unpin(id string) (string, bool) {
	if id == photo && s.Photo != nil {
		s.Photo = nil
		return "the photograph taken from under it", true
	}
	k := slices.IndexFunc(s.Pins, func(x floor.Pinned) bool { return x.ID == id })
	if k < 0 {
		return "", false
	}
	s.Pins = slices.Delete(s.Pins, k, k+1)
	return id + " taken off", true
}
