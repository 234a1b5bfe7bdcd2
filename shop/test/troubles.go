package test

import (
	"context"
	"fmt"
	"time"

	"pandrel/core/base/finding"
	"pandrel/core/test/kind"
	"pandrel/store"
)

// toldFor is how long a test that was ended by something is told of, while nothing else was begun with its module.
const toldFor = 7 * 24 * time.Hour

// TestTrouble is a test that runs, waits or was ended, with what stands against it.
type TestTrouble struct {
	ModuleID int64
	Number   string
	Href     string
	Runs     bool // current may flow
	Finding  finding.Finding
	Trouble  string // why the device could not be told, "" where it was
}

// TestTroubles are the tests that something stands against, as they stand now, those that may still run first; of one
// that was ended, only where no other test of its module was begun since. moduleID 0 is all modules.
func (s *Room) TestTroubles(ctx context.Context, moduleID int64) (out []TestTrouble, err error) {
	db := s.Store.DB.WithContext(ctx)
	q := db
	if moduleID > 0 {
		q = q.Where("module_id = ?", moduleID)
	}
	var rows []store.Test // struck too: what flows is seen to
	if err := q.Where("state IN ? OR state = ? AND source = ? AND ended_at > ? AND NOT EXISTS (SELECT 1 FROM tests y "+
		"WHERE y.module_id = tests.module_id AND y.steps <> '' AND y.at >= tests.at AND y.id <> tests.id)", active,
		Stopped, kind.Cycler, s.Now().Add(-toldFor)).Order("source = 'cycler', state = 'stopped', id").
		Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		u, err := s.underWay(db, r)
		if err != nil {
			return nil, err
		}
		fs := u.Found
		switch {
		case r.Source == kind.ByHand:
			h, err := s.byHand(db, r.ID)
			if err != nil {
				return nil, err
			}
			fs = h.Now.Findings
		case u.Active(): // what was written down since the last look counts at once
			against, err := s.mayTest(db, u.Module, u.Type)
			if err != nil {
				return nil, err
			}
			fs = finding.Sorted(append(against, fs...))
		}
		if fs = finding.Standing(fs); len(fs) > 0 {
			out = append(out, TestTrouble{ModuleID: u.Module.ID, Number: u.Number(), Href: u.Path(),
				Runs:    r.State == Runs,
				Finding: fs[0], Trouble: r.Trouble})
		}
	}
	return out, nil
}

// Says is the trouble in a sentence for the headline of a page.
func (t TestTrouble) Says() string {
	does := "was ended"
	if t.Runs {
		does = "may still be under current"
	} else if t.Trouble != "" {
		does = "could not be switched off"
	}
	return fmt.Sprintf("The test of %s %s: %s", t.Number, does, t.Finding.Text)
}
