package bench

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/shop/kernel"
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

// TestTroubles are the tests that something stands against, those that may still run first. moduleID 0 is all modules.
//
// In one piece: tests on the cycler, and those by hand, each as they stand now.
func (s *Room) TestTroubles(ctx context.Context, moduleID int64) (out []TestTrouble, err error) {
	db := s.Store.DB.WithContext(ctx)
	of := func(q *gorm.DB) *gorm.DB {
		if moduleID > 0 {
			return q.Where("module_id = ?", moduleID)
		}
		return q
	}
	var hand []int64
	if err := of(db.Model(&store.HandTest{})).Where("state = ?", RunRuns).Order("id").Pluck("id",
		&hand).Error; err != nil {
		return nil, err
	}
	for _, id := range hand {
		h, err := s.byHand(db, id)
		if err != nil {
			return nil, err
		}
		if fs := finding.Standing(h.Now.Findings); len(fs) > 0 {
			out = append(out, TestTrouble{ModuleID: h.ModuleID, Number: h.Number, Href: fmt.Sprintf("/hand/%d", id),
				Runs: true, Finding: fs[0]})
		}
	}
	var rows []store.BenchRun
	if err := of(db).Where("state IN ? OR state = ? AND ended_at > ? AND NOT EXISTS (SELECT 1 FROM bench_runs y WHERE "+
		"y.module_id = bench_runs.module_id AND y.id > bench_runs.id) AND NOT EXISTS (SELECT 1 FROM hand_tests h "+
		"WHERE "+
		"h.module_id = bench_runs.module_id AND h.started_at > bench_runs.ended_at)", active, RunStopped,
		s.Now().Add(-toldFor)).Order("state = 'stopped', id").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		fs, err := r.Findings.Get()
		if err != nil {
			return nil, err
		}
		m, err := kernel.ByID[store.Module](db, r.ModuleID, "module")
		if err != nil {
			return nil, err
		}
		runs := r.State == RunRuns || r.State == RunPaused
		if runs { // what was written down since the last look counts at once
			t, err := kernel.TypeByID(db, m.TypeID)
			if err != nil {
				return nil, err
			}
			against, err := s.mayTest(db, m, t)
			if err != nil {
				return nil, err
			}
			fs = finding.Sorted(append(against, fs...))
		}
		if fs = finding.Standing(fs); len(fs) == 0 {
			continue
		}
		out = append(out, TestTrouble{ModuleID: m.ID, Number: m.Number, Href: fmt.Sprintf("/runs/%d", r.ID),
			Runs: r.State == RunRuns, Finding: fs[0], Trouble: r.Trouble})
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
