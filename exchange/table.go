// Package exchange reads and writes the open formats of docs/formats.md: CSV and JSON in, core types out.
//
// Every error says where, what, and what was expected. Unknown columns and keys are ignored with a note.
package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"pandrel/core/base/numeral"
)

// Error is unusable input. Line is 0 where the whole file is meant.
type Error struct {
	Line int
	Text string
}

func (e *Error) Error() string {
	if e.Line > 0 {
		return fmt.Sprintf("line %d: %s", e.Line, e.Text)
	}
	return e.Text
}

func fail(line int, format string, args ...any) error {
	return &Error{line, fmt.Sprintf(format, args...)}
}

// table is a delimited file with a header, or with the expected columns in their order when the
// first line is data already.
type table struct {
	columns []string
	rows    [][]string
	lines   []int
	notes   []string
}

// readTable splits data by comma, semicolon or tab, whichever the first line has. want lists the
// columns in order; the first required ones must be there.
func readTable(data []byte, want []string, required int) (*table, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	expected := strings.Join(want[:required], ", ")
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, fail(0, "empty: expected a line of %s for each reading", expected)
	}
	if bytes.IndexByte(data, 0) >= 0 || !utf8.Valid(data) {
		return nil, fail(0, "not text: expected UTF-8 text with the columns %s", expected)
	}
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord, r.TrimLeadingSpace, r.LazyQuotes, r.Comma = -1, true, true, separator(data)
	t := &table{}
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			return nil, fail(pe.Line, "%v: expected plain columns %s", pe.Err, expected)
		} else if err != nil {
			return nil, fail(0, "%v", err)
		}
		for i := range rec {
			rec[i] = strings.TrimSpace(rec[i])
		}
		if len(rec) == 1 && rec[0] == "" {
			continue
		}
		line, _ := r.FieldPos(0)
		if t.columns == nil {
			if header(rec, want) {
				if err := t.setColumns(rec, want, required, line); err != nil {
					return nil, err
				}
				continue
			}
			if len(rec) < required {
				return nil, fail(line, "%s: expected %s", numeral.Count(len(rec), "column"), expected)
			}
			t.columns = want[:min(len(rec), len(want))]
		}
		if err := t.checkWidth(rec, line, r.Comma, required); err != nil {
			return nil, err
		}
		t.rows = append(t.rows, rec)
		t.lines = append(t.lines, line)
	}
	if len(t.rows) == 0 {
		return nil, fail(0, "no lines under the header: expected a line of %s for each reading", expected)
	}
	return t, nil
}

// separator is what parts the columns of a table, by its first line.
func separator(data []byte) rune {
	first, _, _ := bytes.Cut(bytes.TrimLeft(data, "\r\n"), []byte("\n"))
	for _, sep := range []rune{';', '\t'} {
		if bytes.ContainsRune(first, sep) {
			return sep
		}
	}
	return ','
}

// header reports whether the first line names columns.
func header(rec, want []string) bool {
	return slices.ContainsFunc(rec, func(f string) bool { return slices.Contains(want, strings.ToLower(f)) })
}

func (t *table) setColumns(rec, want []string, required, line int) error {
	t.columns = make([]string, len(rec))
	for i, f := range rec {
		name := strings.ToLower(f)
		if !slices.Contains(want, name) {
			t.notes = append(t.notes, fmt.Sprintf("column %q is not known and is ignored", f))
			continue
		}
		if slices.Contains(t.columns, name) {
			return fail(line, "column %s is there twice", name)
		}
		t.columns[i] = name
	}
	for _, name := range want[:required] {
		if !slices.Contains(t.columns, name) {
			return fail(line, "no column %s: expected %s", name, strings.Join(want[:required], ", "))
		}
	}
	return nil
}

func (t *table) checkWidth(rec []string, line int, sep rune, required int) error {
	for len(rec) > len(t.columns) && rec[len(rec)-1] == "" {
		rec = rec[:len(rec)-1]
	}
	if len(rec) > len(t.columns) {
		if sep == ',' {
			return fail(line, "%s where %d are expected: with a decimal comma the columns must be "+
				"separated by semicolons", numeral.Count(len(rec), "column"), len(t.columns))
		}
		return fail(line, "%s: expected %d", numeral.Count(len(rec), "column"), len(t.columns))
	}
	if len(rec) < required {
		return fail(line, "%s: expected %d", numeral.Count(len(rec), "column"), required)
	}
	return nil
}

// text returns a row's field, "" where the column or the field is missing.
func (t *table) text(row int, name string) string {
	i := slices.Index(t.columns, name)
	if i < 0 || i >= len(t.rows[row]) {
		return ""
	}
	return t.rows[row][i]
}

// number reads a field; ok is false where it is empty.
func (t *table) number(row int, name string) (n numeral.Number, ok bool, err error) {
	s := t.text(row, name)
	if s == "" {
		return n, false, nil
	}
	n, err = numeral.Parse(s)
	if err != nil {
		return n, false, fail(t.lines[row], "%s %v", name, err)
	}
	return n, true, nil
}

// need is number for a field that must be there.
func (t *table) need(row int, name string) (numeral.Number, error) {
	n, ok, err := t.number(row, name)
	if err == nil && !ok {
		err = fail(t.lines[row], "%s is empty: expected a number", name)
	}
	return n, err
}

// within reads an optional field that must lie in a range; a value outside is most often the
// second half of a decimal comma.
func (t *table) within(row int, name string, low, high float64, unit string) (float64, bool, error) {
	n, ok, err := t.number(row, name)
	if err != nil || !ok {
		return 0, false, err
	}
	if n.Value < low || n.Value > high {
		return 0, false, fail(t.lines[row], "%s %v %s: expected %v to %v. If the numbers have decimal commas, "+
			"separate the columns by semicolons", name, n.Value, unit, low, high)
	}
	return n.Value, true, nil
}

// whole reads a field that must be a whole number.
func (t *table) whole(row int, name string) (int, error) {
	n, err := t.need(row, name)
	if err != nil {
		return 0, err
	}
	if n.Value != float64(int(n.Value)) {
		return 0, fail(t.lines[row], "%s %q: expected a whole number", name, t.text(row, name))
	}
	return int(n.Value), nil
}
