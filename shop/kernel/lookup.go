package kernel

import (
	"strings"

	"gorm.io/gorm"

	"pandrel/store"
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

// Take returns the first row of a query, or missing where there is none.
func Take[T any](q *gorm.DB, missing error) (T, error) {
	row, ok, err := Find[T](q)
	if err == nil && !ok {
		err = missing
	}
	return row, err
}

// ByID returns a row by its id; what names it to a person where there is none.
func ByID[T any](db *gorm.DB, id int64, what string) (T, error) {
	return Take[T](db.Where("id = ?", id), Missing("%s %d", what, id))
}

// ModuleByNumber finds a module by its number, in any case.
func ModuleByNumber(db *gorm.DB, number string) (store.Module, error) {
	return Take[store.Module](db.Where("number = ? COLLATE NOCASE", strings.TrimSpace(number)),
		Missing("module %s", number))
}

// TypeByID finds a module type.
func TypeByID(db *gorm.DB, id int64) (store.ModuleType, error) {
	return ByID[store.ModuleType](db, id, "module type")
}

// NameFree fails where another row of a table with names has the name already, in any case; but is the row itself.
func NameFree[T any](tx *gorm.DB, what, name string, but int64) error {
	var same []string
	q := tx.Model(new(T)).Where("name = ? COLLATE NOCASE AND id <> ?", name, but)
	if err := q.Limit(1).Pluck("name", &same).Error; err != nil {
		return err
	}
	if len(same) > 0 {
		return Bad("name", "there is a %s %s already", what, same[0])
	}
	return nil
}
