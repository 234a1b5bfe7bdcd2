package types

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/mount"
	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/face"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/module/plate"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// TypePictures returns the pictures of a type's teardown, newest first.
func (s *Room) TypePictures(ctx context.Context, typeID int64) (out []store.Picture, err error) {
	err = s.Store.DB.WithContext(ctx).Where("type_id = ? AND kind = ?", typeID,
		record.PictureStep).Order("id DESC").Limit(60).Find(&out).Error
	return out, err
}

// TypeInput is what the label plate and the first look say of a module type.
type TypeInput struct {
	ID          int64
	Version     int
	Name        string
	Chemistry   string
	RatedAh     float64
	RatedWh     float64 // where its label says that instead
	PlateSeries int
	PlateVolts  float64
	Posts       string
	Pins        string
	TabsSeen    int     // one of the three ways to know the cells in parallel
	CellAh      float64 //
	ModuleKg    float64 //
	CellKg      float64 //
	Note        string
	Token       string

	DischargeA    float64 // currents of one module, 0 for the typical C rates of its capacity
	PeakA         float64
	ChargeA       float64
	ChargePeakA   float64
	Closed        bool    // a pack with a BMS of its own inside
	SwitchVolts   float64 // that its switch bears, 0 not known
	FullVolts     float64 // of a group, at which it counts as full, 0 for the charge limit
	PointsInOrder bool
	PostsJoined   bool   // two posts may be at one potential, as somebody has seen
	Sure          bool   // the plate was read again and does say so
	Reason        string // for a change of chemistry after something was measured
	Anew          bool   // that what it moves is moved: somebody was told how many
}

// typed is a type as it was typed in, with what cannot be.
func (in TypeInput) typed() (store.ModuleType, error) {
	c := kernel.Checks{}
	in.Name = strings.TrimSpace(in.Name)
	c.Need(in.Name != "", "name", "expected a short name")
	id, err := chem.Parse(in.Chemistry)
	if strings.TrimSpace(in.Chemistry) == "" {
		id, err = "", nil // not declared: it may be planned with once it is
	}
	c.Need(err == nil, "chemistry", "%v", err)
	c.Need(in.RatedWh >= 0 && in.RatedWh < 1e6, "rated_ah", "expected up to 1000 kWh of one module")
	in.RatedAh = record.Rated(store.ModuleType{RatedAh: in.RatedAh, RatedWh: in.RatedWh, Chemistry: id}, in.PlateSeries)
	c.Need(in.RatedAh >= 0 && in.RatedAh < 1e5, "rated_ah", "expected the rated capacity of the module, 0 Ah where it "+
		"is not known")
	c.Need(in.PlateSeries >= 0 && in.PlateSeries <= 400, "plate_series", "expected 0 (not known) to 400")
	c.Need(in.PlateVolts >= 0 && in.PlateVolts <= 1500, "plate_volts", "expected 0 (not known) to 1500 V")
	c.Need(in.TabsSeen >= 0 && in.TabsSeen <= 1000, "tabs_seen", "expected 0 (not counted) to 1000")
	c.Need(in.CellAh >= 0 && in.CellAh <= 1e4, "cell_ah", "expected 0 (not known) or one cell's Ah")
	c.Need(in.ModuleKg >= 0 && in.ModuleKg <= 1000, "module_kg", "expected 0 (not weighed) to 1000 kg")
	c.Need(in.CellKg >= 0 && in.CellKg <= 100, "cell_kg", "expected 0 (not weighed) to 100 kg")
	cells, how := 0, ""
	if in.TabsSeen > 0 || in.CellAh > 0 || in.ModuleKg > 0 && in.CellKg > 0 && in.PlateSeries > 0 {
		var perr error
		cells, how, perr = plate.Parallel(plate.Evidence{GroupAh: in.RatedAh, CellAh: in.CellAh,
			TabsSeen: in.TabsSeen, ModuleKg: in.ModuleKg, CellKg: in.CellKg, Series: in.PlateSeries})
		field := "cell_ah"
		if in.CellAh == 0 {
			field = "cell_kg"
		}
		c.Need(perr == nil, field, "%v", perr)
	}
	in.checkLimits(c, id)
	c.Need(in.SwitchVolts >= 0 && in.SwitchVolts < 1e4, "switch_v", "expected 0 (not known) to 10 000 V")
	posts, pins := in.points(c)
	t := store.ModuleType{Name: in.Name, Chemistry: id, RatedAh: in.RatedAh, RatedWh: in.RatedWh,
		PlateSeries: in.PlateSeries,
		PlateVolts:  in.PlateVolts, Posts: strings.Join(posts, " "), Pins: strings.Join(pins, " "),
		CellsParallel: cells, ParallelHow: how, TabsSeen: in.TabsSeen, CellAh: in.CellAh, ModuleKg: in.ModuleKg,
		CellKg: in.CellKg, Note: strings.TrimSpace(in.Note), Version: 1,
		DischargeA: in.DischargeA, PeakA: in.PeakA, ChargeA: in.ChargeA, ChargePeakA: in.ChargePeakA,
		FullVolts: in.FullVolts, PointsInOrder: in.PointsInOrder, PostsJoined: in.PostsJoined,
		Closed: in.Closed, SwitchVolts: in.SwitchVolts}
	return t, c.Err()
}

// checkLimits checks the currents, the full voltage, and whether the plate can be true.
func (in TypeInput) checkLimits(c kernel.Checks, id chem.ID) {
	for _, f := range []struct {
		field string
		v     float64
	}{{"discharge_a", in.DischargeA}, {"peak_a", in.PeakA}, {"charge_a", in.ChargeA},
		{"charge_peak_a", in.ChargePeakA}} {
		c.Need(f.v >= 0 && f.v <= 1e4, f.field, "expected 0 (the typical C rate) to 10 000 A")
	}
	c.Need(in.PeakA == 0 || in.PeakA >= in.DischargeA, "peak_a", "expected at least the continuous current")
	c.Need(in.ChargePeakA == 0 || in.ChargePeakA >= in.ChargeA, "charge_peak_a",
		"expected at least the continuous current")
	if ch, cerr := chem.Lookup(id); cerr == nil {
		c.Need(in.FullVolts == 0 || in.FullVolts > ch.NominalVolts && in.FullVolts <= ch.ChargeLimitVolts, "full_v",
			"expected 0 (the charge limit) or a group's full voltage up to %.2f V", ch.ChargeLimitVolts)
	}
	if !in.Sure {
		for _, d := range plate.Doubts(plate.Plate{Chemistry: id, Series: in.PlateSeries, Volts: in.PlateVolts,
			RatedAh: in.RatedAh, TabsSeen: in.TabsSeen, CellAh: in.CellAh, ModuleKg: in.ModuleKg, CellKg: in.CellKg}) {
			c.Need(false, d.Field, "%s: read it again. If it is so, tick that the plate does say so", d.Text)
		}
	}
}

// points are the names of posts and pins, each once.
func (in TypeInput) points(c kernel.Checks) (posts, pins []string) {
	posts = strings.Fields(strings.ReplaceAll(in.Posts, ",", " "))
	pins = strings.Fields(strings.ReplaceAll(in.Pins, ",", " "))
	c.Need(len(posts) >= 2, "posts", "expected the names of at least two posts, separated by blanks")
	seen := map[string]bool{}
	for i := range posts {
		posts[i] = layout.CleanName(posts[i])
	}
	for i := range pins {
		pins[i] = layout.CleanName(pins[i])
	}
	for _, p := range append(append([]string{}, posts...), pins...) {
		c.Need(!seen[p], "pins", "%s is there twice", p)
		c.Need(!strings.ContainsAny(p, ".#"), "pins", "%s: expected names without a point or #", p)
		seen[p] = true
	}
	return posts, pins
}

// SaveType makes a module type or changes one.
func (s *Room) SaveType(ctx context.Context, in TypeInput) (store.ModuleType, error) {
	t, err := in.typed()
	if err != nil {
		return store.ModuleType{}, err
	}
	t.CreatedAt = s.Now()
	err = s.Action(ctx, in.Token, "type", func(tx *gorm.DB) error {
		if in.ID == 0 {
			return s.add(tx, &t)
		}
		if err := kernel.NameFree[store.ModuleType](tx, "module type", t.Name, in.ID); err != nil {
			return err
		}
		return s.changeTo(tx, in, &t)
	})
	return t, err
}

// add makes a type inside a transaction.
func (s *Room) add(tx *gorm.DB, t *store.ModuleType) error {
	if err := kernel.NameFree[store.ModuleType](tx, "module type", t.Name, 0); err != nil {
		return err
	}
	if err := tx.Create(t).Error; err != nil {
		return err
	}
	return s.Log(tx, "type", kernel.About{Typ: t.ID}, "Module type %s added", t.Name)
}

// changeTo changes a type. Another chemistry after something was measured wants a reason; whatever was judged by the
// old one is judged anew.
//
// In one piece: what was before, what is asked for it and what follows belong to one transaction.
func (s *Room) changeTo(tx *gorm.DB, in TypeInput, t *store.ModuleType) error {
	before, err := kernel.TypeByID(tx, in.ID)
	if err != nil {
		return err
	}
	if lay, ok, err := record.LayoutOf(tx, before); err != nil {
		return err
	} else if ok {
		t.RatedAh = record.Rated(*t, lay.Series)
	}
	measured, err := s.measuredOn(tx, in.ID)
	if err != nil {
		return err
	}
	changed := before.Chemistry != "" && before.Chemistry != t.Chemistry && before.Version == in.Version
	if changed && measured {
		if text := gates.ReasonText(in.Reason, kernel.Signed(tx.Statement.Context)); text != "" {
			return kernel.Bad("reason", "modules of this type were measured as %s. Another chemistry judges "+
				"all of them anew and takes designs back: %s", strings.ToUpper(string(before.Chemistry)), text)
		}
	}
	judged := before.Version == in.Version && (before.Chemistry != t.Chemistry || before.RatedAh != t.RatedAh)
	was := store.JSON[store.TypeBefore]{}
	if judged && measured {
		next := *t
		next.ID, next.Curve, next.LayoutID = in.ID, before.Curve, before.LayoutID
		m, err := s.moved(tx, next, changed)
		if err != nil {
			return err
		}
		if m.Many() && !in.Anew {
			return kernel.Bad("anew", "%s. Tick that this is meant; within a minute it can be undone, later by "+
				"changing it back", m)
		}
		was = store.JSONOf(store.TypeBefore{Chemistry: before.Chemistry, RatedAh: before.RatedAh, Curve: before.Curve})
	}
	res := tx.Model(&store.ModuleType{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{
		"was": was, "change_token": in.Token,
		"discharge_a": t.DischargeA, "peak_a": t.PeakA, "charge_a": t.ChargeA, "charge_peak_a": t.ChargePeakA,
		"full_volts": t.FullVolts, "points_in_order": t.PointsInOrder,
		"posts_joined": t.PostsJoined, "closed": t.Closed, "switch_volts": t.SwitchVolts,
		"name": t.Name, "chemistry": t.Chemistry, "rated_ah": t.RatedAh, "rated_wh": t.RatedWh,
		"plate_series": t.PlateSeries,
		"plate_volts":  t.PlateVolts, "posts": t.Posts, "pins": t.Pins,
		"cells_parallel": t.CellsParallel, "parallel_how": t.ParallelHow, "tabs_seen": t.TabsSeen,
		"cell_ah": t.CellAh, "module_kg": t.ModuleKg, "cell_kg": t.CellKg, "note": t.Note,
		"version": in.Version + 1})
	if res.Error != nil {
		return res.Error
	}
	if res.RowsAffected == 0 {
		now, err := kernel.TypeByID(tx, in.ID)
		if err != nil {
			return err
		}
		return typeConflict(now)
	}
	t.ID, t.Version = in.ID, in.Version+1
	if before.Chemistry != t.Chemistry || before.RatedAh != t.RatedAh {
		if err := s.judgeAnew(tx, t.ID, before.Chemistry != t.Chemistry); err != nil {
			return err
		}
	}
	why := ""
	if changed && measured {
		why = ". Reason: " + strings.TrimSpace(in.Reason)
	}
	return s.Log(tx, "type", kernel.About{Typ: t.ID}, "Module type changed: %s, %s Ah%s",
		strings.ToUpper(string(t.Chemistry)), numeral.Text(t.RatedAh), why)
}

// typeConflict shows what somebody else saved meanwhile.
func typeConflict(now store.ModuleType) error {
	return &kernel.Conflict{What: "Module type " + now.Name, Version: now.Version,
		Saved: map[string]string{"name": now.Name, "chemistry": string(now.Chemistry),
			"rated_ah": record.Plain(now.RatedAh), "plate_series": strconv.Itoa(now.PlateSeries),
			"plate_volts": record.Plain(now.PlateVolts), "posts": now.Posts, "pins": now.Pins,
			"tabs_seen": strconv.Itoa(now.TabsSeen), "cell_ah": record.Plain(now.CellAh),
			"module_kg": record.Plain(now.ModuleKg), "cell_kg": record.Plain(now.CellKg), "note": now.Note}}
}

// DeleteType takes a type off the record of which there is no module, layout, lead or picture.
func (s *Room) DeleteType(ctx context.Context, id int64, token string) error {
	return s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		t, err := kernel.TypeByID(tx, id)
		if err != nil {
			return err
		}
		for _, table := range []string{"modules", "layouts", "pictures", "teardowns", "leads"} {
			var n int64
			if err := tx.Table(table).Where("type_id = ?", id).Count(&n).Error; err != nil {
				return err
			}
			if n > 0 {
				return kernel.Bad("", "%s has modules, a layout, a lead, an opening or pictures: it stays", t.Name)
			}
		}
		if err := tx.Model(&store.Event{}).Where("type_id = ?", id).Update("type_id", nil).Error; err != nil {
			return err
		}
		if err := tx.Delete(&store.ModuleType{}, id).Error; err != nil {
			return err
		}
		return s.Log(tx, "deleted", kernel.About{}, "Module type %s taken off the record: nothing was of it", t.Name)
	})
}

// typeChange is a change of a type that was at a version, by whom, in words.
type typeChange struct {
	id          int64
	version     int
	token, what string
}

// changeType writes part of a type under its version; two people who change it at once do not overwrite each other.
// saved lists what is on record by the names of the form's fields, for the one who comes second.
func (s *Room) changeType(ctx context.Context, c typeChange, set func(tx *gorm.DB, t store.ModuleType) (map[string]any,
	error), saved ...func(store.ModuleType) map[string]string) (t store.ModuleType, err error) {
	err = s.Action(ctx, c.token, "type", func(tx *gorm.DB) error {
		if t, err = kernel.TypeByID(tx, c.id); err != nil {
			return err
		}
		if t.Version != c.version {
			now := &kernel.Conflict{What: "Module type " + t.Name, Version: t.Version, Saved: map[string]string{}}
			for _, f := range saved {
				now.Saved = f(t)
			}
			return now
		}
		values, err := set(tx, t)
		if err != nil {
			return err
		}
		values["version"] = c.version + 1
		res := tx.Model(&store.ModuleType{}).Where("id = ? AND version = ?", c.id, c.version).Updates(values)
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &kernel.Conflict{What: "Module type " + t.Name, Version: t.Version + 1, Saved: map[string]string{}}
		}
		if err := s.Log(tx, "type", kernel.About{Typ: c.id}, "%s", c.what); err != nil {
			return err
		}
		t, err = kernel.TypeByID(tx, c.id)
		return err
	})
	return t, err
}

// SaveFace keeps where a type's points lie. New points are added to the type. A point that the
// accepted layout knows cannot be taken off.
func (s *Room) SaveFace(ctx context.Context, id int64, version int, f face.Face, token string) (store.ModuleType,
	error) {
	if err := f.Check(); err != nil {
		return store.ModuleType{}, kernel.Bad("face", "%v", err)
	}
	posts, pins := f.Names()
	change := typeChange{id, version, token, fmt.Sprintf("Face: %d posts, %d pins", len(posts), len(pins))}
	return s.changeType(ctx, change, func(tx *gorm.DB, t store.ModuleType) (map[string]any, error) {
		m, ok, err := record.LayoutOf(tx, t)
		if err != nil {
			return nil, err
		}
		if ok {
			for _, n := range m.Nodes {
				for _, p := range n.Points {
					if !slices.Contains(posts, p) && !slices.Contains(pins, p) {
						return nil, kernel.Bad("face", "%s is on the accepted layout: it cannot be taken off or "+
							"renamed. Place it, or map the type again first", p)
					}
				}
			}
		}
		return map[string]any{"face": store.JSONOf(f), "posts": strings.Join(posts, " "),
			"pins": strings.Join(pins, " ")}, nil
	})
}

// SaveCurve gives a type its own rest curve, or with no points takes it back to the typical one.
// Surveys are judged by it from now on; those on record keep the judgement they had.
func (s *Room) SaveCurve(ctx context.Context, id int64, version int, p chem.Points,
	token string) (store.ModuleType, error) {
	p.Source = strings.TrimSpace(p.Source)
	what := fmt.Sprintf("Rest curve replaced by %s from %s", numeral.Count(len(p.SoCPct), "point"), p.Source)
	if len(p.SoCPct) == 0 {
		what = "Rest curve: the chemistry's typical one again"
	} else if p.Source == "" {
		return store.ModuleType{}, kernel.Bad("source", "expected where the curve comes from: a data sheet, a slow "+
			"discharge, who and when")
	}
	change := typeChange{id, version, token, what}
	return s.changeType(ctx, change, func(_ *gorm.DB, t store.ModuleType) (map[string]any, error) {
		if len(p.SoCPct) == 0 {
			return map[string]any{"curve": ""}, nil
		}
		if _, err := chem.OwnCurve(t.Chemistry, p.SoCPct, p.Volts); err != nil {
			return nil, kernel.Bad("curve", "%v", err)
		}
		return map[string]any{"curve": store.JSONOf(p)}, nil
	})
}

// LooksOf returns the looks for a type, all of them: those that do not apply are marked.
func LooksOf(t store.ModuleType) []look.OfType {
	notes, err := t.Looks.Get()
	if err != nil {
		notes = nil
	}
	return look.For(notes, t.Pins != "")
}

// SizeInput is what a module of a type measures, millimetres as its face is drawn, 0 not known, and its thread.
type SizeInput struct {
	Version                    int // of the type
	WidthMM, DepthMM, HeightMM float64
	Thread                     string
	Mount                      *mount.Mount // nil leaves what is on record
	Token                      string
}

// SaveSize keeps what a module of a type measures.
func (s *Room) SaveSize(ctx context.Context, id int64, in SizeInput) (store.ModuleType, error) {
	c := kernel.Checks{}
	for field, v := range map[string]float64{"width_mm": in.WidthMM, "depth_mm": in.DepthMM, "height_mm": in.HeightMM} {
		c.Need(v == 0 || v >= 10 && v <= 3000, field, "expected 10 to 3000 mm, or nothing where it is not known")
	}
	thread := strings.TrimSpace(in.Thread)
	c.Need(len([]rune(thread)) <= 80, "thread", "expected up to 80 letters, such as M6 stud, or M8 screw, 12 mm deep")
	if in.Mount != nil {
		if field, text := in.Mount.Check(); field != "" {
			c.Need(false, field, "%s", text)
		}
	}
	if err := c.Err(); err != nil {
		return store.ModuleType{}, err
	}
	change := typeChange{id, in.Version, in.Token, "Size and posts written down"}
	return s.changeType(ctx, change, func(*gorm.DB, store.ModuleType) (map[string]any, error) {
		set := map[string]any{"width_mm": in.WidthMM, "depth_mm": in.DepthMM, "height_mm": in.HeightMM,
			"thread": thread}
		if in.Mount != nil {
			set["mount"] = store.JSONOf(*in.Mount)
		}
		return set, nil
	}, func(t store.ModuleType) map[string]string {
		return map[string]string{"width_mm": record.Plain(t.WidthMM), "depth_mm": record.Plain(t.DepthMM),
			"height_mm": record.Plain(t.HeightMM), "thread": t.Thread}
	})
}

// LooksInput is where to look on a type, and its nominal thickness, 0 for not known.
type LooksInput struct {
	Version     int // of the type
	Notes       look.Notes
	ThicknessMM float64
	Token       string
}

// SaveLooks keeps where to look on a type, and its nominal thickness.
func (s *Room) SaveLooks(ctx context.Context, id int64, in LooksInput) (store.ModuleType, error) {
	notes, thicknessMM := in.Notes, in.ThicknessMM
	if !(thicknessMM >= 0 && thicknessMM <= 2000) {
		return store.ModuleType{}, kernel.Bad("thickness_mm", "expected 0 (not known) to 2000 mm")
	}
	for _, l := range look.Looks() {
		if l.Always && notes[l.Key].Skip {
			return store.ModuleType{}, kernel.Bad("skip-"+l.Key, "this is looked at on every module")
		}
	}
	change := typeChange{id, in.Version, in.Token, "Where to look written down"}
	return s.changeType(ctx, change, func(*gorm.DB, store.ModuleType) (map[string]any, error) {
		return map[string]any{"looks": store.JSONOf(notes), "thickness_mm": thicknessMM}, nil
	}, func(t store.ModuleType) map[string]string {
		now := map[string]string{"thickness_mm": record.Plain(t.ThicknessMM)}
		for _, l := range LooksOf(t) {
			now["where-"+l.Key] = l.Where
		}
		return now
	})
}

// InsideOf returns what is known of a type's inside; unknown joints where nothing was said.
func InsideOf(t store.ModuleType, series int) variant.Told {
	in, err := t.Inside.Get()
	if err != nil {
		in = variant.Told{}
	}
	return in.Fill(series, t.CellsParallel)
}

// SaveInside keeps how a type's cells are joined.
func (s *Room) SaveInside(ctx context.Context, id int64, version int, in variant.Told,
	token string) (store.ModuleType, error) {
	if in.Elements < 1 || in.Elements > 100 {
		return store.ModuleType{}, kernel.Bad("elements", "expected 1 to 100 elements in a group")
	}
	change := typeChange{id, version, token, "How its cells are joined written down"}
	return s.changeType(ctx, change, func(tx *gorm.DB, t store.ModuleType) (map[string]any, error) {
		m, ok, err := record.LayoutOf(tx, t)
		if err != nil {
			return nil, err
		}
		if !ok || len(in.Joints) != m.Series-1 {
			return nil, kernel.Bad("", "%s has no layout with %s: map it first", t.Name, numeral.Count(len(in.Joints),
				"joint"))
		}
		if _, err := variant.Variants(inside(t, m, in)); err != nil {
			return nil, kernel.Bad("", "%v", err)
		}
		return map[string]any{"inside": store.JSONOf(in)}, nil
	})
}

func inside(t store.ModuleType, m layout.Map, in variant.Told) variant.Inside {
	v := variant.Inside{Series: m.Series, Elements: in.Elements, Joints: in.Joints, Across: in.Across,
		GroupAh: t.RatedAh, Chemistry: t.Chemistry, Taps: make([][]string, m.Series+1)}
	for i, g := range m.Groups {
		v.Taps[i] = g.Negative
		v.Taps[i+1] = g.Positive
	}
	return v
}

// VariantsOf lists the ways to use a type, nil where it has no layout yet.
func (s *Room) VariantsOf(ctx context.Context, t store.ModuleType) ([]variant.Variant, variant.Told, error) {
	return WaysOf(s.Store.DB.WithContext(ctx), t)
}

// WaysOf is VariantsOf inside a transaction.
func WaysOf(db *gorm.DB, t store.ModuleType) ([]variant.Variant, variant.Told, error) {
	m, ok, err := record.LayoutOf(db, t)
	if err != nil || !ok {
		return nil, variant.Told{}, err
	}
	in := InsideOf(t, m.Series)
	vs, err := variant.Variants(inside(t, m, in))
	return vs, in, err
}
