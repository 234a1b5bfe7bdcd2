package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"gorm.io/gorm"

	"pandrel/store"
)

// fileError is the FileError within err, nil for none.
func fileError(err error) *store.FileError {
	var fe *store.FileError
	if errors.As(err, &fe) {
		return fe
	}
	return nil
}

// What is acknowledged can be found again: when the file, its folder or the log of its writes is taken away or
// exchanged under the program, the next save says so, inside of an action and outside.
func TestNothingIsAcknowledgedIntoNothing(t *testing.T) {
	for _, c := range []struct {
		name string
		take func(t *testing.T, dir, path string)
		says string
	}{
		{"deleted", func(t *testing.T, _, path string) { must(t, os.Remove(path)) }, "deleted"},
		{"moved away", func(t *testing.T, _, path string) { must(t, os.Rename(path, path+".old")) }, "moved"},
		{"exchanged for a copy", func(t *testing.T, _, path string) {
			must(t, store.Copy(path, path+".copy"))
			must(t, os.Rename(path+".copy", path))
		}, "exchanged"},
		{"its log deleted", func(t *testing.T, _, path string) { must(t, os.Remove(path+"-wal")) }, "deleted"},
		{"its log exchanged", func(t *testing.T, _, path string) {
			must(t, os.WriteFile(path+".new", nil, 0o600))
			must(t, os.Rename(path+".new", path+"-wal"))
		}, "exchanged"},
		{"the index of its log deleted", func(t *testing.T, _, path string) { must(t, os.Remove(path+"-shm")) },
			"deleted"},
		{"its folder deleted", func(t *testing.T, dir, _ string) { must(t, os.RemoveAll(dir)) }, "deleted"},
		{"its folder exchanged", func(t *testing.T, dir, _ string) {
			must(t, os.Rename(dir, dir+"-old"))
			must(t, os.Mkdir(dir, 0o700))
		}, "deleted or moved"},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			dir := filepath.Join(t.TempDir(), "workshop")
			must(t, os.Mkdir(dir, 0o700))
			st := open(t, dir)
			id := seed(t, st)
			must(t, save(st, id, "before"))
			must(t, st.Here())
			c.take(t, dir, filepath.Join(dir, store.FileName))
			for i := range 3 {
				fe := fileError(save(st, id, fmt.Sprint("after ", i)))
				if fe == nil || !strings.Contains(fe.Text, c.says) || fe.Do == "" ||
					!strings.Contains(fe.Text, "nothing can be saved") {
					t.Fatalf("%+v: expected %q", fe, c.says)
				}
			}
			if fe := fileError(st.DB.Create(&store.Lot{Supplier: "A", CreatedAt: time.Now()}).Error); fe == nil {
				t.Error("a row outside of an action was acknowledged")
			}
			if fileError(st.Here()) == nil {
				t.Error("nobody else is told")
			}
		})
	}
}

// Who puts the very file back can go on.
func TestAFileThatComesBackIsThere(t *testing.T) {
	dir := t.TempDir()
	st := open(t, dir)
	id, path := seed(t, st), filepath.Join(dir, store.FileName)
	must(t, os.Rename(path, path+".old"))
	if save(st, id, "a") == nil {
		t.Fatal("acknowledged")
	}
	must(t, os.Rename(path+".old", path))
	must(t, save(st, id, "b"))
	var n int64
	must(t, open(t, dir).DB.Model(&store.Survey{}).Count(&n).Error)
	if n != 1 {
		t.Errorf("%d surveys: expected the acknowledged one", n)
	}
}

// A workshop whose file was taken away while it was at work is not begun anew beside the log of its writes.
func TestALogWithoutItsFileIsNotBegunAnew(t *testing.T) {
	dir := t.TempDir()
	must(t, os.WriteFile(filepath.Join(dir, store.FileName+"-wal"), []byte("frames"), 0o600))
	if _, err := store.Open(dir); fileError(err) == nil || !strings.Contains(err.Error(), "is gone") {
		t.Errorf("%v", err)
	}
	if _, err := os.Stat(filepath.Join(dir, store.FileName)); err == nil {
		t.Error("a new one was made")
	}
}

// A backup that takes the place of a workshop whose file is gone does not take over the log of its last writes.
func TestABackupTakesOverNoLog(t *testing.T) {
	dir, away := t.TempDir(), filepath.Join(t.TempDir(), "b.db")
	path := filepath.Join(dir, store.FileName)
	st := open(t, dir)
	id := seed(t, st)
	must(t, save(st, id, "in the backup"))
	must(t, store.Backup(dir, away))
	must(t, save(st, id, "after it"))
	log, err := os.ReadFile(path + "-wal")
	must(t, err)
	must(t, st.Close())
	must(t, os.Remove(path))
	must(t, os.WriteFile(path+"-wal", log, 0o600)) // as it lies there after the program was killed
	if _, err := store.Restore(dir, away, time.Now()); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadFile(path + "-wal"); err == nil && len(left) > 0 {
		t.Error("the old log lies beside the backup")
	}
	var n int64
	must(t, open(t, dir).DB.Model(&store.Survey{}).Count(&n).Error)
	if n != 1 {
		t.Errorf("%d surveys: expected the one of the backup", n)
	}
}

// The collector of what is written, and the end of connections, leave the log of writes the file it is.
func TestTheLogOfWritesStays(t *testing.T) {
	dir := t.TempDir()
	st := open(t, dir)
	id := seed(t, st)
	raw, err := st.DB.DB()
	must(t, err)
	for i := range 30 {
		must(t, save(st, id, fmt.Sprint(i)))
		switch i % 3 {
		case 0:
			must(t, st.DB.Exec("PRAGMA wal_checkpoint(TRUNCATE)").Error)
		case 1:
			raw.SetMaxIdleConns(1)
		default:
			ctx, cancel := context.WithCancel(context.Background())
			cancel()
			_ = st.Write(ctx, func(*gorm.DB) error { return nil })
			raw.SetMaxIdleConns(9)
		}
	}
	must(t, st.Here())
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// There is no second server, whatever becomes of the lock's file, and by whatever way the folder is reached.
func TestASecondServerIsRefused(t *testing.T) {
	for _, c := range []struct {
		name string
		way  func(t *testing.T, dir string) string
	}{
		{"as it is", func(_ *testing.T, dir string) string { return dir }},
		{"the lock's file deleted", func(t *testing.T, dir string) string {
			must(t, os.Remove(filepath.Join(dir, "workshop.lock")))
			return dir
		}},
		{"the lock's file exchanged", func(t *testing.T, dir string) string {
			must(t, os.WriteFile(filepath.Join(dir, "new"), nil, 0o600))
			must(t, os.Rename(filepath.Join(dir, "new"), filepath.Join(dir, "workshop.lock")))
			return dir
		}},
		{"by a link to the folder", func(t *testing.T, dir string) string {
			must(t, os.Symlink(dir, dir+"-link"))
			return dir + "-link"
		}},
		{"from a folder with a link to the file", func(t *testing.T, dir string) string {
			there := t.TempDir()
			must(t, os.Symlink(filepath.Join(dir, store.FileName), filepath.Join(there, store.FileName)))
			return there
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			dir := filepath.Join(t.TempDir(), "w")
			must(t, os.Mkdir(dir, 0o700))
			open(t, dir)
			unlock, err := store.Lock(dir)
			must(t, err)
			way := c.way(t, dir)
			if _, err := store.Lock(way); fileError(err) == nil {
				t.Errorf("a second one may serve: %v", err)
			}
			must(t, unlock())
			again, err := store.Lock(way)
			must(t, err)
			must(t, again())
		})
	}
}

// raw opens a database file as any program may.
func raw(t *testing.T, path, more string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path+more)
	must(t, err)
	t.Cleanup(func() { _ = db.Close() })
	db.SetMaxOpenConns(1)
	return db
}

// What stands in the way is called what it is: only a damaged file is called damaged.
func TestFaultsAreCalledWhatTheyAre(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.db")
	db := raw(t, path, "")
	exec := func(db *sql.DB, stmts ...string) (err error) {
		for _, s := range stmts {
			_, err = db.Exec(s)
		}
		return err
	}
	must(t, exec(db, "CREATE TABLE a (x)"))
	big := "INSERT INTO a VALUES (randomblob(100000))"
	notADatabase := filepath.Join(t.TempDir(), "b.db")
	must(t, os.WriteFile(notADatabase, []byte(strings.Repeat("no database ", 200)), 0o600))
	for _, c := range []struct {
		name, says string
		err        error
		damaged    bool
	}{
		{"no room, as the database sees it", "disk is full", exec(db, "PRAGMA max_page_count = 3", big), false},
		{"no room, as the system sees it", "disk is full", fmt.Errorf("write: %w", syscall.ENOSPC), false},
		{"no room left to this account", "disk is full", &fs.PathError{Op: "write", Path: "x", Err: syscall.EDQUOT},
			false},
		{"read only", "cannot be written", exec(raw(t, path, "?mode=ro"), big), false},
		{"a folder that is not there", "cannot be written", exec(raw(t, path+".not/there.db", ""), big), false},
		{"no right to it", "cannot be written", &fs.PathError{Op: "open", Path: "x", Err: fs.ErrPermission}, false},
		{"a disk that is read only", "cannot be written", &fs.PathError{Op: "open", Path: "x", Err: syscall.EROFS},
			false},
		{"no database", "damaged", exec(raw(t, notADatabase, ""), "SELECT * FROM a"), true},
	} {
		t.Run(c.name, func(t *testing.T) {
			fe := fileError(store.Fault("workshop.db", c.err))
			if fe == nil || !strings.Contains(fe.Text, c.says) || fe.Do == "" {
				t.Fatalf("%v became %+v: expected %q", c.err, fe, c.says)
			}
			if got := strings.Contains(fe.Text+fe.Do, "backup"); got != c.damaged {
				t.Errorf("%s speaks of a backup: %v", fe, got)
			}
		})
	}
	plain := errors.New("something else")
	if got := store.Fault("a", plain); got != plain || store.Fault("a", nil) != nil {
		t.Errorf("%v", got)
	}
}

// A backup that holds more, less or other than this program makes is not put in the place of a workshop.
func TestOnlyWhatWeMakeIsRestored(t *testing.T) {
	dir, backup := t.TempDir(), filepath.Join(t.TempDir(), "b.db")
	st := open(t, dir)
	must(t, save(st, seed(t, st), "x"))
	must(t, store.Backup(dir, backup))
	for _, c := range []struct{ name, says, change string }{
		{"as it is", "", ""},
		{"a trigger more", "of its own", "CREATE TRIGGER quiet AFTER INSERT ON lots BEGIN DELETE FROM lots; END"},
		{"a trigger less", "has no trigger surveys_no_delete", "DROP TRIGGER surveys_no_delete"},
		{"a trigger that lets through", "is not as", "DROP TRIGGER surveys_no_delete | " +
			"CREATE TRIGGER surveys_no_delete BEFORE DELETE ON surveys WHEN 0 BEGIN SELECT RAISE(ABORT, 'no'); END"},
		{"a view more", "of its own", "CREATE VIEW everything AS SELECT * FROM lots"},
		{"a table more", "of its own", "CREATE TABLE songs (id)"},
		{"a table less", "has no table kept_workings", "DROP TABLE kept_workings"},
		{"a column more", "is not as", "ALTER TABLE lots ADD COLUMN song TEXT"},
		{"an index less", "has no index", "DROP INDEX modules_waiting"},
		{"a migration out of order", "another order", "DELETE FROM migrations WHERE id = '002-checks-and-isolation'"},
	} {
		t.Run(c.name, func(t *testing.T) {
			away := filepath.Join(t.TempDir(), "b.db")
			must(t, store.Copy(backup, away))
			db := raw(t, away, "")
			for _, stmt := range strings.Split(c.change, " | ") {
				if _, err := db.Exec(stmt); err != nil {
					t.Fatal(err)
				}
			}
			must(t, db.Close())
			there := t.TempDir()
			_, err := store.Restore(there, away, time.Now())
			if c.says == "" {
				must(t, err)
				return
			}
			if fe := fileError(err); fe == nil || !strings.Contains(fe.Text, c.says) {
				t.Errorf("%v: expected %q", err, c.says)
			}
			if _, err := os.Stat(filepath.Join(there, store.FileName)); err == nil {
				t.Error("it lies in its place")
			}
		})
	}
}
