package exchange_test

import (
	"strings"
	"testing"

	"pandrel/exchange"
)

// A column whose name may mean two things is taken for neither until its unit, or a person, leaves one meaning; a unit
// of another kind is never taken.
func TestAColumnThatCouldBeTwoThingsIsAsked(t *testing.T) {
	targets := []exchange.Target{{Key: "number", Text: "Label", Words: []string{"number"}}, {Key: "plate",
		Text: "Plate, Ah", Unit: "Ah", Words: []string{"plate", "rated"}, Asked: []string{"nominal", "capacity"}},
		{Key: "measured", Text: "Measured, Ah", Unit: "Ah", Words: []string{"measured"}, Asked: []string{"capacity"}}}
	for _, c := range []struct {
		name, table string
		plate       int
		measured    int
		doubtful    string
	}{
		{"volts by their cells", "number,Nominal\nK-1,\"22,2 V\"\n", -1, -1, ""},
		{"volts by the name", "number,Nominal (V)\nK-1,22.2\n", -1, -1, ""},
		{"amp hours by their cells", "number,Nominal\nK-1,50 Ah\n", 1, -1, ""},
		{"amp hours by the name", "number,Nominal [Ah]\nK-1,50\n", 1, -1, ""},
		{"neither", "number,Nominal\nK-1,22.2\n", -1, -1, "Nominal"},
		{"two of amp hours", "number,Capacity Ah\nK-1,43\n", -1, -1, "Capacity Ah"},
		{"capacity in its cells", "number,Capacity\nK-1,43 Ah\n", -1, -1, "Capacity"},
		{"said outright", "number,rated,measured\nK-1,50,43\n", 1, 2, ""},
		{"said in milliamp hours", "number,rated (mAh)\nK-1,50000\n", 1, -1, ""},
		{"plate in volts", "number,plate (V)\nK-1,22\n", -1, -1, ""},
	} {
		g, err := exchange.ReadGrid(t.Context(), []byte(c.table))
		if err != nil {
			t.Fatal(err)
		}
		got := g.Match(targets)
		if got["plate"] != c.plate || got["measured"] != c.measured {
			t.Errorf("%s: %v", c.name, got)
		}
		if d := strings.Join(g.Doubtful(targets, got), "; "); (c.doubtful == "") != (d == "") ||
			!strings.Contains(d, c.doubtful) {
			t.Errorf("%s: %q is asked", c.name, d)
		}
	}
}
