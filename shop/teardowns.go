package shop

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/teardown"
	"pandrel/store"
)

// TeardownOf returns how a type is opened, with the row it is kept in; ok is false where nothing was
// written down yet.
func (s *Shop) TeardownOf(ctx context.Context, typeID int64) (row store.Teardown, steps []teardown.Step, ok bool, err error) {
	return teardownOf(s.st.DB.WithContext(ctx), typeID)
}

func teardownOf(db *gorm.DB, typeID int64) (row store.Teardown, steps []teardown.Step, ok bool, err error) {
	var rows []store.Teardown
	if err = db.Where("type_id = ?", typeID).Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
		return row, nil, false, err
	}
	steps, err = fromJSON[[]teardown.Step](rows[0].Steps)
	return rows[0], steps, err == nil, err
}

// TeardownInput is a type's list as it was typed. After is the row it was made from, 0 for the first:
// somebody else's newer list is not overwritten.
type TeardownInput struct {
	TypeID int64
	After  int64
	Steps  []teardown.Step
	By     string
	Token  string
}

// SaveTeardown keeps a list of steps as a new version of it.
func (s *Shop) SaveTeardown(ctx context.Context, in TeardownInput) error {
	return s.action(ctx, in.Token, "teardown", func(tx *gorm.DB) error {
		t, err := typeByID(tx, in.TypeID)
		if err != nil {
			return err
		}
		now, _, _, err := teardownOf(tx, in.TypeID)
		if err != nil {
			return err
		}
		if now.ID != in.After {
			return &Conflict{What: "How " + t.Name + " is opened", Version: int(now.ID), Saved: map[string]string{}}
		}
		steps, err := withKeys(tx, t.ID, in.Steps)
		if err != nil {
			return err
		}
		if n, field, text := teardown.Check(steps); text != "" {
			if n == 0 {
				return Bad("", "%s", text)
			}
			return Bad(fmt.Sprintf("%s%d", field, n), "%s", text)
		}
		row := store.Teardown{TypeID: t.ID, Steps: toJSON(steps), WrittenBy: initials(in.By), WrittenAt: s.now(), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.log(tx, row.WrittenBy, "teardown", about{typ: t.ID}, "How it is opened: %d steps", len(in.Steps))
	})
}

// withKeys gives new steps their keys. A step keeps its key for ever, and no key is given twice to a
// type: what is on record for a step that was taken out must not count for another.
func withKeys(tx *gorm.DB, typeID int64, in []teardown.Step) ([]teardown.Step, error) {
	var lists []string
	if err := tx.Model(&store.Teardown{}).Where("type_id = ?", typeID).Pluck("steps", &lists).Error; err != nil {
		return nil, err
	}
	last := 0
	for _, l := range append(lists, toJSON(in)) {
		steps, err := fromJSON[[]teardown.Step](l)
		if err != nil {
			return nil, err
		}
		for _, st := range steps {
			var n int
			if _, err := fmt.Sscanf(st.Key, "s%d", &n); err == nil {
				last = max(last, n)
			}
		}
	}
	out := slices.Clone(in)
	for i := range out {
		if out[i].Key == "" {
			last++
			out[i].Key = fmt.Sprintf("s%d", last)
		}
	}
	return out, nil
}

// Opening is how far a module is opened or closed.
type Opening struct {
	TeardownID int64
	States     []teardown.State
	Tray       []teardown.Part
	Findings   []finding.Finding
	Begun      bool
	Done       bool
}

// OpeningOf returns how far a module is opened; ok is false where its type has no list.
func (s *Shop) OpeningOf(ctx context.Context, m store.Module) (o Opening, ok bool, err error) {
	return openingOf(s.st.DB.WithContext(ctx), m)
}

func openingOf(db *gorm.DB, m store.Module) (o Opening, ok bool, err error) {
	row, steps, ok, err := teardownOf(db, m.TypeID)
	if err != nil || !ok {
		return o, false, err
	}
	var rows []store.TeardownRecord
	if err = db.Where("module_id = ?", m.ID).Order("id").Find(&rows).Error; err != nil {
		return o, false, err
	}
	var records []teardown.Record
	for _, r := range rows {
		records = append(records, teardown.Record{Key: r.Step, Way: r.Way, Fasteners: r.Fasteners, Parts: r.Parts})
	}
	on := func(id int64, steps []teardown.Step) Opening {
		o := Opening{TeardownID: id, States: teardown.States(m.Number, steps, records), Begun: len(rows) > 0}
		o.Tray = teardown.Tray(o.States)
		o.Findings, o.Done = teardown.Findings(o.States)
		return o
	}
	if n := len(rows); n > 0 && rows[n-1].TeardownID != row.ID {
		// The list changed while the module was open: it is closed by the one it was opened by, so that
		// nothing vanishes from its tray.
		var begun store.Teardown
		if err := db.Where("id = ?", rows[n-1].TeardownID).Take(&begun).Error; err != nil {
			return o, false, err
		}
		old, err := fromJSON[[]teardown.Step](begun.Steps)
		if err != nil {
			return o, false, err
		}
		if o := on(begun.ID, old); !o.Done {
			return o, true, nil
		}
	}
	return on(row.ID, steps), true, nil
}

// TeardownStepInput is one step as it was done, with what was counted.
type TeardownStepInput struct {
	Number    string
	Step      string
	Way       string
	Fasteners int
	Parts     int
	By        string
	Token     string
}

// RecordTeardownStep keeps a step. Quarantined modules are not opened.
func (s *Shop) RecordTeardownStep(ctx context.Context, in TeardownStepInput) error {
	if in.Way != teardown.Off && in.Way != teardown.On {
		return Bad("", "expected a step that comes off or goes on")
	}
	if in.Fasteners < 0 || in.Fasteners > 500 {
		return Bad("fasteners", "expected 0 to 500")
	}
	if in.Parts < 0 || in.Parts > 500 {
		return Bad("parts", "expected 0 to 500")
	}
	return s.action(ctx, in.Token, "teardown-step", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		if err := usable(m); err != nil {
			return err
		}
		o, ok, err := openingOf(tx, m)
		if err != nil {
			return err
		}
		if !ok {
			return Bad("", "its type has no steps yet: write them down first")
		}
		for _, st := range o.States {
			if st.Key != in.Step {
				continue
			}
			if in.Way == teardown.On && !st.IsOff {
				return Bad("", "step %d did not come off: it cannot go on", st.No)
			}
			row := store.TeardownRecord{ModuleID: m.ID, TeardownID: o.TeardownID, Step: in.Step, Way: in.Way, Fasteners: in.Fasteners, Parts: in.Parts, DoneBy: initials(in.By), DoneAt: s.now(), Token: in.Token}
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
			what := "came off"
			if in.Way == teardown.On {
				what = "went back"
			}
			if err := s.log(tx, row.DoneBy, "teardown", about{module: m.ID}, "Step %d, %s: %s, %d fasteners, %d parts", st.No, strings.TrimSuffix(st.Do, "."), what, in.Fasteners, in.Parts); err != nil {
				return err
			}
			return s.rehold(tx, m.ID)
		}
		return Bad("", "there is no such step: reload the page")
	})
}
