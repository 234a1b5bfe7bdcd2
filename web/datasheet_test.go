package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/store"
)

// schema is as much of JSON Schema as the form of a data sheet uses.
type schema struct {
	Type       string             `json:"type"`
	Const      any                `json:"const"`
	Enum       []any              `json:"enum"`
	Format     string             `json:"format"`
	Properties map[string]*schema `json:"properties"`
	Required   []string           `json:"required"`
	Items      *schema            `json:"items"`
}

// check lists what of a value is not as its schema says; every key must be described.
func (s *schema) check(at string, x any) (wrong []string) {
	bad := func(format string, args ...any) { wrong = append(wrong, at+": "+fmt.Sprintf(format, args...)) }
	switch {
	case s.Const != nil && x != s.Const:
		bad("%v, expected %v", x, s.Const)
	case s.Enum != nil && !slices.Contains(s.Enum, x):
		bad("%v, expected one of %v", x, s.Enum)
	}
	switch v := x.(type) {
	case map[string]any:
		for k, y := range v {
			if s.Properties[k] == nil {
				bad("%s is not described", k)
				continue
			}
			wrong = append(wrong, s.Properties[k].check(at+"."+k, y)...)
		}
		for _, k := range s.Required {
			if _, ok := v[k]; !ok {
				bad("%s is missing", k)
			}
		}
	case []any:
		for i, y := range v {
			if s.Items == nil {
				bad("a list")
				break
			}
			wrong = append(wrong, s.Items.check(fmt.Sprintf("%s[%d]", at, i), y)...)
		}
	case string:
		if s.Type != "string" && s.Const == nil && s.Enum == nil {
			bad("text, expected %s", s.Type)
		}
		if _, err := time.Parse(time.RFC3339, v); s.Format == "date-time" && err != nil {
			bad("%v", err)
		}
	case float64:
		if s.Type != "number" && (s.Type != "integer" || v != float64(int64(v))) {
			bad("a number, expected %s", s.Type)
		}
	case bool:
		if s.Type != "boolean" {
			bad("true or false, expected %s", s.Type)
		}
	}
	return wrong
}

// The data sheet of every module of the sample is as its documented schema says.
func TestDataSheetsFollowTheirSchema(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join("..", "docs", "schema", "module.schema.json"))
	if err != nil {
		t.Fatal(err)
	}
	var s schema
	if err := json.Unmarshal(raw, &s); err != nil {
		t.Fatal(err)
	}
	if wrong := s.check("x", map[string]any{"schema": "other", "colour": "red"}); len(wrong) < 3 {
		t.Fatalf("the check lets everything pass: %v", wrong)
	}
	sv := newSite(t, true)
	seen := 0
	for _, n := range []string{"K-001", "K-011", "K-013", "K-019", "K-108", "K-124", "K-208", "C-001"} {
		code, body := sv.get("/modules/" + n + "/datasheet?as=json")
		if code != http.StatusOK {
			t.Fatalf("%s: %d", n, code)
		}
		var x any
		if err := json.Unmarshal([]byte(body), &x); err != nil {
			t.Fatal(err)
		}
		if wrong := s.check(n, x); len(wrong) > 0 {
			t.Errorf("%s", strings.Join(wrong, "\n"))
		}
		seen++
	}
	if seen == 0 {
		t.Fatal("nothing was looked at")
	}
	for as, begins := range map[string]string{"csv": "number,type", "xlsx": "PK"} {
		if code, body := sv.get("/modules/K-001/datasheet?as=" + as); code != http.StatusOK ||
			!strings.HasPrefix(body, begins) {
			t.Errorf("%s: %d %.40q", as, code, body)
		}
	}
}

// Results in bulk are matched by their columns, looked at before anything is kept, and kept all or none.
func TestResultsAreImportedByTheirColumns(t *testing.T) {
	sv := newSite(t, true)
	post := func(data string, more url.Values) string {
		v := url.Values{"kind": {"results"}, "data": {data}, "by": {"AK"}}
		for k, x := range more {
			v[k] = x
		}
		return sv.form("/import?kind=results", "/import", v).Body.String()
	}
	count := func() (n int64) {
		if err := sv.st.DB.Model(&store.Test{}).Where("source = 'typed'").Count(&n).Error; err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := count()
	table := "Cell;mAh?;Capacity;R [mΩ];Lowest;Full;Temp\nK-019;1;171,5;2,1;2,49;yes;22\nK-021;2;165;2,2;2,5;ja;22\n"
	page := post(table, nil)
	if !strings.Contains(page, "171.5 Ah") || !strings.Contains(page, "from full") || !strings.Contains(page,
		"expected yes or no") || !strings.Contains(page, `Not used: column`) || count() != before {
		t.Fatalf("%d results kept of a table with a bad row; %.400s", count()-before, page)
	}
	table = strings.Replace(table, ";ja;", ";no;", 1)
	if page = post(table, url.Values{"save": {"yes"}}); count() != before+2 {
		t.Fatalf("%d of 2 kept: %.600s", count()-before, page)
	}
	_, life := sv.get("/modules/K-019")
	if !strings.Contains(life, "171.5") {
		t.Error("K-019 does not show its result")
	}
	if page = post("number,ah\nK-999,10\n", nil); !strings.Contains(page, "K-999") || count() != before+2 {
		t.Error("a module that is not there is taken")
	}
}
