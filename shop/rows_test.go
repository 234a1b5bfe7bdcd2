package shop_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"gorm.io/gorm/schema"

	"pandrel/core/test/kind"
	"pandrel/demo/sample"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// column is a column of JSON, with the type that it is read as; of tests, for each kind of them.
type column struct {
	table, name string
	source      kind.Source
	of          reflect.Type
}

func (c column) file() string {
	if c.source != "" {
		return fmt.Sprintf("%s.%s.%s.json", c.table, c.name, c.source)
	}
	return c.table + "." + c.name + ".json"
}

// longest is the longest text that a workshop holds in it, below a bound.
func (c column) longest() string {
	from := c.table + " r"
	switch {
	case c.source != "" && c.table == "tests":
		from += " WHERE r.source = '" + string(c.source) + "' AND"
	case c.source != "":
		from += " JOIN tests t ON t.id = r.test_id WHERE t.source = '" + string(c.source) + "' AND"
	default:
		from += " WHERE"
	}
	return fmt.Sprintf("SELECT r.%[1]s FROM %[2]s length(r.%[1]s) < 20000 ORDER BY length(r.%[1]s) DESC LIMIT "+
		"1", c.name,
		from)
}

func jsonColumns(t *testing.T) (out []column) {
	t.Helper()
	for _, model := range store.Models() {
		s, err := schema.Parse(model, &sync.Map{}, schema.NamingStrategy{})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range s.Fields {
			get, ok := f.FieldType.MethodByName("Get")
			if ok && get.Type.NumOut() == 2 && strings.HasPrefix(f.FieldType.Name(), "JSON[") {
				out = append(out, ofKinds(column{table: s.Table, name: f.DBName, of: get.Type.Out(0)})...)
			}
		}
	}
	return out
}

// ofKinds are the columns of each kind of test, where a column holds another type for each.
func ofKinds(c column) (out []column) {
	if c.of != reflect.TypeFor[json.RawMessage]() {
		return []column{c}
	}
	for _, k := range kind.All() {
		blank := k.Given
		if c.name == "gave" {
			blank = k.Gave
		}
		if blank != nil {
			out = append(out, column{c.table, c.name, k.Source, reflect.TypeOf(blank)})
		}
	}
	return out
}

// within reports where what is in a is missing or another in b.
func within(at string, a, b any) []string {
	switch a := a.(type) {
	case map[string]any:
		m, _ := b.(map[string]any)
		var out []string
		for k, v := range a {
			out = append(out, within(at+"."+k, v, m[k])...)
		}
		return out
	case []any:
		l, _ := b.([]any)
		var out []string
		for i, v := range a {
			if i < len(l) {
				out = append(out, within(fmt.Sprintf("%s[%d]", at, i), v, l[i])...)
			} else {
				out = append(out, fmt.Sprintf("%s[%d] is lost", at, i))
			}
		}
		return out
	}
	if !reflect.DeepEqual(a, b) {
		return []string{fmt.Sprintf("%s: %v became %v", at, a, b)}
	}
	return nil
}

// A row that any version of the rules kept is read by this one, and nothing of it is lost: the longest of each
// column of the sample workshop stands in testdata/rows, a folder for each version.
func TestRowsOfEveryVersionAreRead(t *testing.T) {
	columns := jsonColumns(t)
	if len(columns) < 30 {
		t.Fatalf("only %d columns are found", len(columns))
	}
	if os.Getenv("GOLDEN") == "write" {
		now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
		st := sample.Open(t, now)
		dir := filepath.Join("testdata", "rows", kernel.RulesVersion)
		if err := os.MkdirAll(dir, 0o755); err != nil {
			t.Fatal(err)
		}
		for _, c := range columns {
			var text string
			if err := st.DB.Raw(c.longest()).Scan(&text).Error; err != nil {
				t.Fatal(err)
			}
			var out bytes.Buffer
			if text == "" || json.Indent(&out, []byte(text), "", " ") != nil {
				continue
			}
			if err := os.WriteFile(filepath.Join(dir, c.file()), append(out.Bytes(), '\n'), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	files, err := filepath.Glob("testdata/rows/*/*.json")
	if err != nil || len(files) < 25 {
		t.Fatalf("%d rows, %v", len(files), err)
	}
	for _, path := range files {
		k := slices.IndexFunc(columns, func(c column) bool { return c.file() == filepath.Base(path) })
		if k < 0 {
			t.Errorf("%s: no column holds that any more", path)
			continue
		}
		was, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		v := reflect.New(columns[k].of)
		d := json.NewDecoder(bytes.NewReader(was))
		d.DisallowUnknownFields()
		if err := d.Decode(v.Interface()); err != nil {
			t.Errorf("%s: %v", path, err)
			continue
		}
		again, err := json.Marshal(v.Interface())
		var a, b any
		if err != nil || json.Unmarshal(was, &a) != nil || json.Unmarshal(again, &b) != nil {
			t.Fatalf("%s: %v", path, err)
		}
		if lost := within(columns[k].of.String(), a, b); len(lost) > 0 {
			t.Errorf("%s: %v", path, lost[:min(3, len(lost))])
		}
	}
}
