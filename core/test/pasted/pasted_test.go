package pasted_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/test/pasted"
)

func TestReadAsPeopleWriteIt(t *testing.T) {
	for name, c := range map[string]struct {
		line  string
		parts []pasted.Part
		apart float64
		err   string
	}{
		"fixed order":      {"K-1;39,5;3,00;13", []pasted.Part{{Ah: 39.5, LowestV: 3, MilliOhm: 13}}, 0, ""},
		"amp hours alone":  {"K-1\t39.5", []pasted.Part{{Ah: 39.5}}, 0, ""},
		"with units":       {"K-1 897 Wh 41.2Ah 3.00 V", []pasted.Part{{Ah: 41.2, Wh: 897, LowestV: 3}}, 0, ""},
		"kilowatt hours":   {"K-1 41.2 Ah 0.897 kWh", []pasted.Part{{Ah: 41.2, Wh: 897}}, 0, ""},
		"a part by groups": {"K-1 1-6 40.5", []pasted.Part{{From: 1, To: 6, Ah: 40.5}}, 0, ""},
		"a part in words":  {"K-1 groups 1 to 6: 40.5", nil, 0, "expected"},
		"groups, no colon": {"K-1 groups 1 to 6 40.5 Ah", []pasted.Part{{From: 1, To: 6, Ah: 40.5}}, 0, ""},
		"the lower half":   {"K-1 lower 40.5 Ah", []pasted.Part{{Half: 1, Ah: 40.5}}, 0, ""},
		"two halves": {"K-1 41.2 Ah 897 Wh; 39.8 Ah 866 Wh",
			[]pasted.Part{{Half: 1, Ah: 41.2, Wh: 897},
				{Half: 2, Ah: 39.8, Wh: 866}}, 0, ""},
		"and a difference": {"K-1 41.2 Ah; 39.8 Ah; 14 mV",
			[]pasted.Part{{Half: 1, Ah: 41.2}, {Half: 2, Ah: 39.8}}, 14, ""},
		"commas and blanks": {"K-1, 39.5 Ah, 897 Wh, 3.00 V", []pasted.Part{{Ah: 39.5, Wh: 897, LowestV: 3}}, 0, ""},
		"commas, no unit":   {"K-1, 39,5, 3,00, 13", []pasted.Part{{Ah: 39.5, LowestV: 3, MilliOhm: 13}}, 0, ""},
		"commas alone":      {"K-1,39.5,3.00,13", []pasted.Part{{Ah: 39.5, LowestV: 3, MilliOhm: 13}}, 0, ""},
		"at least":          {"K-1 at least 40 Ah", []pasted.Part{{Ah: 40, Word: "at least"}}, 0, ""},
		"a sign for it":     {"K-1 >40 Ah 860 Wh", []pasted.Part{{Ah: 40, Wh: 860, Word: "at least"}}, 0, ""},
		"about":             {"K-1 lower ~39.5", []pasted.Part{{Half: 1, Ah: 39.5, Word: "about"}}, 0, ""},
		"about, in a word":  {"K-1 ca. 39 Ah", []pasted.Part{{Ah: 39, Word: "about"}}, 0, ""},
		"about nothing":     {"K-1 about", nil, 0, "expected its amp hours"},
		"three, not named":  {"K-1 41 Ah 39 Ah 38 Ah", nil, 0, "expected the groups before each"},
		"no figure":         {"K-1", nil, 0, "expected its amp hours"},
		"a word":            {"K-1 good", nil, 0, "expected"},
		"two of one":        {"K-1 41 Ah 3 V 3.1 V", nil, 0, "two of them"},
		"a difference only": {"K-1 14 mV", nil, 14, "expected"},
	} {
		got := pasted.Read("\n" + c.line + "\n")
		if len(got) != 1 || got[0].At != 2 || got[0].ApartMV != c.apart || !strings.Contains(got[0].Err, c.err) ||
			c.err == "" && (got[0].Err != "" || !reflect.DeepEqual(got[0].Parts, c.parts)) {
			t.Errorf("%s: %+v", name, got)
		}
	}
}

func ExampleRead() {
	for _, l := range pasted.Read("M-001 41.2 Ah 897 Wh 3.00 V; 39.8 Ah 866 Wh 3.00 V\nM-002 lower 40.5 Ah") {
		fmt.Println(l.Number, len(l.Parts), l.Parts[0].Half, l.Parts[0].Ah)
	}
	// Output:
	// M-001 2 1 41.2
	// M-002 1 1 40.5
}

func FuzzRead(f *testing.F) {
	f.Add("K-1 1-6 40.5 Ah\nK-2;39,5;3")
	f.Add("K-1 at least 40\nK-2 ~39 Ah\nK-3 ≥")
	f.Fuzz(func(t *testing.T, text string) {
		for _, l := range pasted.Read(text) {
			if l.Err == "" && (l.Number == "" || len(l.Parts) == 0) {
				t.Errorf("%q: nothing read and nothing said: %+v", text, l)
			}
		}
	})
}
