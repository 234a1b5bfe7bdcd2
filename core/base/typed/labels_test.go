package typed_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/typed"
)

func TestLabels(t *testing.T) {
	for _, c := range []struct{ text, want, err string }{
		{"C-001 to C-003", "C-001 C-002 C-003", ""},
		{"c-001..C-002, X7;Y9\n", "c-001 c-002 X7 Y9", ""},
		{"C-08 – 11", "C-08 C-09 C-10 C-11", ""},
		{"7", "7", ""},
		{" ,;", "", "expected numbers"},
		{"C-003 to C-001", "", "the lower first"},
		{"C-001 to D-003", "", "of one kind"},
		{"C-001 to C-999", "", "at most 60"},
	} {
		got, err := typed.Labels(c.text, 60)
		if strings.Join(got, " ") != c.want && c.err == "" || (err == nil) != (c.err == "") || err != nil &&
			!strings.Contains(err.Error(), c.err) {
			t.Errorf("%q: %q, %v; expected %q, %q", c.text, got, err, c.want, c.err)
		}
	}
}

// However it is listed, no more than that come of one run, and none is empty.
func FuzzLabels(f *testing.F) {
	for _, s := range []string{"C-001 to C-008", "1..3", "a1 to b3", "", "999999 to 999999", "C-1–C-3,x"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		out, err := typed.Labels(text, 60)
		if slices.Contains(out, "") || err == nil && len(out) == 0 || len(out) > 60*(len(text)+1) {
			t.Errorf("%q: %q, %v", text, out, err)
		}
	})
}

func ExampleLabels() {
	fmt.Println(typed.Labels("C-009 to C-011", 60))
	// Output: [C-009 C-010 C-011] <nil>
}
