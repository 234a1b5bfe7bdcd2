// Package store keeps a workshop in one SQLite file.
//
// What was measured is kept for ever, as it was measured: the tables of readings, surveys, tests
// and sense checks refuse UPDATE and DELETE by trigger, and a correction is a new row that points
// to the old one. Derived results can be computed again and carry the version of the rules that
// made them. Rows that two people can edit carry a version number.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	_ "modernc.org/sqlite" // the pure-Go driver, so that no C compiler is needed
)

// Write runs f in one transaction: all of it is saved, or nothing. What cannot be saved because of the file or its disk
// fails with a FileError. Writers take turns; who gave up waiting is not served. What takes long is done before.
func (s *Store) Write(ctx context.Context, f func(tx *gorm.DB) error) error {
	select {
	case s.turn <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	s.touched.Store(false)
	defer func() {
		s.generation.Add(1) // once more: what was read during the action was from before it
		if s.touched.Swap(false) {
			s.records.Add(1)
		}
		<-s.turn
	}()
	err := s.DB.WithContext(ctx).Transaction(f)
	if err == nil {
		err = s.gone() // once more behind it: only then is it acknowledged
	}
	return Fault(s.path, err)
}

// gone is Here, and says so in the log, once.
func (s *Store) gone() error {
	err := s.Here()
	if err == nil {
		s.said.Store(false)
	} else if !s.said.Swap(true) {
		slog.Error("nothing can be saved", "error", err)
	}
	return err
}

// slowLog reports failed statements of the database through slog; slow ones too.
type slowLog struct{}

func (slowLog) LogMode(logger.LogLevel) logger.Interface { return slowLog{} }
func (slowLog) Info(context.Context, string, ...any)     {}
func (slowLog) Warn(_ context.Context, text string, args ...any) {
	slog.Warn(fmt.Sprintf(text, args...))
}
func (slowLog) Error(_ context.Context, text string, args ...any) {
	slog.Error(fmt.Sprintf(text, args...))
}
func (slowLog) Trace(_ context.Context, begin time.Time, f func() (string, int64), err error) {
	var said *FileError
	if err != nil && !errors.As(err, &said) && !errors.Is(err, gorm.ErrRecordNotFound) &&
		!errors.Is(err, context.Canceled) {
		sql, _ := f()
		slog.Error("statement failed", "error", err, "sql", clip(sql))
	}
	if d := time.Since(begin); d > 2*time.Second {
		sql, _ := f()
		slog.Warn("slow statement", "took", d, "sql", clip(sql))
	}
}

// clip shortens a statement for the log.
func clip(sql string) string {
	if len(sql) > 200 {
		return strings.ToValidUTF8(sql[:200], "") + "…"
	}
	return sql
}

// measured lists the tables that only grow.
var measured = []string{"probe_sets", "probe_readings", "layouts", "inspections", "surveys", "survey_readings",
	"blobs", "traces", "hand_results", "sense_checks", "sense_readings", "events", "gradings"}

// growOnly makes a table refuse UPDATE and DELETE.
func growOnly(tx *gorm.DB, tables ...string) error {
	for _, t := range tables {
		for _, verb := range []string{"UPDATE", "DELETE"} {
			err := tx.Exec(fmt.Sprintf("CREATE TRIGGER %s_no_%s BEFORE %s ON %s BEGIN SELECT RAISE(ABORT, '%s "+
				"holds what was measured: it only grows'); END", t, strings.ToLower(verb), verb, t, t)).Error
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// run executes statements separated by a semicolon at the end of a line. Lines that begin with two dashes are comments.
func run(tx *gorm.DB, schema string) error {
	lines := slices.DeleteFunc(strings.Split(schema, "\n"), func(l string) bool { return strings.HasPrefix(l, "--") })
	for _, stmt := range strings.Split(strings.Join(lines, "\n"), ";\n") {
		if strings.TrimSpace(stmt) == "" {
			continue
		}
		if err := tx.Exec(stmt).Error; err != nil {
			return fmt.Errorf("%w in %.60q", err, stmt)
		}
	}
	return nil
}

//go:embed schema
var schemas embed.FS

// migration runs the file of its name, and makes the tables it lists grow only.
func migration(id string, grow ...string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		sql, err := schemas.ReadFile("schema/" + id + ".sql")
		if err != nil {
			return err
		}
		if err := run(tx, string(sql)); err != nil {
			return err
		}
		return growOnly(tx, grow...)
	}}
}

var migrations = []*gormigrate.Migration{
	migration("001-first", measured...),
	migration("002-checks-and-isolation", "module_checks", "isolation_checks"),
	migration("003-packs", "pack_records"),
	migration("004-stations-1-to-4-in-depth", "pictures", "teardowns", "teardown_records", "service_records",
		"adapter_checks"),
	migration("005-holds-gates-and-limits", "withdrawals", "bank_records"),
	migration("006-one-record-of-steps", "step_records"),
	migration("007-known-by-halves", "strikes", "bank_tests", "standing_surveys"),
	migration("008-undo-and-workings", "kept_workings", "run_samples"),
	migration("009-parts-and-readings", "grade_limits", "hand_readings"),
	migration("010-what-counts"),
	migration("011-one-test", "test_readings"),
	migration("012-one-bank", "bank_surveys"),
	migration("013-leads", "lead_checks"),
	migration("014-read-in-part"),
	migration("015-modules-read-in-part", "module_reads"),
	migration("016-new-by-its-papers"),
	migration("017-closed-packs"),
	migration("018-top-lead"),
	migration("019-drawings"),
	migration("020-regrouping"),
	migration("021-pictures-of-banks"),
	migration("022-mounts"),
	migration("023-parts-in-hand"),
}
