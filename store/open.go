package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
)

// FileName is the workshop's file inside its data folder.
const FileName = "workshop.db"

// applicationID is written into every workshop file, so that no other program's database is taken for one.
const applicationID = 0x50414E44 // "PAND"

// fileMode lets nobody else on the machine read or write a workshop.
const fileMode = 0o600

// Store is an open workshop file.
type Store struct {
	DB   *gorm.DB
	path string
	// files are those that are open; keeper is a connection that stays, so that the log of writes stays the same file.
	files  []presence
	keeper *sql.Conn
	said   atomic.Bool // that they are gone
	// turn is held by the one action that writes: the others wait in the order in which they came, and none fails
	// because another is at it.
	turn chan struct{}
	// generation rises with every change of the data, records with every one but a reading of a running test.
	generation, records atomic.Uint64
	touched             atomic.Bool // records, by the action under way
}

// Generation is a number that changes whenever the data may have changed: what was worked out of the data holds as
// long as it stays. Only one program writes to a workshop, so that it sees every change.
func (s *Store) Generation() uint64 { return s.generation.Load() }

// Records is Generation without the readings of running tests, which come each second and change nothing but what shows
// them.
func (s *Store) Records() uint64 { return s.records.Load() }

// liveTable holds the readings of running tests.
const liveTable = "test_readings"

type liveKey struct{}

type memoKey struct{}

// Once returns what was worked out under a key before within the same page, or works it out. Pages alone have a memory,
// and they only read: an action sees what it has changed itself.
func Once[T any](ctx context.Context, key string, work func() (T, error)) (T, error) {
	memo, ok := ctx.Value(memoKey{}).(*sync.Map)
	if !ok {
		return work()
	}
	if was, ok := memo.Load(key); ok {
		if v, ok := was.(T); ok {
			return v, nil
		}
	}
	v, err := work()
	if err == nil {
		memo.Store(key, v)
	}
	return v, err
}

// Watched is a context of a page whose queries are watched, and which remembers what Once worked out: live becomes true
// when a query looks at readings of running tests.
func Watched(ctx context.Context) (watched context.Context, live *atomic.Bool) {
	live = &atomic.Bool{}
	ctx = context.WithValue(ctx, memoKey{}, &sync.Map{})
	return context.WithValue(ctx, liveKey{}, live), live
}

// watch sees every statement that writes, also those outside of an action.
func (s *Store) watch() error {
	changed := func(tx *gorm.DB) {
		s.generation.Add(1)
		if tx.Statement.Table != liveTable {
			s.records.Add(1)
			s.touched.Store(true)
		}
		if err := s.gone(); err != nil { // whoever saves outside of an action is told too
			_ = tx.AddError(err)
		}
	}
	looked := func(tx *gorm.DB) {
		if live, ok := tx.Statement.Context.Value(liveKey{}).(*atomic.Bool); ok &&
			strings.Contains(tx.Statement.SQL.String(), liveTable) {
			live.Store(true)
		}
	}
	cb := s.DB.Callback()
	return errors.Join(cb.Query().After("gorm:query").Register("pandrel:looked", looked),
		cb.Row().After("gorm:row").Register("pandrel:looked", looked),
		cb.Create().After("gorm:create").Register("pandrel:changed", changed),
		cb.Update().After("gorm:update").Register("pandrel:changed", changed),
		cb.Delete().After("gorm:delete").Register("pandrel:changed", changed),
		cb.Raw().After("gorm:raw").Register("pandrel:changed", changed))
}

// FileError says why a file is not used as a workshop's, and what to do. The file was not touched.
type FileError struct{ Path, Text, Do string }

func (e *FileError) Error() string { return fmt.Sprintf("%s: %s. %s", e.Path, e.Text, e.Do) }

const fromBackup = "Nothing was changed. Put a backup in its place with: pandrel restore FILE"

// Open opens the workshop file in dir, or makes one where there is none, and brings its tables up to date. A file that
// is damaged, of another program, or of a newer Pandrel is left as it is: the error is a FileError.
func Open(dir string) (*Store, error) {
	path := filepath.Join(dir, FileName)
	if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
		if info, err := os.Stat(path + "-wal"); err == nil && info.Size() > 0 {
			return nil, &FileError{path, "this file is gone, while the log of its last writes is still there",
				"Nothing was made or changed. Put the file back beside its log, or a backup in its place with: " +
					"pandrel restore FILE"}
		}
		if err := create(path); err != nil {
			return nil, Fault(path, err)
		}
	}
	if err := Check(path); err != nil {
		return nil, err
	}
	st, err := open(path)
	return st, Fault(path, err)
}

// create makes a new workshop beside path and moves it there when it is whole: what is killed half-way is no workshop.
func create(path string) error {
	half := path + ".new"
	for _, tail := range []string{"", "-wal", "-shm"} {
		if err := os.Remove(half + tail); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	st, err := open(half)
	if err != nil {
		return err
	}
	if err := st.Close(); err != nil {
		return err
	}
	return os.Rename(half, path)
}

// open opens a file that was checked, or a new one, and brings it up to date.
func open(path string) (*Store, error) {
	// SQLite makes its other files with the mode of this one.
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, fileMode)
	if err != nil {
		return nil, err
	}
	err = f.Chmod(fileMode)
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	name, err := address(path)
	if err != nil {
		return nil, err
	}
	// synchronous=FULL: what was acknowledged survives a power cut, not only a crash.
	dsn := name + "?_txlock=immediate&_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)" +
		"&_pragma=busy_timeout(10000)&_pragma=synchronous(FULL)"
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger:                 slowLog{},
		NowFunc:                func() time.Time { return time.Now().UTC() },
		SkipDefaultTransaction: true,
		PrepareStmt:            true, // parsing a statement takes longer than most of them take to run
		PrepareStmtMaxSize:     200,
	})
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	sqlDB, err := db.DB()
	if err != nil {
		return nil, err
	}
	sqlDB.SetMaxOpenConns(9)
	sqlDB.SetMaxIdleConns(9)
	st := &Store{DB: db, path: path, turn: make(chan struct{}, 1)}
	if err := st.watch(); err != nil {
		return nil, errors.Join(err, st.Close())
	}
	if !current(db) { // a second program on a file at work does not wait for a moment without a writer
		if err := bringUp(db); err != nil {
			return nil, errors.Join(fmt.Errorf("bring %s up to date: %w", path, err), st.Close())
		}
	}
	if err := st.keep(sqlDB); err != nil {
		return nil, errors.Join(err, st.Close())
	}
	return st, nil
}

// bringUp makes the tables of the newest migration and marks the file as a workshop's.
func bringUp(db *gorm.DB) error {
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 64,
		UseTransaction: true}, migrations)
	if err := m.Migrate(); err != nil {
		return err
	}
	return db.Exec(fmt.Sprintf("PRAGMA application_id = %d", applicationID)).Error
}

// keep holds a connection open that has read once, and notes which files are open with it.
func (s *Store) keep(db *sql.DB) (err error) {
	if s.keeper, err = db.Conn(context.Background()); err != nil {
		return err
	}
	var n int
	if err := s.keeper.QueryRowContext(context.Background(), "SELECT count(*) FROM migrations").Scan(&n); err != nil {
		return err
	}
	return s.present()
}

// current reports whether the file is a workshop's with the tables of the newest migration.
func current(db *gorm.DB) bool {
	var tables, n int64
	var id int
	if err := db.Raw("SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = 'migrations'").Scan(
		&tables).Error; err != nil || tables == 0 {
		return false
	}
	newest := migrations[len(migrations)-1].ID
	return db.Raw("SELECT count(*) FROM migrations WHERE id = ?", newest).Scan(&n).Error == nil && n == 1 &&
		db.Raw("PRAGMA application_id").Scan(&id).Error == nil && id == applicationID
}

// address is a path as SQLite takes it, whatever signs it holds: ?, # and % mean something in an address.
func address(path string) (string, error) {
	whole, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	whole = filepath.ToSlash(whole)
	if !strings.HasPrefix(whole, "/") { // a drive's letter
		whole = "/" + whole
	}
	return (&url.URL{Scheme: "file", Path: whole}).String(), nil
}

// Check fails with a FileError where the file at path is not a workshop that this program may write to: not a
// database, damaged, of another program, or of a newer Pandrel. It changes nothing.
func Check(path string) error {
	if err := checkHead(path); err != nil {
		return err
	}
	name, err := address(path)
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite", name+"?_pragma=query_only(1)&_pragma=busy_timeout(10000)")
	if err != nil {
		return err
	}
	defer db.Close()
	if err := checkOwner(db, path); err != nil {
		return err
	}
	var says string
	if err := db.QueryRow("PRAGMA quick_check(1)").Scan(&says); err != nil {
		return Fault(path, err)
	}
	if says != "ok" {
		return damaged(path, says)
	}
	return nil
}

// checkHead looks at the first bytes, before SQLite does: an empty file would be taken for a new database.
func checkHead(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return Fault(path, err)
	}
	defer f.Close()
	head := make([]byte, 100)
	n, err := io.ReadFull(f, head)
	switch {
	case n == 0:
		return &FileError{path, "the file is empty", fromBackup}
	case err != nil || !bytes.HasPrefix(head, []byte("SQLite format 3\x00")):
		return &FileError{path, "this is not a workshop", fromBackup}
	}
	return nil
}

// checkOwner tells a workshop from other databases, and one that this program knows from a newer one.
func checkOwner(db *sql.DB, path string) error {
	var id int
	if err := db.QueryRow("PRAGMA application_id").Scan(&id); err != nil {
		return Fault(path, err)
	}
	other := &FileError{path, "this is the database of another program", fromBackup}
	if id != applicationID && id != 0 {
		return other
	}
	done, err := doneMigrations(db)
	if err != nil && !strings.Contains(err.Error(), "no such table") {
		return Fault(path, err)
	}
	if err != nil || len(done) == 0 || done[0] != migrations[0].ID {
		return other // before the files were marked, every workshop had its first migration
	}
	known := map[string]bool{}
	for _, m := range migrations {
		known[m.ID] = true
	}
	for _, d := range done {
		if !known[d] {
			return &FileError{path, "this workshop was written by a newer Pandrel (it knows " + clip(d) + ")",
				"Start that one. Nothing was changed."}
		}
	}
	return nil
}

func doneMigrations(db *sql.DB) (ids []string, err error) {
	rows, err := db.QueryContext(context.Background(), "SELECT id FROM migrations ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, rows.Err()
}

// Close closes the file.
func (s *Store) Close() error {
	db, err := s.DB.DB()
	if err != nil {
		return err
	}
	if s.keeper != nil {
		err = s.keeper.Close()
	}
	return errors.Join(err, db.Close())
}
