package shop_test

import (
	"reflect"
	"strings"
	"testing"
)

// What lies in a column has its names written beside its fields: a field may then be called anything, and a workshop
// that was filled before still opens.
func TestWhatIsKeptHasItsNamesWrittenDown(t *testing.T) {
	seen := map[reflect.Type]bool{}
	var walk func(x reflect.Type)
	walk = func(x reflect.Type) {
		if _, writesItself := x.MethodByName("MarshalJSON"); seen[x] || writesItself {
			return
		}
		seen[x] = true
		switch x.Kind() {
		case reflect.Pointer, reflect.Slice, reflect.Array, reflect.Map:
			walk(x.Elem())
		case reflect.Struct:
			for i := range x.NumField() {
				f := x.Field(i)
				tag := f.Tag.Get("json")
				if !f.IsExported() || tag == "-" {
					continue
				}
				if name, _, _ := strings.Cut(tag, ","); name == "" && !f.Anonymous {
					t.Errorf("%v.%s is kept, and its name in the database is that of the field: expected a "+
						"tag", x, f.Name)
				}
				walk(f.Type)
			}
		}
	}
	for _, c := range jsonColumns(t) {
		walk(c.of)
	}
	if len(seen) < 60 {
		t.Errorf("only %d types are kept: the test looks in the wrong place", len(seen))
	}
}
