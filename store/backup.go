package store

import (
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"
)

// partTail ends the name of a copy that is not whole yet.
const partTail = ".part"

// Backup writes a consistent copy of the workshop in dir to file, also while others read and write. The file must not
// exist. It bears its name only once it is whole, on the disk, and checked.
func Backup(dir, file string) error {
	path := filepath.Join(dir, FileName)
	if err := checkHead(path); err != nil {
		return err
	}
	name, err := address(path)
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite", name+"?_pragma=busy_timeout(10000)")
	if err != nil {
		return err
	}
	defer db.Close()
	if err := checkOwner(db, path); err != nil {
		return err
	}
	if err := absent(file); err != nil {
		return err
	}
	part := file + partTail
	if err := os.Remove(part); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	// SQLite takes an empty file as a place to write to: made here, nobody else can read it.
	f, err := os.OpenFile(part, os.O_CREATE|os.O_EXCL|os.O_WRONLY, fileMode)
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	if _, err := db.Exec("VACUUM INTO ?", part); err != nil {
		return errors.Join(Fault(file, fmt.Errorf("write %s: %w", file, err)), os.Remove(part))
	}
	return settle(part, file)
}

// settle checks a finished copy, sees it onto the disk, and gives it its name.
func settle(part, file string) error {
	err := Check(part)
	if err == nil {
		err = toDisk(part)
	}
	if err == nil {
		err = absent(file)
	}
	if err == nil {
		err = os.Rename(part, file)
	}
	if err != nil {
		return errors.Join(err, os.Remove(part))
	}
	return toDisk(filepath.Dir(file))
}

func absent(file string) error {
	if _, err := os.Stat(file); err == nil {
		return fmt.Errorf("%s exists already: expected a new file", file)
	}
	return nil
}

func toDisk(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	if info, err := f.Stat(); err == nil && info.IsDir() {
		_ = f.Sync() // some systems cannot do this for a folder
		return nil
	}
	return f.Sync()
}

// Lock keeps the workshop in dir for one server: it fails where another one has it. The lock is the system's, so it is
// gone with the program, however that ends. A file can be deleted under it, and the next one would lock another: where
// the system can, the folder itself is locked too, and that in which the file really lies.
func Lock(dir string) (unlock func() error, err error) {
	var held []*flock.Flock
	unlock = func() (err error) {
		for _, l := range held {
			err = errors.Join(err, l.Unlock())
		}
		return err
	}
	file := flock.New(filepath.Join(dir, "workshop.lock"), flock.SetPermissions(fileMode))
	ok, err := file.TryLock()
	if err != nil {
		return nil, Fault(file.Path(), err)
	}
	held = append(held, file)
	for _, folder := range folders(dir) {
		if !ok {
			break
		}
		l := flock.New(folder, flock.SetFlag(os.O_RDONLY))
		// Some systems cannot lock a folder; there an open file cannot be deleted.
		if got, err := l.TryLock(); err == nil {
			ok = got
			held = append(held, l)
		}
	}
	if !ok {
		return nil, errors.Join(&FileError{dir, "another Pandrel serves this workshop",
			"Use that one, or stop it first."}, unlock())
	}
	return unlock, nil
}

// folders are dir, and where its workshop is a link the folder that it leads to.
func folders(dir string) []string {
	real, err := filepath.EvalSymlinks(filepath.Join(dir, FileName))
	if err != nil {
		return []string{dir}
	}
	there := filepath.Dir(real)
	a, aerr := os.Stat(dir)
	b, berr := os.Stat(there)
	if aerr != nil || berr != nil || os.SameFile(a, b) {
		return []string{dir}
	}
	return []string{dir, there}
}

// Restore puts a backup in the place of the workshop in dir. What was there is kept beside it under the returned name,
// "" where there was nothing. The backup is checked before anything is touched, and stays as it is: it must be made as
// this program makes a workshop, with nothing of somebody else's in it.
func Restore(dir, backup string, now time.Time) (kept string, err error) {
	if err := Check(backup); err != nil {
		return "", err
	}
	if err := checkShape(backup); err != nil {
		return "", err
	}
	unlock, err := Lock(dir)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, unlock()) }()
	path := filepath.Join(dir, FileName)
	part := path + partTail
	if err := Copy(backup, part); err != nil {
		return "", errors.Join(Fault(part, err), os.Remove(part))
	}
	if err := errors.Join(Check(part), toDisk(part)); err != nil {
		return "", errors.Join(err, os.Remove(part))
	}
	// The log of writes belongs to its file and goes with it, also where that file is gone: it must not be taken for
	// the log of the one that comes.
	aside := filepath.Join(dir, "workshop-before-"+now.UTC().Format("20060102-150405")+".db")
	if err := absent(aside); err != nil {
		return "", err
	}
	for _, tail := range []string{"-wal", "-shm", ""} {
		err := os.Rename(path+tail, aside+tail)
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return "", err
		}
		if err == nil && tail == "" {
			kept = aside
		}
	}
	if err := os.Rename(part, path); err != nil {
		return kept, err
	}
	return kept, toDisk(dir)
}

// Copy copies a file byte by byte.
func Copy(from, to string) (err error) {
	src, err := os.Open(from)
	if err != nil {
		return err
	}
	defer src.Close()
	dst, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, fileMode)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, dst.Close()) }()
	_, err = io.Copy(dst, src)
	return err
}

// Tidy removes what a killed program left in dir: copies that never became whole.
func Tidy(dir string) error {
	for _, pattern := range []string{"*" + partTail, FileName + ".new*"} {
		left, err := filepath.Glob(filepath.Join(escapeGlob(dir), pattern))
		if err != nil {
			return err
		}
		for _, f := range left {
			if err := os.Remove(f); err != nil {
				return err
			}
		}
	}
	return nil
}

// escapeGlob takes the meaning from the signs of a folder's name.
func escapeGlob(dir string) string {
	out := make([]rune, 0, len(dir))
	for _, r := range dir {
		switch r {
		case '*', '?', '[', '\\':
			if os.PathSeparator == '\\' {
				out = append(out, r)
				continue
			}
			out = append(out, '\\')
		}
		out = append(out, r)
	}
	return string(out)
}
