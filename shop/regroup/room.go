// Package regroup is modules that are cut or have their links moved: the ways that one could take, its steps as they
// are signed, and the modules that come of it.
package regroup

import (
	"context"
	"fmt"
	"math"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/mount"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/passage"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/gates"
	core "pandrel/core/procedure/regroup"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/types"
	"pandrel/store"
)

// Room is these actions, with the rooms they ask.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Receive *receive.Room
	Types   *types.Room
}

// Kind is what its steps are kept as.
const Kind steps.Kind = "regroup"

// Work is one module with the ways that it could take, and the steps of the one that is worked.
type Work struct {
	Module  store.Module
	Type    store.ModuleType
	AsIs    variant.Variant
	Ways    []variant.Variant // what its type could be, as delivered left out
	Way     *variant.Variant  // the one that is worked, nil for none
	Not     []finding.Finding // what keeps it from being begun
	States  []gates.State
	Records []steps.Record
	Struck  []store.Strike
	Parts   []core.Part
	// Children are the modules that it became, by number.
	Children []string
	Loose    bool // something of it may be loosened already

	now  core.Module
	work *steps.Work
}

// Volts are those of its groups as they were surveyed last.
func (v Work) Volts() []float64 { return v.now.Volts }

// Of returns the ways of a module, and how far the one that is worked is.
func (s *Room) Of(ctx context.Context, number string) (Work, error) {
	m, err := s.Module(ctx, number)
	if err != nil {
		return Work{}, err
	}
	return s.of(s.Store.DB.WithContext(ctx), m.ID)
}

func (s *Room) of(db *gorm.DB, id int64) (v Work, err error) {
	if v.Module, err = kernel.ByID[store.Module](db, id, "module"); err != nil {
		return v, err
	}
	if v.Type, err = kernel.TypeByID(db, v.Module.TypeID); err != nil {
		return v, err
	}
	all, _, err := types.WaysOf(db, v.Type)
	if err != nil {
		return v, err
	}
	for i := range all {
		if all[i].Kind == variant.AsDelivered {
			v.AsIs = all[i]
		} else {
			v.Ways = append(v.Ways, all[i])
		}
		if all[i].Key() == v.Module.Regroup && all[i].Possible {
			v.Way = &all[i]
		}
	}
	if err := v.measured(db); err != nil {
		return v, err
	}
	var list []gates.Step
	if v.Way != nil {
		if v.now.Names, err = names(db, v.Module.Number, v.Way.Pieces); err != nil {
			return v, err
		}
		if list, err = core.Steps(*v.Way, v.now); err != nil {
			v.Way = nil // its type was changed under it: said below
		}
	}
	if v.Way == nil {
		if v.Children, err = cameOf(db, id); err == nil {
			v.Not, err = s.notYet(db, v)
		}
		return v, err
	}
	err = s.begun(db, &v, list)
	return v, err
}

// begun fills in the steps of the way that is worked, as far as they are signed.
func (s *Room) begun(db *gorm.DB, v *Work, list []gates.Step) error {
	v.Parts = core.Parts(*v.Way, v.now)
	v.work = &steps.Work{Kind: Kind, ID: v.Module.ID, Version: v.Module.RegroupRound, Name: v.Module.Number + ", ",
		Event: "regroup", About: kernel.About{Module: v.Module.ID}, Named: true,
		Told: func(step string, value float64) []finding.Finding {
			for _, st := range list {
				if st.Key == step {
					return core.LooksLike(v.now, st, value)
				}
			}
			return nil
		},
		May: func(tx *gorm.DB, _ string) error {
			if err := kernel.Usable(v.Module); err != nil {
				return err
			}
			return s.Record.PeopleStand(tx, v.Module, v.Type)
		}}
	err := v.work.Recall(db, func([]steps.Record) []gates.Step { return list })
	v.States, v.Records, v.Struck = v.work.States, v.work.Records, v.work.Struck
	v.Loose = core.Begun(v.States)
	return err
}

// cameOf lists the modules that a module was cut or regrouped into.
func cameOf(db *gorm.DB, id int64) (numbers []string, err error) {
	err = db.Model(&store.Module{}).Where("parent_id = ?", id).Order("id").Pluck("number", &numbers).Error
	return numbers, err
}

// Kin is the module that one came of, "" for none, and those that came of it.
func (s *Room) Kin(ctx context.Context, m store.Module) (parent string, children []string, err error) {
	db := s.Store.DB.WithContext(ctx)
	if m.ParentID != nil {
		p, err := kernel.ByID[store.Module](db, *m.ParentID, "module")
		if err != nil {
			return "", nil, err
		}
		parent = p.Number
	}
	children, err = cameOf(db, m.ID)
	return parent, children, err
}

// measured fills in what was read of the module last.
func (v *Work) measured(db *gorm.DB) error {
	v.now = core.Module{Number: v.Module.Number}
	last, err := record.LastVolts(db, v.Module.ID)
	if err != nil {
		return err
	}
	for g := 1; g <= len(last); g++ {
		v.now.Volts = append(v.now.Volts, last[g])
	}
	look, ok, err := kernel.Find[store.Inspection](record.Counting(db, "inspections").
		Where("module_id = ? AND thickness_mm > 0", v.Module.ID).Order("id DESC"))
	if ok {
		v.now.ThickMM = look.ThicknessMM
	}
	return err
}

// names are what the modules will be called: the number of the old one with -1, -2, or what is free.
func names(db *gorm.DB, number string, count int) ([]string, error) {
	stem := number
	if len(stem) > 20 { // a label number has room for 24
		stem = "M"
	}
	for first := 1; ; first += count {
		var out []string
		for i := range count {
			out = append(out, fmt.Sprintf("%s-%d", stem, first+i))
		}
		var taken int64
		err := db.Model(&store.Module{}).Where("number COLLATE NOCASE IN ?", out).Count(&taken).Error
		if err != nil || taken == 0 {
			return out, err
		}
	}
}

const (
	codeNoWay      = "no-way-possible"
	codeStandsIn   = "stands-in-a-bank"
	codeTestedNow  = "test-under-way"
	codeUnlikeIts  = "layout-of-its-own"
	codeGroupsOpen = "groups-not-read"
)

// Sign keeps a step of it.
func (s *Room) Sign(ctx context.Context, id int64, in steps.Input) ([]finding.Finding, error) {
	return steps.Sign(ctx, s.Kernel, Kind, func(tx *gorm.DB, _ string) (*steps.Work, error) {
		v, err := s.of(tx, id)
		if err == nil && v.work == nil {
			err = kernel.Bad("", "%s is not being cut or regrouped: choose a way first", v.Module.Number)
		}
		return v.work, err
	}, in)
}

// notYet is what keeps a module from being cut or regrouped as things stand.
func (s *Room) notYet(db *gorm.DB, v Work) (out []finding.Finding, err error) {
	m := v.Module
	if m.Became != "" {
		return s.Record.MayIn(db, m, v.Type, passage.Measure)
	}
	stop := func(code, what, do string, at finding.Place) {
		out = append(out, finding.New(finding.Stop, code).About(m.Number).By("rules §7; hazards").
			Says("%s %s.", m.Number, what).Then("%s", do).At(at))
	}
	if m.Regroup != "" {
		stop(codeNoWay, "is being worked in a way that is not possible any more, by what its type says of its inside",
			"Write on the type how its groups are joined.", finding.PlaceType)
	}
	if v.Type.Closed {
		stop(codeNoWay, "is a closed pack with a BMS of its own inside", "It is not opened here.", finding.PlaceType)
	}
	possible := 0
	for _, w := range v.Ways {
		if w.Possible {
			possible++
		}
	}
	if possible == 0 {
		stop(codeNoWay, "has no way to be cut or regrouped, by what its type says of its inside",
			"Look at how its groups are joined, and write it on the type.", finding.PlaceType)
	}
	if m.BankID != nil {
		stop(codeStandsIn, "stands in a bank", "Take it out of there first.", finding.PlaceRecord)
	}
	if m.LayoutID != nil {
		stop(codeUnlikeIts, "has a layout of its own: the ways of its type are not its",
			"Leave it as it is.", finding.PlaceMap)
	}
	var runs int64 // struck too: what flows is seen to
	if err := db.Model(&store.Test{}).Where("module_id = ? AND state IN ?", m.ID, []string{test.Runs, test.Paused}).
		Count(&runs).Error; err != nil {
		return nil, err
	}
	if runs > 0 {
		stop(codeTestedNow, "is being tested", "End the test first.", finding.PlaceTest)
	}
	lay, ok, err := record.LayoutOf(db, v.Type)
	if err != nil {
		return nil, err
	}
	if ok && len(v.now.Volts) != lay.Series {
		stop(codeGroupsOpen, fmt.Sprintf("has %d of %s read", len(v.now.Volts), numeral.Count(lay.Series, "group")),
			"Survey every group at rest.", finding.PlaceSurvey)
	}
	fs, err := s.Record.MayIn(db, m, v.Type, passage.Measure)
	return finding.Sorted(append(out, fs...)), err
}

// Begin begins to cut a module, or to move its links. From then on it is in no other work until that is done, or
// left before anything was loosened.
func (s *Room) Begin(ctx context.Context, number, way, token string) error {
	m, err := s.Module(ctx, number)
	if err != nil {
		return err
	}
	return s.Action(ctx, token, "regroup", func(tx *gorm.DB) error {
		v, err := s.of(tx, m.ID)
		if err != nil {
			return err
		}
		if v.Way != nil {
			return kernel.Bad("way", "%s is worked already: %s", m.Number, v.Way.Title)
		}
		if len(v.Not) > 0 {
			return kernel.Stopped(v.Not)
		}
		for _, w := range v.Ways {
			if w.Key() != way {
				continue
			}
			if fs := finding.Standing(w.Findings); !w.Possible {
				return kernel.Stopped(fs)
			}
			if err := s.Record.PeopleStand(tx, v.Module, v.Type); err != nil {
				return err
			}
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"regroup": way,
				"regroup_round": m.RegroupRound + 1, "version": gorm.Expr("version + 1")}).Error; err != nil {
				return err
			}
			kernel.Touch(tx, m.ID)
			return s.Log(tx, "regroup", kernel.About{Module: m.ID}, "Begun: %s", strings.ToLower(w.Title))
		}
		return kernel.Bad("way", "choose one of the ways of its type")
	})
}

// Leave gives a module back to the path as it was, before anything of it was loosened.
func (s *Room) Leave(ctx context.Context, number, token string) error {
	m, err := s.Module(ctx, number)
	if err != nil {
		return err
	}
	return s.Action(ctx, token, "regroup", func(tx *gorm.DB) error {
		v, err := s.of(tx, m.ID)
		if err != nil {
			return err
		}
		switch {
		case v.Way == nil:
			return kernel.Bad("", "%s is not being cut or regrouped", m.Number)
		case v.Loose:
			return kernel.Bad("", "%s was touched already: sign the steps to their end, or take the last ones back "+
				"where they were typed by mistake", m.Number)
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"regroup": "",
			"version": gorm.Expr("version + 1")}).Error; err != nil {
			return err
		}
		kernel.Touch(tx, m.ID)
		return s.Log(tx, "regroup", kernel.About{Module: m.ID}, "Left as it was")
	})
}

// Made makes the modules that came of one, once every step is signed. Nothing that was tested goes over to them:
// their groups were never seen apart as they are now.
func (s *Room) Made(ctx context.Context, number, token string) (out []store.Module, err error) {
	m, err := s.Module(ctx, number)
	if err != nil {
		return nil, err
	}
	err = s.Action(ctx, token, "regrouped", func(tx *gorm.DB) error {
		v, err := s.of(tx, m.ID)
		if err != nil {
			return err
		}
		if v.Way == nil {
			return kernel.Bad("", "%s is not being cut or regrouped", m.Number)
		}
		if next := gates.Next(v.States, ""); next != nil {
			return kernel.BlockedBy(codeGateNotDone, m.Number, fmt.Sprintf("'%s' is not done.", next.Title),
				"Sign every step first.")
		}
		if err := kernel.Usable(v.Module); err != nil {
			return err
		}
		out, err = s.parts(tx, v)
		return err
	})
	return out, err
}

const codeGateNotDone = "regroup-not-done"

// parts receives what a module became, and takes the old one off the path.
func (s *Room) parts(tx *gorm.DB, v Work) ([]store.Module, error) {
	t, err := s.typeOf(tx, v)
	if err != nil {
		return nil, err
	}
	share := v.Way.Share(types.InsideOf(v.Type, len(v.now.Volts)).Elements)
	in := receive.ModulesInput{LotID: v.Module.LotID, TypeID: t.ID, First: v.Parts[0].Number, Count: len(v.Parts),
		PlateAh: v.Module.PlateAh * share, History: v.Module.History, HistoryNote: v.Module.HistoryNote}
	made, err := s.Receive.Add(tx, in)
	if err != nil {
		return nil, err
	}
	var called []string
	for i := range made {
		of := v.Parts[i].Of()
		if err := tx.Model(&store.Module{}).Where("id = ?", made[i].ID).Updates(map[string]any{"parent_id": v.Module.ID,
			"parent_share": share, "made_of": of, "ever_below_never": v.Module.EverBelowNever}).Error; err != nil {
			return nil, err
		}
		if err := s.Log(tx, "regroup", kernel.About{Module: made[i].ID}, "Came of %s: %s", v.Module.Number,
			of); err != nil {
			return nil, err
		}
		called = append(called, made[i].Number)
	}
	became := finding.Names(called, "modules")
	if err := tx.Model(&store.Module{}).Where("id = ?", v.Module.ID).Updates(map[string]any{"regroup": "",
		"became": became, "station": station.Out, "station_since": s.Now(),
		"version": gorm.Expr("version + 1")}).Error; err != nil {
		return nil, err
	}
	kernel.Touch(tx, v.Module.ID)
	return made, s.Log(tx, "regroup", kernel.About{Module: v.Module.ID}, "Became %s: %s", became,
		strings.ToLower(v.Way.Title))
}

// typeOf is the type of what a module became: one that was made of this type in this way before, else a new one.
func (s *Room) typeOf(tx *gorm.DB, v Work) (store.ModuleType, error) {
	name := fmt.Sprintf("%s as %dS%dP", v.Type.Name, v.Way.Series, v.Way.Elements)
	if v.Way.Kind == variant.Cut {
		name = fmt.Sprintf("%s cut in %d", v.Type.Name, v.Way.Pieces)
	}
	t, ok, err := kernel.Find[store.ModuleType](tx.Where("name = ? AND chemistry = ? AND plate_series = ?", name,
		v.Type.Chemistry, v.Way.Series))
	if err != nil || ok && math.Abs(t.RatedAh-v.Way.GroupAh) < 0.01 { // the label may have been corrected since
		return t, err
	}
	if name, err = s.freeType(tx, name); err != nil {
		return t, err
	}
	t, err = s.Types.Make(tx, types.NewInput{Name: name, Chemistry: string(v.Type.Chemistry), RatedAh: v.Way.GroupAh,
		Series: v.Way.Series, Posts: v.Way.Series + 1})
	if err != nil {
		return t, err
	}
	was, err := v.Type.Mounted()
	if err != nil {
		return t, err
	}
	elements := types.InsideOf(v.Type, len(v.now.Volts)).Elements
	share := v.Way.Share(elements)
	set := map[string]any{"cells_parallel": v.Way.Cells(v.Type.CellsParallel, elements),
		// pouches stay pouches; the force of another stack and the posts of new ends are to be written down
		"mount": store.JSONOf(mount.Mount{Cells: was.Cells}), "cell_ah": v.Type.CellAh, "cell_kg": v.Type.CellKg,
		"module_kg": v.Type.ModuleKg / float64(v.Way.Pieces), "discharge_a": v.Type.DischargeA * share,
		"peak_a": v.Type.PeakA * share, "charge_a": v.Type.ChargeA * share, "charge_peak_a": v.Type.ChargePeakA * share,
		"full_volts": v.Type.FullVolts, "curve": v.Type.Curve,
		"note": fmt.Sprintf("%s of %s", v.Way.Title, v.Type.Name)}
	return t, tx.Model(&store.ModuleType{}).Where("id = ?", t.ID).Updates(set).Error
}

// freeType is a name that no type has.
func (s *Room) freeType(tx *gorm.DB, name string) (string, error) {
	for n := 1; ; n++ {
		out := name
		if n > 1 {
			out = fmt.Sprintf("%s (%d)", name, n)
		}
		var taken int64
		err := tx.Model(&store.ModuleType{}).Where("name = ? COLLATE NOCASE", out).Count(&taken).Error
		if err != nil || taken == 0 {
			return out, err
		}
	}
}
