package store

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"
)

// JSON is a column that holds a value of the core as JSON text, "" for none. The text is read when it is asked
// for: a list of banks does not unpack their designs.
type JSON[T any] struct{ text string }

// JSONOf is a column with v in it.
func JSONOf[T any](v T) JSON[T] {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // only plain core values are kept
	}
	return JSON[T]{string(b)}
}

// Set reports whether the column holds anything.
func (j JSON[T]) Set() bool { return j.text != "" }

// Get reads the value, the zero value where the column holds nothing.
func (j JSON[T]) Get() (v T, err error) {
	if j.text == "" {
		return v, nil
	}
	if err = json.Unmarshal([]byte(j.text), &v); err != nil {
		return v, fmt.Errorf("a kept %T cannot be read: %w", v, err)
	}
	return v, nil
}

// Value is the text as the database keeps it.
func (j JSON[T]) Value() (driver.Value, error) { return j.text, nil }

// Scan takes the text from the database.
func (j *JSON[T]) Scan(src any) error {
	switch x := src.(type) {
	case nil:
		j.text = ""
	case string:
		j.text = x
	case []byte:
		j.text = string(x)
	default:
		return fmt.Errorf("%T: expected text", src)
	}
	return nil
}

// Raw is a column that holds a value of any of several types, as JSON.
func Raw(v any) (JSON[json.RawMessage], error) {
	b, err := json.Marshal(v)
	return JSON[json.RawMessage]{string(b)}, err
}

// Read reads one of several types from a column; the zero value where it holds nothing.
func Read[T any](j JSON[json.RawMessage]) (T, error) { return JSON[T](j).Get() }
