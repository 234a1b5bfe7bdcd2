package test

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/passage"
	"pandrel/core/test/kind"
	"pandrel/core/test/run"
	"pandrel/core/test/testplan"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// States of a test that is worked step by step.
const (
	Runs    = "running"
	Paused  = "paused"
	Done    = "done"
	Stopped = "stopped" // by a person, or because something stood against going on
)

// active are the states in which a test goes on.
var active = []string{Runs, Paused}

// Under is a test that is worked step by step, with where it stands.
type Under struct {
	store.Test
	Module store.Module
	Type   store.ModuleType
	Steps  []run.Step
	Step   run.Step // the one under way
	Found  []finding.Finding
}

// Number is that of its module.
func (u Under) Number() string { return u.Module.Number }

// Active reports whether it goes on.
func (u Under) Active() bool { return slices.Contains(active, u.State) }

// Path is its address.
func (u Under) Path() string { return fmt.Sprintf("/tests/%d", u.ID) }

// ByID is a test, whatever made it.
func (s *Room) ByID(ctx context.Context, id int64) (store.Test, error) {
	return kernel.ByID[store.Test](s.Store.DB.WithContext(ctx), id, "test")
}

// NumberOf is that of the module that a test is of.
func (s *Room) NumberOf(ctx context.Context, t store.Test) (string, error) {
	m, err := kernel.ByID[store.Module](s.Store.DB.WithContext(ctx), t.ModuleID, "module")
	return m.Number, err
}

// Printed is the test that an address of an older workshop stands for, struck too: traces and 5.
func (s *Room) Printed(ctx context.Context, as string, no int64) (store.Test, error) {
	db := s.Store.DB.WithContext(ctx)
	made := map[string]kind.Source{"traces": kind.Log, "runs": kind.Cycler, "hand": kind.ByHand,
		"bank-tests": kind.Whole}[as]
	return kernel.Printed[store.Test](db, db.Where("source = ?", made), as, no)
}

// under reads a test of a source that is worked step by step.
func (s *Room) under(db *gorm.DB, id int64, of kind.Source) (u Under, err error) {
	row, err := kernel.ByID[store.Test](db, id, "test")
	if err == nil && row.Source != of {
		err = &kernel.NotFound{What: "test"}
	}
	if err != nil {
		return u, err
	}
	return s.underWay(db, row)
}

func (s *Room) underWay(db *gorm.DB, row store.Test) (u Under, err error) {
	u.Test = row
	if u.Module, err = kernel.ByID[store.Module](db, row.ModuleID, "module"); err != nil {
		return u, err
	}
	if u.Type, err = kernel.TypeByID(db, u.Module.TypeID); err != nil {
		return u, err
	}
	if u.Steps, err = row.Steps.Get(); err != nil {
		return u, err
	}
	if row.AtStep >= len(u.Steps) {
		return u, fmt.Errorf("test %d: step %d of %d", row.ID, row.AtStep+1, len(u.Steps))
	}
	u.Step = u.Steps[row.AtStep]
	u.Found, err = row.Findings.Get()
	return u, err
}

// Begin is a module, or a part of it, that is about to be tested.
type Begin struct {
	Module   store.Module
	Type     store.ModuleType
	Planned  testplan.Module
	From, To int
}

// mayBegin is what must be known before a test begins, in the order in which it is asked. field is where a form says
// what is missing.
func (s *Room) mayBegin(ctx context.Context, number string, from, to int, field string) (b Begin, err error) {
	if b.Module, b.Type, err = s.ModuleWithType(ctx, number); err != nil {
		return b, err
	}
	db := s.Store.DB.WithContext(ctx)
	if err := s.Record.May(db, b.Module, b.Type, passage.Test); err != nil {
		return b, err
	}
	if err := s.Record.PeopleStand(db, b.Module, b.Type); err != nil {
		return b, err
	}
	if from != 0 && to == 0 {
		to = from
	}
	x, why, err := s.Bench.Planned(db, b.Module, b.Type)
	switch {
	case err != nil:
		return b, err
	case why != "":
		return b, kernel.Bad(field, "%s: %s", b.Module.Number, why)
	}
	if why, err = s.Bench.Part(ctx, &x, b.Module, b.Type, from, to); err == nil && why != "" {
		err = kernel.Bad("from_group", "%s", why)
	}
	b.Planned, b.From, b.To = x, x.From, x.To
	return b, err
}

// free refuses a second test of a module, or on a channel, struck too; channel 0 is none. Two sources on one
// module fight each other: the page offers none, but it may be an old page.
func free(tx *gorm.DB, m store.Module, channel int, field string) error {
	r, taken, err := kernel.Find[store.Test](tx.Where("state IN ? AND (module_id = ? OR channel = ? AND channel > 0)",
		active, m.ID, channel).Order("module_id <> " + fmt.Sprint(m.ID) + ", id"))
	switch {
	case err != nil || !taken:
		return err
	case r.ModuleID == m.ID && r.Channel > 0:
		return kernel.Bad(field, "a test of %s runs already, on channel %d of the cycler: see /tests/%d", m.Number,
			r.Channel, r.ID)
	case r.ModuleID == m.ID:
		return kernel.Bad(field, "a test of %s by hand runs already: see /tests/%d", m.Number, r.ID)
	}
	other, err := kernel.ByID[store.Module](tx, r.ModuleID, "module")
	if err != nil {
		return err
	}
	return kernel.Bad(field, "%s is on channel %d: expected another channel", other.Number, channel)
}

// RunningOf is the test that runs with a module, ok false for none, and the lowest channel that nothing runs on.
func (s *Room) RunningOf(ctx context.Context, moduleID int64) (of store.Test, ok bool, channel int, err error) {
	rows, err := underNow(s.Store.DB.WithContext(ctx))
	slices.SortFunc(rows, func(a, b store.Test) int { return a.Channel - b.Channel })
	channel = 1
	for _, r := range rows {
		if r.ModuleID == moduleID {
			of, ok = r, true
		}
		if r.Channel == channel {
			channel++
		}
	}
	return of, ok, channel, err
}

// underNow are the tests that go on, struck too: whatever they count for, current flows.
func underNow(db *gorm.DB) (rows []store.Test, err error) {
	err = db.Where("state IN ?", active).Order("id").Find(&rows).Error
	return rows, err
}

// mayTest is what refuses a test of a module.
func (s *Room) mayTest(db *gorm.DB, m store.Module, t store.ModuleType) ([]finding.Finding, error) {
	var blocked *kernel.Blocked
	err := s.Record.May(db, m, t, passage.Test)
	if errors.As(err, &blocked) {
		return blocked.Findings, nil
	}
	return nil, err
}

// move writes down where a test stands now, struck too.
func move(tx *gorm.DB, id int64, set map[string]any) error {
	return tx.Model(&store.Test{}).Where("id = ?", id).Updates(set).Error
}

// readings are what was read of a test, in its own order: of one step, or of all for a negative one.
func readings(db *gorm.DB, id int64, step int) (out []store.TestReading, err error) {
	q := db.Where("test_id = ?", id)
	if step >= 0 {
		q = q.Where("at_step = ?", step).Order("seconds")
	}
	err = q.Order("id").Find(&out).Error
	return out, err
}
