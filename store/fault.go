package store

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// Fault is an error of the file at path as a person is told it: what stands in the way, and what to do. Only what the
// database itself calls damaged is called so. Errors that are not of the file stay as they are.
func Fault(path string, err error) error {
	var fe *FileError
	if err == nil || errors.As(err, &fe) {
		return err
	}
	const stays = "What was saved before is still there"
	full := &FileError{path, "the disk is full", stays + ". Free some space on it, then try again."}
	locked := &FileError{path, "the file, or the folder it lies in, cannot be written to",
		stays + ". Let this account write there, or choose another folder with --data."}
	switch {
	case errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT):
		return full
	case errors.Is(err, fs.ErrPermission) || errors.Is(err, syscall.EROFS):
		return locked
	}
	var se *sqlite.Error
	if !errors.As(err, &se) {
		return err
	}
	switch se.Code() & 0xFF {
	case lib.SQLITE_FULL:
		return full
	case lib.SQLITE_READONLY, lib.SQLITE_CANTOPEN, lib.SQLITE_PERM, lib.SQLITE_AUTH:
		return locked
	case lib.SQLITE_IOERR:
		return &FileError{path, "the disk does not read or write as it should (" + clip(err.Error()) + ")",
			stays + " as far as the disk can tell. See whether it is full, its cable, and whether its folder is " +
				"reachable; then try again."}
	case lib.SQLITE_BUSY, lib.SQLITE_LOCKED:
		return &FileError{path, "another program holds the file", "End that one, then try again."}
	case lib.SQLITE_CORRUPT, lib.SQLITE_NOTADB:
		return damaged(path, err.Error())
	}
	return err
}

func damaged(path, says string) error {
	return &FileError{path, "the file is damaged (" + clip(says) + ")", fromBackup}
}

// presence is one of the files that are open, the workshop's or one of the two that its database writes beside it, as
// it was found when it was opened.
type presence struct {
	path string
	info os.FileInfo
}

// present notes which files are open.
func (s *Store) present() error {
	for _, tail := range []string{"", "-wal", "-shm"} {
		info, err := os.Stat(s.path + tail)
		if err != nil {
			return Fault(s.path, err)
		}
		s.files = append(s.files, presence{s.path + tail, info})
	}
	return nil
}

// Here fails where the workshop's file was deleted, moved or exchanged while it is open, or the log of its writes was:
// what is saved then goes into something that nobody will find again.
func (s *Store) Here() error {
	for _, f := range s.files {
		info, err := os.Stat(f.path)
		switch {
		case err == nil && os.SameFile(info, f.info):
			continue
		case err != nil && !errors.Is(err, fs.ErrNotExist):
			return Fault(f.path, fmt.Errorf("see whether the file is there: %w", err))
		}
		what := "was deleted or moved away"
		if err == nil {
			what = "was exchanged for another one"
		}
		return &FileError{f.path, "this file " + what + " while Pandrel was working with it: nothing can be saved",
			"What was saved before stands in the file that is gone. Stop Pandrel, put the file or a backup back, " +
				"and start it again. Note on paper what is measured until then."}
	}
	return nil
}
