package kernel

import (
	"context"
	"crypto/sha256"
	"errors"
	"strings"

	"gorm.io/gorm"
)

// PutAside keeps a file that was read and is not saved yet, of at most so many bytes, and returns the name under which
// SetAside finds it. A file that is then not saved stays: nothing that was sent is lost by pressing the wrong button.
func (k *Kernel) PutAside(ctx context.Context, data []byte, most int) (sha string, err error) {
	if err := Fits(data, most); err != nil {
		return "", err
	}
	err = k.Store.Write(ctx, func(tx *gorm.DB) error {
		sha, err = KeepBlob(tx, data)
		return err
	})
	return sha, err
}

// Fits refuses a file that is larger than so many bytes.
func Fits(data []byte, most int) error {
	if len(data) > most {
		return Bad("file", "the file has %.0f MiB: expected at most %d MiB", float64(len(data))/(1<<20), most>>20)
	}
	return nil
}

// SetAside returns a file that was put aside.
func (k *Kernel) SetAside(ctx context.Context, sha string) ([]byte, error) {
	if len(sha) != 2*sha256.Size || strings.Trim(sha, "0123456789abcdef") != "" {
		return nil, Bad("file", "choose the file again")
	}
	data, err := Blob(k.Store.DB.WithContext(ctx), sha)
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, Bad("file", "choose the file again")
	}
	return data, err
}
