package kernel

import (
	"fmt"
	"strings"
	"sync"

	"gorm.io/gorm"
	"gorm.io/gorm/schema"

	"pandrel/store"
)

// Find returns the first row of a query; ok is false where there is none. Only a missing row is missing:
// any other failure of the database is an error.
func Find[T any](q *gorm.DB) (row T, ok bool, err error) {
	res := q.Limit(1).Find(&row)
	return row, res.RowsAffected > 0, res.Error
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

// Printed is the row that an address of an older workshop stands for: as it was called, and its number. In a workshop
// that never had another program the rows that q picks count in the order in which they came.
func Printed[T any](db, q *gorm.DB, as string, no int64) (T, error) {
	row, ok, err := Find[T](db.Where("was = ?", fmt.Sprintf("%s-%d", as, no)))
	if err != nil || ok {
		return row, err
	}
	return Take[T](q.Where("was = ''").Order("id").Offset(int(no)-1), Missing("what /%s/%d led to", as, no))
}

// ModuleByNumber finds a module by its number, in any case.
func ModuleByNumber(db *gorm.DB, number string) (store.Module, error) {
	return Take[store.Module](db.Where("number = ? COLLATE NOCASE", strings.TrimSpace(number)),
		Missing("module %s", number))
}

// both is a module with its type in one row.
type both struct {
	Module store.Module     `gorm:"embedded"`
	Type   store.ModuleType `gorm:"embedded;embeddedPrefix:t_"`
}

// columnsOfBoth lists the columns of a module, and of a type under the prefix. Worked out once.
var columnsOfBoth = sync.OnceValues(func() (string, error) {
	var out []string
	for _, c := range []struct {
		row           any
		table, prefix string
	}{{&store.Module{}, "m", ""}, {&store.ModuleType{}, "t", "t_"}} {
		s, err := schema.Parse(c.row, &sync.Map{}, schema.NamingStrategy{})
		if err != nil {
			return "", err
		}
		for _, name := range s.DBNames {
			out = append(out, c.table+"."+name+" AS "+c.prefix+name)
		}
	}
	return strings.Join(out, ", "), nil
})

// ModuleWithType finds a module by its number with its type. In one statement of its own, since live answers ask it at
// every keystroke.
func ModuleWithType(db *gorm.DB, number string) (store.Module, store.ModuleType, error) {
	columns, err := columnsOfBoth()
	if err != nil {
		return store.Module{}, store.ModuleType{}, err
	}
	var row both
	res := db.Raw("SELECT "+columns+" FROM modules m JOIN module_types t ON t.id = m.type_id "+
		"WHERE m.number = ? COLLATE NOCASE LIMIT 1", strings.TrimSpace(number)).Scan(&row)
	if res.Error == nil && res.RowsAffected == 0 {
		res.Error = Missing("module %s", number)
	}
	return row.Module, row.Type, res.Error
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
