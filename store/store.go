// Package store keeps a workshop in one SQLite file.
//
// What was measured is kept for ever, as it was measured: the tables of readings, surveys, traces
// and sense checks refuse UPDATE and DELETE by trigger, and a correction is a new row that points
// to the old one. Derived results can be computed again and carry the version of the rules that
// made them. Rows that two people can edit carry a version number.
package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	_ "modernc.org/sqlite" // the pure-Go driver, so that no C compiler is needed
)

// FileName is the workshop's file inside its data folder.
const FileName = "workshop.db"

// Store is an open workshop file.
type Store struct {
	DB   *gorm.DB
	path string
}

// Open opens or makes the workshop file in dir and brings its tables up to date.
func Open(dir string) (*Store, error) {
	path := filepath.Join(dir, FileName)
	// synchronous=FULL: what was acknowledged survives a power cut, not only a crash.
	dsn := "file:" + path + "?_txlock=immediate&_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=synchronous(FULL)"
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger:                 slowLog{},
		NowFunc:                func() time.Time { return time.Now().UTC() },
		SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	sqlDB, err := db.DB()
	if err != nil {
		return nil, err
	}
	sqlDB.SetMaxOpenConns(8)
	sqlDB.SetMaxIdleConns(8)
	if current(db) { // a second program on a file at work does not wait for a moment without a writer
		return &Store{DB: db, path: path}, nil
	}
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 64, UseTransaction: true}, migrations)
	if err := m.Migrate(); err != nil {
		return nil, fmt.Errorf("bring %s up to date: %w", path, err)
	}
	return &Store{DB: db, path: path}, nil
}

// current reports whether the tables are those of the newest migration.
func current(db *gorm.DB) bool {
	var tables, n int64
	if err := db.Raw("SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = 'migrations'").Scan(&tables).Error; err != nil || tables == 0 {
		return false
	}
	newest := migrations[len(migrations)-1].ID
	return db.Raw("SELECT count(*) FROM migrations WHERE id = ?", newest).Scan(&n).Error == nil && n == 1
}

// Close closes the file.
func (s *Store) Close() error {
	db, err := s.DB.DB()
	if err != nil {
		return err
	}
	return db.Close()
}

// Backup writes a consistent copy to file while others read and write. The file must not exist.
func (s *Store) Backup(file string) error {
	return s.DB.Exec("VACUUM INTO ?", file).Error
}

// Write runs f in one transaction: all of it is saved, or nothing.
func (s *Store) Write(ctx context.Context, f func(tx *gorm.DB) error) error {
	return s.DB.WithContext(ctx).Transaction(f)
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
	if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) && !errors.Is(err, context.Canceled) {
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
var measured = []string{"probe_sets", "probe_readings", "layouts", "inspections", "surveys", "survey_readings", "blobs", "traces", "hand_results", "sense_checks", "sense_readings", "events", "gradings"}

// growOnly makes a table refuse UPDATE and DELETE.
func growOnly(tx *gorm.DB, tables ...string) error {
	for _, t := range tables {
		for _, verb := range []string{"UPDATE", "DELETE"} {
			err := tx.Exec(fmt.Sprintf("CREATE TRIGGER %s_no_%s BEFORE %s ON %s BEGIN SELECT RAISE(ABORT, '%s holds what was measured: it only grows'); END", t, strings.ToLower(verb), verb, t, t)).Error
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// run executes statements separated by a semicolon at the end of a line.
func run(tx *gorm.DB, schema string) error {
	for _, stmt := range strings.Split(schema, ";\n") {
		if strings.TrimSpace(stmt) == "" {
			continue
		}
		if err := tx.Exec(stmt).Error; err != nil {
			return fmt.Errorf("%w in %.60q", err, stmt)
		}
	}
	return nil
}

var migrations = []*gormigrate.Migration{
	{ID: "001-first", Migrate: func(tx *gorm.DB) error {
		if err := run(tx, schema1); err != nil {
			return err
		}
		return growOnly(tx, measured...)
	}},
	{ID: "002-checks-and-isolation", Migrate: func(tx *gorm.DB) error {
		if err := run(tx, schema2); err != nil {
			return err
		}
		return growOnly(tx, "module_checks", "isolation_checks")
	}},
	{ID: "003-packs", Migrate: func(tx *gorm.DB) error {
		if err := run(tx, schema3); err != nil {
			return err
		}
		return growOnly(tx, "pack_records")
	}},
	{ID: "004-stations-1-to-4-in-depth", Migrate: func(tx *gorm.DB) error {
		if err := run(tx, schema4); err != nil {
			return err
		}
		return growOnly(tx, "pictures", "teardowns", "teardown_records", "service_records", "adapter_checks")
	}},
	{ID: "005-holds-gates-and-limits", Migrate: func(tx *gorm.DB) error {
		if err := run(tx, schema5); err != nil {
			return err
		}
		return growOnly(tx, "withdrawals", "bank_records")
	}},
}

// In schema5 a sense check of a bank that is in service keeps counting: going into service raised the
// version by one.
const schema5 = `
ALTER TABLE module_types ADD COLUMN discharge_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN peak_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN charge_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN charge_peak_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN full_volts REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN points_in_order INTEGER NOT NULL DEFAULT 0;
ALTER TABLE modules ADD COLUMN hold TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN hold_rules TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN layout_id INTEGER REFERENCES layouts(id);
ALTER TABLE modules ADD COLUMN history TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN history_note TEXT NOT NULL DEFAULT '';
UPDATE modules SET history = 'flood' WHERE flood_or_recall = 1;
ALTER TABLE survey_readings ADD COLUMN span INTEGER NOT NULL DEFAULT 1;
ALTER TABLE survey_readings ADD COLUMN reason TEXT NOT NULL DEFAULT '';
ALTER TABLE traces ADD COLUMN read_as TEXT NOT NULL DEFAULT '';
ALTER TABLE hand_results ADD COLUMN lowest_end_volts REAL NOT NULL DEFAULT 0;
ALTER TABLE hand_results ADD COLUMN from_full INTEGER NOT NULL DEFAULT 0;
ALTER TABLE hand_results ADD COLUMN charge_moved INTEGER NOT NULL DEFAULT 1;
ALTER TABLE banks ADD COLUMN design_version INTEGER NOT NULL DEFAULT 0;
ALTER TABLE banks ADD COLUMN parts TEXT NOT NULL DEFAULT '';
UPDATE banks SET design_version = version - CASE WHEN station = 'keep' THEN 1 ELSE 0 END;
CREATE TABLE withdrawals (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), survey_id INTEGER NOT NULL REFERENCES surveys(id), group_no INTEGER NOT NULL, second_id INTEGER NOT NULL REFERENCES surveys(id),
  reason TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX withdrawals_module ON withdrawals(module_id);
CREATE TABLE bank_records (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), design_version INTEGER NOT NULL, step TEXT NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
  ok INTEGER NOT NULL, value REAL NOT NULL, reading TEXT NOT NULL, findings TEXT NOT NULL, override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX bank_records_bank ON bank_records(bank_id);
CREATE INDEX modules_held ON modules(number) WHERE hold <> '';
`

const schema4 = `
ALTER TABLE lots ADD COLUMN pallets INTEGER NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN pallet_freight REAL NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN pallet_holds INTEGER NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN claims TEXT NOT NULL DEFAULT '';
ALTER TABLE lots ADD COLUMN claimed_soh_pct REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN face TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN curve TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN thickness_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN looks TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN inside TEXT NOT NULL DEFAULT '';
ALTER TABLE inspections ADD COLUMN thickness_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE inspections ADD COLUMN findings TEXT NOT NULL DEFAULT '';
CREATE TABLE pictures (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, module_id INTEGER REFERENCES modules(id), type_id INTEGER REFERENCES module_types(id), inspection_id INTEGER REFERENCES inspections(id),
  caption TEXT NOT NULL, sha256 TEXT NOT NULL REFERENCES blobs(sha256), original_sha256 TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL,
  taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX pictures_module ON pictures(module_id);
CREATE INDEX pictures_type ON pictures(type_id);
CREATE INDEX pictures_original ON pictures(original_sha256);
ALTER TABLE surveys ADD COLUMN picture_id INTEGER REFERENCES pictures(id);
CREATE TABLE teardowns (
  id INTEGER PRIMARY KEY, type_id INTEGER NOT NULL REFERENCES module_types(id), steps TEXT NOT NULL, written_by TEXT NOT NULL, written_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX teardowns_type ON teardowns(type_id);
CREATE TABLE teardown_records (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), teardown_id INTEGER NOT NULL REFERENCES teardowns(id), step TEXT NOT NULL, way TEXT NOT NULL,
  fasteners INTEGER NOT NULL, parts INTEGER NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX teardown_records_module ON teardown_records(module_id);
CREATE TABLE services (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE, owner TEXT NOT NULL, bank TEXT NOT NULL, note TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE service_records (
  id INTEGER PRIMARY KEY, service_id INTEGER NOT NULL REFERENCES services(id), step TEXT NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
  ok INTEGER NOT NULL, value REAL NOT NULL, reading TEXT NOT NULL, findings TEXT NOT NULL, override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX service_records_service ON service_records(service_id);
CREATE TABLE adapters (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE, type_id INTEGER NOT NULL REFERENCES module_types(id), spec TEXT NOT NULL, note TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE adapter_checks (
  id INTEGER PRIMARY KEY, adapter_id INTEGER NOT NULL REFERENCES adapters(id), spec TEXT NOT NULL, kind TEXT NOT NULL, module_id INTEGER REFERENCES modules(id), readings TEXT NOT NULL, ok INTEGER NOT NULL, findings TEXT NOT NULL,
  taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX adapter_checks_adapter ON adapter_checks(adapter_id);
`

const schema3 = `
CREATE TABLE packs (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE, lot_id INTEGER NOT NULL REFERENCES lots(id), pack TEXT NOT NULL, note TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE pack_records (
  id INTEGER PRIMARY KEY, pack_id INTEGER NOT NULL REFERENCES packs(id), step TEXT NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
  ok INTEGER NOT NULL, reading TEXT NOT NULL, findings TEXT NOT NULL, override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX pack_records_pack ON pack_records(pack_id);
`

const schema2 = `
CREATE TABLE module_checks (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), layout_id INTEGER NOT NULL REFERENCES layouts(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  readings TEXT NOT NULL, findings TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX module_checks_module ON module_checks(module_id);
CREATE TABLE isolation_checks (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  readings TEXT NOT NULL, verdict TEXT NOT NULL, findings TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX isolation_checks_module ON isolation_checks(module_id);
`

const schema1 = `
CREATE TABLE lots (
  id INTEGER PRIMARY KEY, supplier TEXT NOT NULL, arrived_on TEXT NOT NULL, price REAL NOT NULL, freight REAL NOT NULL,
  currency TEXT NOT NULL, note TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE module_types (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, chemistry TEXT NOT NULL, rated_ah REAL NOT NULL, plate_series INTEGER NOT NULL,
  plate_volts REAL NOT NULL, posts TEXT NOT NULL, pins TEXT NOT NULL, cells_parallel INTEGER NOT NULL, parallel_how TEXT NOT NULL, tabs_seen INTEGER NOT NULL DEFAULT 0, cell_ah REAL NOT NULL DEFAULT 0, module_kg REAL NOT NULL DEFAULT 0, cell_kg REAL NOT NULL DEFAULT 0,
  note TEXT NOT NULL, layout_id INTEGER REFERENCES layouts(id), version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE modules (
  id INTEGER PRIMARY KEY, number TEXT NOT NULL UNIQUE COLLATE NOCASE, lot_id INTEGER NOT NULL REFERENCES lots(id), type_id INTEGER NOT NULL REFERENCES module_types(id),
  plate_ah REAL NOT NULL, plate_note TEXT NOT NULL, flood_or_recall INTEGER NOT NULL DEFAULT 0, station TEXT NOT NULL, station_since DATETIME NOT NULL,
  quarantined INTEGER NOT NULL DEFAULT 0, quarantine_why TEXT NOT NULL DEFAULT '', ever_below_never INTEGER NOT NULL DEFAULT 0,
  verdict TEXT NOT NULL DEFAULT '', capacity_ah REAL NOT NULL DEFAULT 0, resistance_mohm REAL NOT NULL DEFAULT 0,
  class TEXT NOT NULL DEFAULT '', fitness TEXT NOT NULL DEFAULT '', bank_id INTEGER REFERENCES banks(id), version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE INDEX modules_waiting ON modules(station, station_since, number) WHERE quarantined = 0;
CREATE INDEX modules_quarantined ON modules(number) WHERE quarantined = 1;
CREATE INDEX modules_verdict ON modules(verdict, number);
CREATE INDEX modules_fitness ON modules(fitness, station);
CREATE INDEX modules_type ON modules(type_id, fitness);
CREATE INDEX modules_lot ON modules(lot_id);
CREATE INDEX modules_bank ON modules(bank_id);
CREATE TABLE probe_sets (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  instrument TEXT NOT NULL, source TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX probe_sets_module ON probe_sets(module_id);
CREATE TABLE probe_readings (
  set_id INTEGER NOT NULL REFERENCES probe_sets(id), line INTEGER NOT NULL, red TEXT NOT NULL, black TEXT NOT NULL, volts REAL NOT NULL,
  last_digit REAL NOT NULL, accuracy_volts REAL NOT NULL, PRIMARY KEY (set_id, line)
);
CREATE TABLE layouts (
  id INTEGER PRIMARY KEY, type_id INTEGER NOT NULL REFERENCES module_types(id), set_id INTEGER NOT NULL REFERENCES probe_sets(id),
  map TEXT NOT NULL, rules_version TEXT NOT NULL, accepted_by TEXT NOT NULL, accepted_at DATETIME NOT NULL
);
CREATE TABLE inspections (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), seen_by TEXT NOT NULL, seen_at DATETIME NOT NULL,
  signs TEXT NOT NULL, outcome TEXT NOT NULL, note TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX inspections_module ON inspections(module_id);
CREATE TABLE surveys (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  instrument TEXT NOT NULL, accuracy_volts REAL NOT NULL, rest_minutes REAL NOT NULL, temp_c REAL, corrects_id INTEGER REFERENCES surveys(id), token TEXT NOT NULL UNIQUE
);
CREATE INDEX surveys_module ON surveys(module_id, taken_at);
CREATE TABLE survey_readings (
  survey_id INTEGER NOT NULL REFERENCES surveys(id), group_no INTEGER NOT NULL, volts REAL NOT NULL, as_typed TEXT NOT NULL, PRIMARY KEY (survey_id, group_no)
);
CREATE TABLE survey_results (
  survey_id INTEGER PRIMARY KEY REFERENCES surveys(id), rules_version TEXT NOT NULL, verdict TEXT NOT NULL, result TEXT NOT NULL
);
CREATE TABLE blobs (
  sha256 TEXT PRIMARY KEY, size INTEGER NOT NULL, gzip BLOB NOT NULL
);
CREATE TABLE traces (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), file_name TEXT NOT NULL, sha256 TEXT NOT NULL REFERENCES blobs(sha256),
  taken_by TEXT NOT NULL, uploaded_at DATETIME NOT NULL, flip_current INTEGER NOT NULL, floor_volts REAL NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX traces_module ON traces(module_id);
CREATE TABLE trace_results (
  trace_id INTEGER PRIMARY KEY REFERENCES traces(id), rules_version TEXT NOT NULL, result TEXT NOT NULL, thin TEXT NOT NULL
);
CREATE TABLE hand_results (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, capacity_ah REAL NOT NULL,
  energy_wh REAL NOT NULL, resistance_mohm REAL NOT NULL, amps REAL NOT NULL, temp_c REAL, end_volts REAL NOT NULL, note TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX hand_results_module ON hand_results(module_id);
CREATE TABLE gradings (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), graded_by TEXT NOT NULL, graded_at DATETIME NOT NULL,
  rules_version TEXT NOT NULL, class TEXT NOT NULL, fitness TEXT NOT NULL, grade TEXT NOT NULL
);
CREATE INDEX gradings_module ON gradings(module_id);
CREATE TABLE banks (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, client TEXT NOT NULL, need TEXT NOT NULL, design TEXT NOT NULL DEFAULT '', rules_version TEXT NOT NULL DEFAULT '',
  bms TEXT NOT NULL DEFAULT '', station TEXT NOT NULL, station_since DATETIME NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE sense_checks (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, bms TEXT NOT NULL,
  instrument TEXT NOT NULL, design_version INTEGER NOT NULL, verdict TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX sense_checks_bank ON sense_checks(bank_id);
CREATE TABLE sense_readings (
  check_id INTEGER NOT NULL REFERENCES sense_checks(id), input INTEGER NOT NULL, volts REAL NOT NULL, as_typed TEXT NOT NULL, PRIMARY KEY (check_id, input)
);
CREATE TABLE events (
  id INTEGER PRIMARY KEY, at DATETIME NOT NULL, who TEXT NOT NULL, kind TEXT NOT NULL, module_id INTEGER REFERENCES modules(id), bank_id INTEGER REFERENCES banks(id),
  lot_id INTEGER REFERENCES lots(id), type_id INTEGER REFERENCES module_types(id), text TEXT NOT NULL
);
CREATE INDEX events_module ON events(module_id, at);
CREATE INDEX events_bank ON events(bank_id, at);
CREATE INDEX events_at ON events(at);
CREATE TABLE submissions (
  token TEXT PRIMARY KEY, at DATETIME NOT NULL, path TEXT NOT NULL
);
`
