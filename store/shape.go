package store

import (
	"cmp"
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// shapeOf lists what a database is made of besides its rows: tables, indexes, views and triggers by kind and name, with
// the statement that made each.
func shapeOf(db *sql.DB) (map[string]string, error) {
	rows, err := db.Query("SELECT type || ' ' || name, coalesce(sql, '') FROM sqlite_master " +
		"WHERE name NOT LIKE 'sqlite\\_%' ESCAPE '\\' AND name <> 'migrations'")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[string]string{}
	for rows.Next() {
		var name, text string
		if err := rows.Scan(&name, &text); err != nil {
			return nil, err
		}
		out[name] = strings.Join(strings.Fields(text), " ")
	}
	return out, rows.Err()
}

// checkShape fails with a FileError where the workshop at path is not made as this program makes one with the same
// migrations: a trigger, a view, a table or a column more or less could change what is read or written unseen.
func checkShape(path string) error {
	name, err := address(path)
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite", name+"?_pragma=query_only(1)&_pragma=trusted_schema(0)")
	if err != nil {
		return err
	}
	defer db.Close()
	done, err := doneMigrations(db)
	if err != nil {
		return Fault(path, err)
	}
	for i, id := range done {
		if i >= len(migrations) || migrations[i].ID != id {
			return other(path, "its tables were made in another order")
		}
	}
	is, err := shapeOf(db)
	if err != nil {
		return Fault(path, err)
	}
	should, err := madeBy(done[len(done)-1])
	if err != nil {
		return err
	}
	for _, name := range named(is) {
		text := is[name]
		if want, ours := should[name]; !ours {
			return other(path, "it has a "+clip(name)+" of its own")
		} else if want != text {
			return other(path, "its "+clip(name)+" is not as a workshop has it")
		}
	}
	for _, name := range named(should) {
		if _, there := is[name]; !there {
			return other(path, "it has no "+name)
		}
	}
	return nil
}

// named are the names of a shape, tables first: what belongs to one goes with it.
func named(shape map[string]string) []string {
	return slices.SortedFunc(maps.Keys(shape), func(a, b string) int {
		isTable := func(s string) int {
			if strings.HasPrefix(s, "table ") {
				return 0
			}
			return 1
		}
		return cmp.Or(cmp.Compare(isTable(a), isTable(b)), cmp.Compare(a, b))
	})
}

func other(path, why string) error {
	return &FileError{path, "this is not a workshop as Pandrel makes it: " + why,
		"Nothing was changed. Take another backup; if it came from elsewhere, do not trust what it says."}
}

// madeBy is what a new workshop is made of once the migration with this name is done.
func madeBy(id string) (map[string]string, error) {
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: ":memory:"}),
		&gorm.Config{Logger: logger.Discard})
	if err != nil {
		return nil, err
	}
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	defer raw.Close()
	raw.SetMaxOpenConns(1) // each connection would be a database of its own
	m := gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id",
		IDColumnSize: 64}, migrations)
	if err := m.MigrateTo(id); err != nil {
		return nil, fmt.Errorf("make the tables to compare with: %w", err)
	}
	return shapeOf(raw)
}
