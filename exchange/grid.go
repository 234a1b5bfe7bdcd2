package exchange

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"pandrel/core/base/numeral"
	"pandrel/core/base/typed"
)

// Grid is a table as it was sent, before anybody has said what its columns are. Lines gives each
// row's line in the file, or its row in the sheet.
type Grid struct {
	Header []string
	Rows   [][]string
	Lines  []int
}

// Limits of a grid: far above any pallet, far below what would fill a machine.
const (
	maxGridRows = 5000
	maxGridCols = 200
)

// ReadGrid reads CSV, text pasted from a spreadsheet, or the first sheet of an XLSX file. The first
// line that is not empty is the header.
func ReadGrid(ctx context.Context, data []byte) (Grid, error) {
	if len(bytes.TrimSpace(data)) == 0 {
		return Grid{}, fail(0, "empty: expected a table with a line of column names")
	}
	var rows [][]string
	var lines []int
	var err error
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		rows, lines, err = sheetRows(ctx, data)
	} else {
		rows, lines, err = textRows(data)
	}
	if err != nil {
		return Grid{}, err
	}
	if len(rows) == 0 {
		return Grid{}, fail(0, "empty: expected a table with a line of column names")
	}
	if len(rows) == 1 {
		return Grid{}, fail(lines[0], "only one line: expected column names and at least one line under them")
	}
	g := Grid{Header: rows[0], Rows: rows[1:], Lines: lines[1:]}
	for i, r := range g.Rows {
		if len(r) > len(g.Header) {
			return Grid{}, fail(g.Lines[i], "%s, the header has %d. If the numbers have decimal commas, "+
				"separate the columns by semicolons", numeral.Count(len(r), "column"), len(g.Header))
		}
	}
	return g, nil
}

func textRows(data []byte) (rows [][]string, lines []int, err error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if bytes.IndexByte(data, 0) >= 0 || !utf8.Valid(data) {
		return nil, nil, fail(0, "not text: expected CSV in UTF-8, a table pasted from a spreadsheet, or XLSX")
	}
	first, _, _ := bytes.Cut(bytes.TrimLeft(data, "\r\n"), []byte("\n"))
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord, r.LazyQuotes, r.Comma = -1, true, ','
	for _, sep := range []rune{'\t', ';'} {
		if bytes.ContainsRune(first, sep) {
			r.Comma = sep
			break
		}
	}
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, lines, nil
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			return nil, nil, fail(pe.Line, "%v: expected plain columns", pe.Err)
		}
		line, _ := r.FieldPos(0)
		if rec, err = cells(rec, line); err != nil {
			return nil, nil, err
		}
		if len(rec) > 0 {
			rows, lines = append(rows, rec), append(lines, line)
		}
		if len(rows) > maxGridRows+1 {
			return nil, nil, tooManyRows()
		}
	}
}

func tooManyRows() error {
	return fail(0, "more than %s: expected at most %d at a time", numeral.Count(maxGridRows, "line"), maxGridRows)
}

// cells cleans the fields of a line, cuts blanks and empty fields at its end, and refuses what is no table for people.
func cells(rec []string, line int) ([]string, error) {
	for len(rec) > 0 && strings.TrimSpace(rec[len(rec)-1]) == "" {
		rec = rec[:len(rec)-1]
	}
	if len(rec) > maxGridCols {
		return nil, fail(line, "%s: expected at most %d", numeral.Count(len(rec), "column"), maxGridCols)
	}
	for i, s := range rec {
		s = typed.FromSheet(strings.TrimSpace(typed.Clean(s)))
		if n := utf8.RuneCountInString(s); n > typed.Cell {
			return nil, fail(line, "a field of %d letters in column %d: expected at most %d", n, i+1, typed.Cell)
		}
		rec[i] = s
	}
	return rec, nil
}

// Field writes a value for a table in CSV. A text that a spreadsheet would take for a formula is made harmless.
func Field(x any) string {
	switch x := x.(type) {
	case string:
		return typed.ForSheet(x)
	case float64: // ten digits are more than any meter shows, and fewer than where binary fractions begin to show
		return strconv.FormatFloat(x, 'g', 10, 64)
	}
	return typed.ForSheet(fmt.Sprint(x))
}

// Target is something a column may hold.
type Target struct {
	Key      string
	Text     string
	Words    []string // names a column of it goes by, in small letters
	Asked    []string // names that may mean it or something else: taken only where its unit leaves one meaning
	Unit     string   // of its numbers, "" for words
	Required bool
}

// Match guesses which column holds what: each target takes the first column that bears one of its
// names, else the first that contains one. −1 is no column. A column serves one target only.
func (g Grid) Match(targets []Target) map[string]int {
	out := map[string]int{}
	taken := map[int]bool{}
	for _, exact := range []bool{true, false} {
		for _, t := range targets {
			if at, ok := out[t.Key]; ok && at >= 0 {
				continue
			}
			out[t.Key] = -1
			for i, h := range g.Header {
				name := strings.ToLower(h)
				unit := g.unitOf(i)
				if taken[i] || t.Unit != "" && unit != "" && !sameUnit(unit, t.Unit) {
					continue
				}
				if asked := meant(name, i, unit, g, targets); asked > 1 || asked == 0 && !named(name, t.Words, exact) ||
					asked == 1 && !t.bears(name) {
					continue
				}
				out[t.Key] = i
				taken[i] = true
				break
			}
		}
	}
	return out
}

// bears reports whether a column's name may mean a target, for certain or not.
func (t Target) bears(name string) bool { return named(bare(name), t.Asked, true) }

// meant counts the targets that a column with a name of more than one meaning may be: 0 where its name has one. A unit
// leaves only those that are counted in it.
func meant(name string, i int, unit string, g Grid, targets []Target) int {
	asked, all := 0, 0
	for _, t := range targets {
		if t.bears(name) {
			all++
			if unit == "" || sameUnit(unit, t.Unit) {
				asked++
			}
		}
	}
	switch {
	case all == 0:
		return 0
	case unit == "": // a name without a unit may be of another kind altogether
		return max(asked, 2)
	case asked == 0:
		return 2
	}
	return asked
}

// Doubtful names the columns that may be more than one thing, with what: they are used for nothing until somebody says.
func (g Grid) Doubtful(targets []Target, columns map[string]int) (out []string) {
	for i, h := range g.Header {
		used := false
		for _, k := range columns {
			used = used || k == i
		}
		if used {
			continue
		}
		var may []string
		for _, t := range targets {
			if unit := g.unitOf(i); t.bears(strings.ToLower(h)) && columns[t.Key] < 0 && (unit == "" ||
				sameUnit(unit, t.Unit)) {
				may = append(may, t.Text)
			}
		}
		if len(may) > 0 {
			out = append(out, fmt.Sprintf("%q holds: %s; or nothing of these", h, strings.Join(may, "; or ")))
		}
	}
	return out
}

// bare is a column's name without its unit.
func bare(name string) string {
	if k := headUnit.FindStringIndex(name); k != nil && k[0] > 0 {
		name = name[:k[0]]
	}
	if k := strings.IndexAny(name, "([/,"); k > 0 {
		name = name[:k]
	}
	return strings.TrimSpace(name)
}

// headUnit is a unit in a column's name, in brackets or behind a slash, a comma or a blank.
var headUnit = regexp.MustCompile(`(?i)[\[(/,_ ]\s*(m?ah|k?wh|m?v|m?a|m?ω|m?ohm|%|°c|kg|mm)\s*[\])]?$`)

// cellUnit is a unit behind a number.
var cellUnit = regexp.MustCompile(`(?i)^[-+−]?[\d.,'  ]*\d\s*(m?ah|k?wh|m?v|m?a|m?ω|m?ohm|%|°c|kg|mm)$`)

// HeadUnit is the unit that a column's name bears, as written in small letters; "" for none.
func (g Grid) HeadUnit(i int) string {
	if i < 0 || i >= len(g.Header) {
		return ""
	}
	if m := headUnit.FindStringSubmatch(g.Header[i]); m != nil {
		return strings.ToLower(m[1])
	}
	return ""
}

// unitOf is the unit of a column, from its name or from its cells where all that have one agree; "" for none.
func (g Grid) unitOf(i int) string {
	if m := headUnit.FindStringSubmatch(g.Header[i]); m != nil {
		return strings.ToLower(m[1])
	}
	unit := ""
	for row := range g.Rows {
		m := cellUnit.FindStringSubmatch(strings.TrimSpace(g.At(row, i)))
		switch {
		case m == nil:
		case unit == "":
			unit = strings.ToLower(m[1])
		case unit != strings.ToLower(m[1]):
			return ""
		}
	}
	return unit
}

// sameUnit reports whether two units count the same thing: mAh and Ah do.
func sameUnit(a, b string) bool {
	whole := func(s string) string {
		s = strings.ReplaceAll(strings.ToLower(s), "ohm", "ω")
		if len(s) > 1 {
			s = strings.TrimPrefix(strings.TrimPrefix(s, "m"), "k")
		}
		return s
	}
	return whole(a) == whole(b) && a != ""
}

func named(name string, words []string, exact bool) bool {
	for _, w := range words {
		if name == w || !exact && len(w) > 2 && strings.Contains(name, w) {
			return true
		}
	}
	return false
}

// At returns a row's field in column col, "" where it has none.
func (g Grid) At(row, col int) string {
	if col < 0 || col >= len(g.Rows[row]) {
		return ""
	}
	return g.Rows[row][col]
}

// Where names a row for messages.
func (g Grid) Where(row int) string { return fmt.Sprintf("line %d", g.Lines[row]) }

// WriteSheet writes a table as XLSX row by row: numbers as numbers, texts as texts that are no formulas, the header
// bold and frozen.
func WriteSheet(w io.Writer, name string, header []string, rows [][]any) error {
	f := excelize.NewFile()
	defer f.Close()
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	out, err := f.NewStreamWriter(name)
	if err != nil {
		return err
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	first := make([]any, len(header))
	for i, h := range header {
		first[i] = excelize.Cell{StyleID: bold, Value: typed.ForSheet(h)}
	}
	if err := out.SetRow("A1", first); err != nil {
		return err
	}
	for r, row := range rows {
		cells := make([]any, len(row))
		for i, x := range row {
			if v := reflect.ValueOf(x); v.Kind() == reflect.String {
				x = typed.ForSheet(v.String())
			}
			cells[i] = x
		}
		if err := out.SetRow("A"+strconv.Itoa(r+2), cells); err != nil {
			return err
		}
	}
	if err := out.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}
