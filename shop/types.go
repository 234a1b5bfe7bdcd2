package shop

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/face"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/module/variant"
	"pandrel/store"
)

// changeType writes part of a type under its version; two people who change it at once do not
// overwrite each other. saved lists what is on record by the names of the form's fields, for the one
// who comes second.
func (s *Shop) changeType(ctx context.Context, id int64, version int, by, token, what string, set func(tx *gorm.DB, t store.ModuleType) (map[string]any, error), saved ...func(store.ModuleType) map[string]string) (t store.ModuleType, err error) {
	err = s.action(ctx, token, "type", func(tx *gorm.DB) error {
		if t, err = typeByID(tx, id); err != nil {
			return err
		}
		if t.Version != version {
			c := &Conflict{What: "Module type " + t.Name, Version: t.Version, Saved: map[string]string{}}
			for _, f := range saved {
				c.Saved = f(t)
			}
			return c
		}
		values, err := set(tx, t)
		if err != nil {
			return err
		}
		values["version"] = version + 1
		res := tx.Model(&store.ModuleType{}).Where("id = ? AND version = ?", id, version).Updates(values)
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &Conflict{What: "Module type " + t.Name, Version: t.Version + 1, Saved: map[string]string{}}
		}
		if err := s.log(tx, initials(by), "type", about{typ: id}, "%s", what); err != nil {
			return err
		}
		t, err = typeByID(tx, id)
		return err
	})
	return t, err
}

// FaceOf returns the face of a type: as it was placed, or posts along the top and pins below.
func FaceOf(t store.ModuleType) face.Face {
	posts, pins := strings.Fields(t.Posts), strings.Fields(t.Pins)
	f, err := fromJSON[face.Face](t.Face)
	if err != nil || len(f.Points) == 0 {
		return face.Default(posts, pins)
	}
	return f.With(posts, pins)
}

// SaveFace keeps where a type's points lie. New points are added to the type. A point that the
// accepted layout knows cannot be taken off.
func (s *Shop) SaveFace(ctx context.Context, id int64, version int, f face.Face, by, token string) (store.ModuleType, error) {
	if err := f.Check(); err != nil {
		return store.ModuleType{}, Bad("face", "%v", err)
	}
	posts, pins := f.Names()
	return s.changeType(ctx, id, version, by, token, fmt.Sprintf("Face: %d posts, %d pins", len(posts), len(pins)), func(tx *gorm.DB, t store.ModuleType) (map[string]any, error) {
		m, ok, err := layoutOf(tx, t)
		if err != nil {
			return nil, err
		}
		if ok {
			for _, n := range m.Nodes {
				for _, p := range n.Points {
					if !slices.Contains(posts, p) && !slices.Contains(pins, p) {
						return nil, Bad("face", "%s is on the accepted layout: it cannot be taken off or renamed. Place it, or map the type again first", p)
					}
				}
			}
		}
		return map[string]any{"face": toJSON(f), "posts": strings.Join(posts, " "), "pins": strings.Join(pins, " ")}, nil
	})
}

// CurvePoints is a type's own rest curve, with where it comes from.
type CurvePoints struct {
	SoCPct []float64
	Volts  []float64
	Source string
}

// OwnCurve returns a type's own rest curve, nil where the chemistry's typical one holds.
func OwnCurve(t store.ModuleType) (*CurvePoints, error) {
	if t.Curve == "" {
		return nil, nil
	}
	p, err := fromJSON[CurvePoints](t.Curve)
	return &p, err
}

// curveOf returns the curve for the core; nil for the typical one.
func curveOf(t store.ModuleType) (*chem.Curve, error) {
	p, err := OwnCurve(t)
	if err != nil || p == nil {
		return nil, err
	}
	c, err := chem.OwnCurve(chem.ID(t.Chemistry), p.SoCPct, p.Volts)
	if err != nil {
		return nil, fmt.Errorf("rest curve of %s: %w", t.Name, err)
	}
	return &c, nil
}

// SaveCurve gives a type its own rest curve, or with no points takes it back to the typical one.
// Surveys are judged by it from now on; those on record keep the judgement they had.
func (s *Shop) SaveCurve(ctx context.Context, id int64, version int, p CurvePoints, by, token string) (store.ModuleType, error) {
	p.Source = strings.TrimSpace(p.Source)
	what := fmt.Sprintf("Rest curve replaced by %d points from %s", len(p.SoCPct), p.Source)
	if len(p.SoCPct) == 0 {
		what = "Rest curve: the chemistry's typical one again"
	} else if p.Source == "" {
		return store.ModuleType{}, Bad("source", "expected where the curve comes from: a data sheet, a slow discharge, who and when")
	}
	return s.changeType(ctx, id, version, by, token, what, func(_ *gorm.DB, t store.ModuleType) (map[string]any, error) {
		if len(p.SoCPct) == 0 {
			return map[string]any{"curve": ""}, nil
		}
		if _, err := chem.OwnCurve(chem.ID(t.Chemistry), p.SoCPct, p.Volts); err != nil {
			return nil, Bad("curve", "%v", err)
		}
		return map[string]any{"curve": toJSON(p)}, nil
	})
}

// LookNote is what a type says of one look: where to look, or that there is nothing to look at.
type LookNote struct {
	Where string
	Skip  bool
}

// LookOf is one look as it is for a type.
type LookOf struct {
	look.Look
	Note LookNote
}

// LooksOf returns the looks for a type, all of them: those that do not apply are marked.
func LooksOf(t store.ModuleType) []LookOf {
	notes, err := fromJSON[map[string]LookNote](t.Looks)
	if err != nil {
		notes = nil
	}
	var out []LookOf
	for _, l := range look.Looks() {
		n := notes[l.Key]
		if n.Where != "" {
			l.Where = n.Where
		}
		if l.Key == "sense" && t.Pins == "" && notes == nil {
			n.Skip = true
		}
		out = append(out, LookOf{l, n})
	}
	return out
}

// SaveLooks keeps where to look on a type, and its nominal thickness.
func (s *Shop) SaveLooks(ctx context.Context, id int64, version int, notes map[string]LookNote, thicknessMM float64, by, token string) (store.ModuleType, error) {
	if !(thicknessMM >= 0 && thicknessMM <= 2000) {
		return store.ModuleType{}, Bad("thickness_mm", "expected 0 (not known) to 2000 mm")
	}
	for _, l := range look.Looks() {
		if l.Always && notes[l.Key].Skip {
			return store.ModuleType{}, Bad("skip-"+l.Key, "this is looked at on every module")
		}
	}
	return s.changeType(ctx, id, version, by, token, "Where to look written down", func(*gorm.DB, store.ModuleType) (map[string]any, error) {
		return map[string]any{"looks": toJSON(notes), "thickness_mm": thicknessMM}, nil
	}, func(t store.ModuleType) map[string]string {
		now := map[string]string{"thickness_mm": plain(t.ThicknessMM)}
		for _, l := range LooksOf(t) {
			now["where-"+l.Key] = l.Where
		}
		return now
	})
}

// Inside is how a type's cells are joined, as far as it was looked at.
type Inside struct {
	Elements int      // in parallel in each group, as far as they could be parted
	Joints   []string // between groups, from the main negative up
	Across   string   // between the elements of a group
}

// InsideOf returns what is known of a type's inside; unknown joints where nothing was said.
func InsideOf(t store.ModuleType, series int) Inside {
	in, err := fromJSON[Inside](t.Inside)
	if err != nil || in.Elements < 1 {
		in = Inside{Elements: max(1, t.CellsParallel)}
	}
	for len(in.Joints) < series-1 {
		in.Joints = append(in.Joints, variant.Unknown)
	}
	in.Joints = in.Joints[:max(0, series-1)]
	return in
}

// SaveInside keeps how a type's cells are joined.
func (s *Shop) SaveInside(ctx context.Context, id int64, version int, in Inside, by, token string) (store.ModuleType, error) {
	if in.Elements < 1 || in.Elements > 100 {
		return store.ModuleType{}, Bad("elements", "expected 1 to 100 elements in a group")
	}
	return s.changeType(ctx, id, version, by, token, "How its cells are joined written down", func(tx *gorm.DB, t store.ModuleType) (map[string]any, error) {
		m, ok, err := layoutOf(tx, t)
		if err != nil {
			return nil, err
		}
		if !ok || len(in.Joints) != m.Series-1 {
			return nil, Bad("", "%s has no layout with %d joints: map it first", t.Name, len(in.Joints))
		}
		if _, err := variant.Variants(inside(t, m, in)); err != nil {
			return nil, Bad("", "%v", err)
		}
		return map[string]any{"inside": toJSON(in)}, nil
	})
}

func inside(t store.ModuleType, m layout.Map, in Inside) variant.Inside {
	v := variant.Inside{Series: m.Series, Elements: in.Elements, Joints: in.Joints, Across: in.Across, GroupAh: t.RatedAh, Chemistry: chem.ID(t.Chemistry), Taps: make([][]string, m.Series+1)}
	for i, g := range m.Groups {
		v.Taps[i] = g.Negative
		v.Taps[i+1] = g.Positive
	}
	return v
}

// VariantsOf lists the ways to use a type, nil where it has no layout yet.
func (s *Shop) VariantsOf(ctx context.Context, t store.ModuleType) ([]variant.Variant, Inside, error) {
	m, ok, err := s.LayoutOf(ctx, t)
	if err != nil || !ok {
		return nil, Inside{}, err
	}
	in := InsideOf(t, m.Series)
	vs, err := variant.Variants(inside(t, m, in))
	return vs, in, err
}

// Inspected is a look with its findings.
type Inspected struct {
	store.Inspection
	Found    []finding.Finding
	Pictures []store.Picture
}

// LastLook returns a module's newest look with what it found and its pictures, nil where there is
// none.
func (s *Shop) LastLook(ctx context.Context, moduleID int64) (*Inspected, error) {
	db := s.st.DB.WithContext(ctx)
	var rows []store.Inspection
	if err := db.Where("module_id = ?", moduleID).Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	out := &Inspected{Inspection: rows[0]}
	var err error
	if out.Found, err = fromJSON[[]finding.Finding](rows[0].Findings); err != nil {
		return nil, err
	}
	err = db.Where("inspection_id = ?", rows[0].ID).Order("id").Find(&out.Pictures).Error
	return out, err
}

// HardSign reports whether a sign sends a module away whatever else is fine.
func HardSign(word string) bool {
	s, ok := look.Lookup(word)
	return ok && (s.Outcome == look.Quarantine || s.Outcome == look.Scrap)
}
