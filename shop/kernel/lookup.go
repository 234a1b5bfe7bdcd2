package kernel

import (
	"errors"

	"gorm.io/gorm"
)

// Find returns the first row of a query; ok is false where there is none. Only a missing row is missing:
// any other failure of the database is an error.
func Find[T any](q *gorm.DB) (row T, ok bool, err error) {
	var rows []T
	if err := q.Limit(1).Find(&rows).Error; err != nil {
		return row, false, err
	}
	if len(rows) == 0 {
		return row, false, nil
	}
	return rows[0], true, nil
}

// OrMissing turns a missing row into what it means to the person, and leaves other failures as they are.
func OrMissing(err, missing error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return missing
	}
	return err
}
