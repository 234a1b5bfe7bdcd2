package floor

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/module/face"
)

// drawn is a drawing as a file: the netlist's modules, each with its face and size, and what was drawn of them.
type drawn struct {
	Format  string       `json:"format"`
	Modules []fileModule `json:"modules"`
	Drawing
}

type fileModule struct {
	netlist.Module
	Face   face.Face `json:"face"`
	Size   Case      `json:"size,omitzero"`
	Front  []string  `json:"front"` // its points for power, by preference
	Taps   []string  `json:"taps,omitempty"`
	Thread string    `json:"thread,omitempty"`
}

// format is the mark of such a file and its version.
const format = "pandrel drawing 1"

// Write is a drawing with all that is known of its modules, as a file that stands for itself.
func Write(d Drawing, units Units) ([]byte, error) {
	d.Photo, d.Pins = nil, nil
	out := drawn{Format: format, Drawing: d}
	for _, p := range d.Pieces {
		if p.Kind == Module {
			u := units[p.ID]
			out.Modules = append(out.Modules, fileModule{u.Module, u.Face, u.Case, u.Front, u.Taps, u.Thread})
		}
	}
	return json.MarshalIndent(out, "", "  ")
}

// What a file may hold at most, before anything is judged.
const (
	mostPoints = 400 // of a module
	mostGroups = 500
	mostJoints = 10000
)

// Read reads such a file. It fails for one of another kind, for a piece or a joint that names what is not there, for
// two points of one name, and for numbers that cannot be.
func Read(data []byte) (Drawing, Units, error) {
	var in drawn
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&in); err != nil {
		return Drawing{}, nil, fmt.Errorf("the file cannot be read: %w", err)
	}
	if in.Format != format {
		return Drawing{}, nil, Errorf("format", "the file says %q: expected %q", in.Format, format)
	}
	in.Photo, in.Pins = nil, nil
	units := Units{}
	if len(in.Modules) > MaxPieces {
		return Drawing{}, nil, Errorf("modules", "%d modules: expected at most %d", len(in.Modules), MaxPieces)
	}
	for _, m := range in.Modules {
		if _, twice := units[m.ID]; twice {
			return Drawing{}, nil, Errorf("modules", "module %s is there twice", m.ID)
		}
		if len(m.Posts) > mostPoints || len(m.Groups) > mostGroups {
			return Drawing{}, nil, Errorf("modules",
				"module %s has %d points and %d groups: expected at most %d and %d",
				m.ID, len(m.Posts), len(m.Groups), mostPoints, mostGroups)
		}
		if len(m.Face.Points) == 0 {
			m.Face = face.Default(m.Front, m.Taps)
		}
		if err := m.Face.Check(); err != nil {
			return Drawing{}, nil, Errorf("modules", "module %s: %v", m.ID, err)
		}
		units[m.ID] = Unit{Module: m.Module, Face: m.Face, Case: m.Size, Front: m.Front, Taps: m.Taps, Thread: m.Thread}
	}
	if err := in.Drawing.check(units); err != nil {
		return Drawing{}, nil, err
	}
	return in.Drawing, units, nil
}

// check says what of a drawing cannot be.
func (d *Drawing) check(units Units) error {
	if len(d.Pieces) > MaxPieces || len(d.Joints) > mostJoints {
		return Errorf("pieces", "%d pieces and %d joints: expected at most %d and %d", len(d.Pieces), len(d.Joints),
			MaxPieces, mostJoints)
	}
	seen := map[string]bool{}
	for _, p := range d.Pieces {
		if p.ID == "" || seen[p.ID] {
			return Errorf("pieces", "piece %q: expected a name that no other has", p.ID)
		}
		seen[p.ID] = true
		if err := p.check(units); err != nil {
			return err
		}
	}
	spots := map[string]bool{}
	for _, p := range d.Pieces {
		for _, s := range d.Spots(p, units) {
			if spots[s.Name] {
				return Errorf("pieces", "two points are called %s: expected each name once", s.Name)
			}
			spots[s.Name] = true
		}
	}
	for _, c := range d.Joints {
		if c.ID == "" || seen[c.ID] {
			return Errorf("joints", "joint %q: expected a name that nothing else has", c.ID)
		}
		seen[c.ID] = true
		for _, end := range []string{c.From, c.To} {
			if !spots[end] {
				return Errorf("joints", "%s ends at %q, which is not on the drawing", c.ID, end)
			}
		}
	}
	return nil
}

// check says what of a piece cannot be.
func (p Piece) check(units Units) error {
	if _, known := poles[p.Kind]; !known && p.Kind != Module {
		return Errorf("pieces", "%s is a %q: expected module, bms, board, outlet, load, charger, stud or earth", p.ID,
			p.Kind)
	}
	if _, ok := units[p.ID]; p.Kind == Module && !ok {
		return Errorf("pieces", "module %s stands on the drawing and is not among the modules", p.ID)
	}
	if p.Kind != Module && strings.ContainsAny(p.ID, ".:#") {
		return Errorf("pieces", "%s: expected a name without a point, a colon or #", p.ID)
	}
	for _, v := range []float64{p.Place.XMM, p.Place.YMM, p.Own.WMM, p.Own.DMM, p.Own.HMM} {
		if !(v >= -FarMM && v <= FarMM) {
			return Errorf("pieces", "%s: %v mm: expected a place and a size within %.0f m", p.ID, v, FarMM/1000)
		}
	}
	if p.Place.Turn < 0 || p.Place.Turn > 3 || p.Place.Layer < 0 || p.Place.Layer > TopLayer || p.Own.WMM < 0 ||
		p.Own.DMM < 0 {
		return Errorf("pieces", "%s: expected a turn of 0 to 3 quarters, a layer of 0 to %d, and a size above 0", p.ID,
			TopLayer)
	}
	return nil
}
