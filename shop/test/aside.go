package test

import (
	"context"
	"crypto/sha256"
	"errors"
	"strings"

	"gorm.io/gorm"

	"pandrel/shop/kernel"
)

// MaxLogBytes is the largest log that is taken.
const MaxLogBytes = 64 << 20

// PutAside keeps a log that was read and is not saved yet, and returns the name under which SetAside finds it.
// A file that is then not saved stays: nothing that was sent is lost by pressing the wrong button.
func (s *Room) PutAside(ctx context.Context, data []byte) (sha string, err error) {
	if len(data) > MaxLogBytes {
		return "", kernel.Bad("file", "the file has %.0f MiB: expected at most %d MiB", float64(len(data))/(1<<20),
			MaxLogBytes>>20)
	}
	err = s.Store.Write(ctx, func(tx *gorm.DB) error {
		sha, err = kernel.KeepBlob(tx, data)
		return err
	})
	return sha, err
}

// SetAside returns a file that was put aside.
func (s *Room) SetAside(ctx context.Context, sha string) ([]byte, error) {
	if len(sha) != 2*sha256.Size || strings.Trim(sha, "0123456789abcdef") != "" {
		return nil, kernel.Bad("file", "choose the file again")
	}
	data, err := kernel.Blob(s.Store.DB.WithContext(ctx), sha)
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, kernel.Bad("file", "choose the file again")
	}
	return data, err
}
