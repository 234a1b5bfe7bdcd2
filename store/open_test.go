package store_test

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"pandrel/store"
)

func TestAFolderMayHaveAnyName(t *testing.T) {
	for _, name := range []string{"a?b=1", "50 % off", "row#3", "%41", "plain", "mode=memory&x", "Zählerstände"} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			dir := filepath.Join(root, name)
			if err := os.Mkdir(dir, 0o700); err != nil {
				t.Fatal(err)
			}
			st := open(t, dir)
			id := seed(t, st)
			if err := save(st, id, "one"); err != nil {
				t.Fatal(err)
			}
			if err := store.Backup(dir, filepath.Join(dir, "copy?#%.db")); err != nil {
				t.Error(err)
			}
			around, err := os.ReadDir(root)
			if err != nil || len(around) != 1 {
				t.Errorf("files beside the folder: %v, %v", around, err)
			}
			for _, f := range []string{store.FileName, "copy?#%.db"} {
				info, err := os.Stat(filepath.Join(dir, f))
				if err != nil || info.Mode().Perm() != 0o600 || info.Size() == 0 {
					t.Errorf("%s: %v, %v", f, info, err)
				}
			}
		})
	}
}

// foreign makes a database of some other program.
func foreign(t *testing.T, path string, statements ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, s := range statements {
		if _, err := db.Exec(s); err != nil {
			t.Fatal(err)
		}
	}
}

// torn is a workshop's file with its middle overwritten.
func torn(t *testing.T, path string) {
	t.Helper()
	dir := t.TempDir()
	st := open(t, dir)
	id := seed(t, st)
	for i := range 20 {
		if err := save(st, id, fmt.Sprint(i)); err != nil {
			t.Fatal(err)
		}
	}
	if err := st.Close(); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(filepath.Join(dir, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	for i := 4096; i < len(data); i += 64 {
		data[i] ^= 0x5A
	}
	if err := os.WriteFile(path, data, 0o600); err != nil {
		t.Fatal(err)
	}
}

func TestOnlyAWorkshopIsOpened(t *testing.T) {
	for _, c := range []struct {
		name string
		make func(t *testing.T, path string)
		says string
	}{
		{"an empty file", func(t *testing.T, p string) { _ = os.WriteFile(p, nil, 0o600) }, "empty"},
		{"a text", func(t *testing.T, p string) { _ = os.WriteFile(p, []byte("modules: 12\n"), 0o600) },
			"not a workshop"},
		{"a backup that broke off", func(t *testing.T, p string) {
			_ = os.WriteFile(p, []byte("SQLite format 3\x00"+strings.Repeat("\x00", 40)), 0o600)
		}, "not a workshop"},
		{"another program's database", func(t *testing.T, p string) {
			foreign(t, p, "CREATE TABLE songs (id)")
		}, "another program"},
		{"another program's, marked as its own", func(t *testing.T, p string) {
			foreign(t, p, "PRAGMA application_id = 77", "CREATE TABLE migrations (id TEXT)",
				"INSERT INTO migrations VALUES ('001-first')")
		}, "another program"},
		{"another program that migrates too", func(t *testing.T, p string) {
			foreign(t, p, "CREATE TABLE migrations (id TEXT)", "INSERT INTO migrations VALUES ('0001_initial')")
		}, "another program"},
		{"a newer workshop", func(t *testing.T, p string) {
			open(t, filepath.Dir(p))
			foreign(t, p, "INSERT INTO migrations VALUES ('999-of-next-year')")
		}, "newer Pandrel"},
		{"a damaged workshop", torn, "damaged"},
	} {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, store.FileName)
			c.make(t, path)
			before, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			_, err = store.Open(dir)
			var fe *store.FileError
			if !errors.As(err, &fe) || !strings.Contains(fe.Text, c.says) || fe.Do == "" {
				t.Errorf("opened: %v, expected %q", err, c.says)
			}
			if _, err := store.Restore(t.TempDir(), path, time.Now()); !errors.As(err, &fe) {
				t.Errorf("restored: %v", err)
			}
			after, err := os.ReadFile(path)
			if err != nil || string(after) != string(before) {
				t.Errorf("the file was changed, %v", err)
			}
		})
	}
}

// Files of before they were marked are marked when they are opened.
func TestAnOldWorkshopIsMarked(t *testing.T) {
	dir := old(t, "007")
	open(t, dir)
	foreign(t, filepath.Join(dir, store.FileName), "PRAGMA query_only = 1")
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var id int
	if err := db.QueryRow("PRAGMA application_id").Scan(&id); err != nil || id != 0x50414E44 {
		t.Errorf("%#x, %v", id, err)
	}
}

func TestABackupComesBack(t *testing.T) {
	dir, away := t.TempDir(), filepath.Join(t.TempDir(), "friday.db")
	st := open(t, dir)
	id := seed(t, st)
	if err := save(st, id, "kept"); err != nil {
		t.Fatal(err)
	}
	if err := store.Backup(dir, away); err != nil {
		t.Fatal(err)
	}
	if err := store.Backup(dir, away); err == nil || !strings.Contains(err.Error(), "exists already") {
		t.Errorf("a backup was written over: %v", err)
	}
	if err := save(st, id, "after"); err != nil {
		t.Fatal(err)
	}
	unlock, err := store.Lock(dir)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := store.Restore(dir, away, time.Now()); err == nil || !strings.Contains(err.Error(), "serves") {
		t.Errorf("restored under a running server: %v", err)
	}
	if err := errors.Join(unlock(), st.Close()); err != nil {
		t.Fatal(err)
	}
	kept, err := store.Restore(dir, away, time.Now())
	if err != nil || kept == "" {
		t.Fatal(kept, err)
	}
	count := func(dir string) (n int64) {
		open(t, dir).DB.Model(&store.Survey{}).Count(&n)
		return n
	}
	if n := count(dir); n != 1 {
		t.Errorf("restored: %d surveys, expected the one of the backup", n)
	}
	aside := t.TempDir()
	for _, tail := range []string{"", "-wal"} {
		if err := store.Copy(kept+tail, filepath.Join(aside, store.FileName)+tail); err != nil && tail == "" {
			t.Fatal(err)
		}
	}
	if n := count(aside); n != 2 {
		t.Errorf("what was there before holds %d surveys, expected both", n)
	}
}

func TestABackupThatFailsLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	open(t, dir)
	for name, file := range map[string]string{"no such folder": filepath.Join(dir, "none", "b.db"), "a folder": dir} {
		t.Run(name, func(t *testing.T) {
			if err := store.Backup(dir, file); err == nil {
				t.Error("no error")
			}
		})
	}
	if left, _ := filepath.Glob(filepath.Join(filepath.Dir(dir), "*.part")); len(left) > 0 {
		t.Error(left)
	}
}

func TestTidyTakesAwayWhatNeverBecameWhole(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "[a]*")
	if err := os.Mkdir(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{"friday.db.part", store.FileName + ".new", "friday.db", "notes.txt"} {
		if err := os.WriteFile(filepath.Join(dir, f), []byte("x"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := store.Tidy(dir); err != nil {
		t.Fatal(err)
	}
	left, _ := os.ReadDir(dir)
	if len(left) != 2 || left[0].Name() != "friday.db" || left[1].Name() != "notes.txt" {
		t.Error(left)
	}
}

// Fifty people who save at once all get through, and nobody waits for long. Not timed: the benchmark is beside it.
func TestWritersTakeTurns(t *testing.T) {
	st := open(t, t.TempDir())
	id := seed(t, st)
	var wg sync.WaitGroup
	errs := make(chan error, 50)
	for i := range 50 {
		wg.Go(func() { errs <- save(st, id, fmt.Sprint("w", i)) })
	}
	wg.Wait()
	close(errs)
	for err := range errs {
		if err != nil {
			t.Error(err)
		}
	}
	var n int64
	st.DB.Model(&store.Survey{}).Count(&n)
	if n != 50 {
		t.Errorf("%d saved", n)
	}
}

// BenchmarkFiftyWriters reports how long the slowest of fifty who save at once waits.
func BenchmarkFiftyWriters(b *testing.B) {
	st := open(b, b.TempDir())
	id := seed(b, st)
	worst := time.Duration(0)
	round := 0
	for b.Loop() {
		round++
		var wg sync.WaitGroup
		var lock sync.Mutex
		for i := range 50 {
			wg.Go(func() {
				begin := time.Now()
				if err := save(st, id, fmt.Sprint(round, "-", i)); err != nil {
					b.Error(err)
				}
				lock.Lock()
				worst = max(worst, time.Since(begin))
				lock.Unlock()
			})
		}
		wg.Wait()
	}
	b.ReportMetric(float64(worst.Milliseconds()), "ms-slowest")
}
