package typed_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/typed"
	"pandrel/golden"
)

// What is typed into a field becomes what is kept, or is refused by name.
func TestWhatIsKept(t *testing.T) {
	out := map[string]any{}
	for _, field := range []string{"name", "note", "number", "by", "x", "note3", "g12", "by_2"} {
		most := typed.Longest(field)
		out["longest "+field] = most
		for _, n := range []int{most - 1, most, most + 1} {
			_, err := typed.Field(field, strings.Repeat("a", max(0, n)))
			out[fmt.Sprint(field, " of ", n)] = err
		}
	}
	for _, s := range []string{" a  b ", "a\tb\nc", "a\x00b", "=1+2", "+1", "-1", "@x", "'=1", "'x", "", "a\u200bb",
		"\u202ex", "é", "é", "\r\n", "-", "=a\n"} {
		kept, err := typed.Field("name", s)
		out[fmt.Sprintf("%q", s)] = fmt.Sprintf("%q %q %v %q %q", typed.Clean(s), kept, err, typed.ForSheet(s),
			typed.FromSheet(s))
	}
	golden.Same(t, "kept", golden.Text(out))
}
