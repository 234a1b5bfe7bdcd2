package measure

import (
	"context"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/module/teardown"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// TeardownOf returns how a type is opened, with the row it is kept in; ok is false where nothing was written down yet.
func (s *Room) TeardownOf(ctx context.Context, typeID int64) (row store.Teardown, steps []teardown.Step, ok bool,
	err error) {
	return record.TeardownOf(s.Store.DB.WithContext(ctx), typeID)
}

// TeardownInput is a type's list as it was typed. After is the row it was made from, 0 for the first:
// somebody else's newer list is not overwritten.
type TeardownInput struct {
	TypeID int64
	After  int64
	Steps  []teardown.Step
	Token  string
}

// SaveTeardown keeps a list of steps as a new version of it.
func (s *Room) SaveTeardown(ctx context.Context, in TeardownInput) error {
	return s.Action(ctx, in.Token, "teardown", func(tx *gorm.DB) error {
		t, err := kernel.TypeByID(tx, in.TypeID)
		if err != nil {
			return err
		}
		now, _, _, err := record.TeardownOf(tx, in.TypeID)
		if err != nil {
			return err
		}
		if now.ID != in.After {
			return &kernel.Conflict{What: "How " + t.Name + " is opened", Version: int(now.ID),
				Saved: map[string]string{}}
		}
		steps, err := withKeys(tx, t.ID, in.Steps)
		if err != nil {
			return err
		}
		if n, field, text := teardown.CheckSteps(steps); text != "" {
			if n == 0 {
				return kernel.Bad("", "%s", text)
			}
			return kernel.Bad(fmt.Sprintf("%s%d", field, n), "%s", text)
		}
		row := store.Teardown{TypeID: t.ID, Steps: store.JSONOf(steps), WrittenBy: kernel.Who(ctx),
			WrittenAt: s.Now(), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, "teardown", kernel.About{Typ: t.ID}, "How it is opened: %s", numeral.Count(len(in.Steps),
			"step"))
	})
}

// withKeys gives new steps their keys, by all lists that the type ever had.
func withKeys(tx *gorm.DB, typeID int64, in []teardown.Step) ([]teardown.Step, error) {
	var rows []store.Teardown
	if err := tx.Where("type_id = ?", typeID).Find(&rows).Error; err != nil {
		return nil, err
	}
	var earlier []teardown.Step
	for _, r := range rows {
		steps, err := r.Steps.Get()
		if err != nil {
			return nil, err
		}
		earlier = append(earlier, steps...)
	}
	return teardown.WithKeys(in, earlier), nil
}

// OpeningOf returns how far a module is opened; ok is false where its type has no list.
func (s *Room) OpeningOf(ctx context.Context, m store.Module) (o record.Opening, ok bool, err error) {
	return record.OpeningOf(s.Store.DB.WithContext(ctx), m)
}

// TeardownStepInput is one step as it was done, with what was counted.
type TeardownStepInput struct {
	Number    string
	Step      string
	Way       string
	Fasteners int
	Parts     int
	Token     string
}

// RecordTeardownStep keeps a step. Quarantined modules are not opened.
func (s *Room) RecordTeardownStep(ctx context.Context, in TeardownStepInput) error {
	if in.Way != teardown.Off && in.Way != teardown.On {
		return kernel.Bad("", "expected a step that comes off or goes on")
	}
	if in.Fasteners < 0 || in.Fasteners > 500 {
		return kernel.Bad("fasteners", "expected 0 to 500")
	}
	if in.Parts < 0 || in.Parts > 500 {
		return kernel.Bad("parts", "expected 0 to 500")
	}
	return s.Action(ctx, in.Token, "teardown-step", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		if err := kernel.Usable(m); err != nil {
			return err
		}
		t, err := kernel.TypeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		if in.Way == teardown.Off { // closing it again is always right
			if err := s.Record.PeopleStand(tx, m, t); err != nil {
				return err
			}
		}
		o, ok, err := record.OpeningOf(tx, m)
		if err != nil {
			return err
		}
		if !ok {
			return kernel.Bad("", "its type has no steps yet: write them down first")
		}
		for _, st := range o.States {
			if st.Key != in.Step {
				continue
			}
			if in.Way == teardown.On && !st.IsOff {
				return kernel.Bad("", "step %d did not come off: it cannot go on", st.No)
			}
			row := store.TeardownRecord{ModuleID: m.ID, TeardownID: o.TeardownID, Step: in.Step, Way: in.Way,
				Fasteners: in.Fasteners, Parts: in.Parts, DoneBy: kernel.Who(ctx), DoneAt: s.Now(), Token: in.Token}
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
			what := "came off"
			if in.Way == teardown.On {
				what = "went back"
			}
			return s.Log(tx, "teardown", kernel.About{Module: m.ID}, "Step %d, %s: %s, %d fasteners, "+
				"%s", st.No, strings.TrimSuffix(st.Do, "."), what, in.Fasteners, numeral.Count(in.Parts, "part"))
		}
		return kernel.Bad("", "there is no such step: reload the page")
	})
}
