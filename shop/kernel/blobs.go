package kernel

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"io"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/store"
)

// Hash is the name under which a file is kept.
func Hash(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Compressed makes a file ready for the table of blobs. A log of numbers gets a fifth smaller with the slowest
// setting than with the fastest, and takes five times as long: somebody waits for it.
func Compressed(data []byte) (store.Blob, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	if err != nil {
		return store.Blob{}, err
	}
	if _, err := z.Write(data); err != nil {
		return store.Blob{}, err
	}
	if err := z.Close(); err != nil {
		return store.Blob{}, err
	}
	return store.Blob{Sha256: Hash(data), Size: int64(len(data)), Gzip: b.Bytes()}, nil
}

// KeepBlob keeps a file in the table of blobs, once, and returns its name.
func KeepBlob(tx *gorm.DB, data []byte) (string, error) {
	b, err := Compressed(data)
	if err != nil {
		return "", err
	}
	return b.Sha256, tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&b).Error
}

// Blob returns a kept file.
func Blob(db *gorm.DB, sha string) ([]byte, error) {
	z, err := OpenBlob(db, sha)
	if err != nil {
		return nil, err
	}
	return io.ReadAll(z)
}

// OpenBlob reads a kept file piece by piece.
func OpenBlob(db *gorm.DB, sha string) (io.Reader, error) {
	var b store.Blob
	if err := db.Where("sha256 = ?", sha).Take(&b).Error; err != nil {
		return nil, err
	}
	return gzip.NewReader(bytes.NewReader(b.Gzip))
}
