package exchange_test

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"pandrel/exchange"
)

var targets = []exchange.Target{
	{Key: "number", Words: []string{"number", "label", "module"}, Required: true},
	{Key: "type", Words: []string{"type", "model"}},
	{Key: "plate_ah", Words: []string{"ah", "capacity", "plate_ah"}},
}

func TestGridFromEveryForm(t *testing.T) {
	var sheet bytes.Buffer
	if err := exchange.WriteSheet(&sheet, "Modules", []string{"Label no.", "Type", "Capacity [Ah]"},
		[][]any{{"K-001", "TUG-4", 202.5}, {"K-002", "TUG-4", 202.5}}); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{
		"xlsx":   sheet.Bytes(),
		"csv":    []byte("Label no.,Type,Capacity [Ah]\nK-001,TUG-4,202.5\nK-002,TUG-4,202.5\n"),
		"commas": []byte("\xef\xbb\xbfLabel no.;Type;Capacity [Ah]\r\nK-001;TUG-4;202,5\r\n\r\nK-002;TUG-4;202,5\r\n"),
		"pasted": []byte("Label no.\tType\tCapacity [Ah]\nK-001\tTUG-4\t202.5\nK-002\tTUG-4\t202.5"),
	} {
		t.Run(name, func(t *testing.T) {
			g, err := exchange.ReadGrid(t.Context(), data)
			if err != nil || len(g.Rows) != 2 {
				t.Errorf("%s: %+v, %v", name, g, err)
				return
			}
			m := g.Match(targets)
			if g.At(1, m["number"]) != "K-002" || g.At(0, m["type"]) != "TUG-4" ||
				strings.Replace(g.At(0, m["plate_ah"]), ",", ".", 1) != "202.5" {
				t.Errorf("%s: matched %v", name, m)
			}
		})
	}
}

func TestMatchPrefersWholeNamesAndUsesAColumnOnce(t *testing.T) {
	g, err := exchange.ReadGrid(t.Context(), []byte("old module label,module,type\nx,K-001,TUG-4\n"))
	if err != nil {
		t.Fatal(err)
	}
	m := g.Match(targets)
	if m["number"] != 1 || m["type"] != 2 || m["plate_ah"] != -1 {
		t.Errorf("%v", m)
	}
	if g.At(0, -1) != "" || g.At(0, 9) != "" || g.Where(0) != "line 2" {
		t.Error("fields outside")
	}
}

func TestGridErrors(t *testing.T) {
	for name, c := range map[string]struct{ data, want string }{
		"empty":         {"", "empty"},
		"header only":   {"number,type\n", "only one line"},
		"binary":        {"\x00\x01", "not text"},
		"broken xlsx":   {"PK\x03\x04rubbish", "not a readable XLSX"},
		"decimal comma": {"number,ah\nK-001,202,5\n", "semicolons"},
		"too many":      {"number\n" + strings.Repeat("K\n", 5001), "at most 5000"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := exchange.ReadGrid(t.Context(), []byte(c.data))
			var e *exchange.Error
			if !errors.As(err, &e) || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s: %v", name, err)
			}
		})
	}
}

func FuzzReadGrid(f *testing.F) {
	f.Add([]byte("a,b\n1,2\n"))
	f.Add([]byte("a;b\n1;2,5\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		g, err := exchange.ReadGrid(t.Context(), data)
		if err != nil {
			return
		}
		m := g.Match(targets)
		for i := range g.Rows {
			for _, c := range m {
				_ = g.At(i, c)
			}
		}
	})
}
