package number

import (
	"html/template"
	"testing"

	"pandrel/core/base/known"
)

// A number on a page is itself, with its bare value and where it comes from; nothing else gets through.
func TestNumbersSayWhereTheyComeFrom(t *testing.T) {
	v := 3.65
	for _, c := range []struct {
		from, shape string
		v           any
		want        template.HTML
	}{
		{"measured", "v3", 3.65, `<data value="3.650" data-from="measured">3.650</data>`},
		{"worked", "pct", 0.804, `<data value="80" data-from="worked">80</data>`},
		{"limit", "share", 0.8, `<data value="80" data-from="limit">80</data>`},
		{"worked", "signed", -12.34, `<data value="-12.3" data-from="worked">−12.3</data>`},
		{"typed", "g", &v, `<data value="3.65" data-from="typed">3.65</data>`},
		{"typed", "n1", (*float64)(nil), `<data data-from="unknown">not known</data>`},
		{"measured", "n0", 14, `<data value="14" data-from="measured">14</data>`},
	} {
		if got, err := Num(c.from, c.shape, c.v); err != nil || got != c.want {
			t.Errorf("%s %s %v: %s %v", c.from, c.shape, c.v, got, err)
		}
	}
	for _, bad := range [][3]any{{"hearsay", "n1", 1.0}, {"measured", "n9", 1.0}, {"measured", "n1", "1"}} {
		if _, err := Num(bad[0].(string), bad[1].(string), bad[2]); err == nil {
			t.Errorf("%v was taken", bad)
		}
	}
	for unit, want := range map[string]string{"modules": "1 module", "switches": "1 switch", "s": "1 s", "V": "1 V"} {
		if got := OfFinding(known.Of(1, known.Measured), unit); got == nil || got.Text != want {
			t.Errorf("1 of %s: %v", unit, got)
		}
	}
	for from, want := range map[string]string{"measured": "measured", "worked": "found", "typed": "as typed",
		"assumed": "assumed", "said": "said"} {
		if got := (Datum{From: from}).Origin(); got != want {
			t.Errorf("%s: %s", from, got)
		}
	}
	if d := Of(known.Value{}.In(1, "V")); d.From != "unknown" || d.Text != "not known" {
		t.Errorf("%+v", d)
	}
	if d := Of(known.Of(2.5, known.Said).In(1, "V")); d != (Datum{"2.5 V", "2.5", "said"}) {
		t.Errorf("%+v", d)
	}
}

// A sentence keeps its words; each number with a unit stands in an element of its own, and markup in it is no markup.
func TestSentences(t *testing.T) {
	n := 3
	for _, c := range []struct {
		v    any
		want template.HTML
	}{
		{"Group 3 is 12 mV below.", `Group 3 is <data value="12" data-from="typed">12</data> mV below.`},
		{"<b>5 V</b>", `&lt;b&gt;<data value="5" data-from="typed">5</data> V&lt;/b&gt;`},
		{template.HTML("<i>5 V</i>"), "<i>5 V</i>"}, {known.Typed, "typed"}, {&n, "3"}, {7, "7"}, {"", ""},
	} {
		if got, err := Tell("typed", c.v); err != nil || got != c.want {
			t.Errorf("%v: %s, %v", c.v, got, err)
		}
	}
	if _, err := Tell("hearsay", "5 V"); err == nil {
		t.Error("a source that is none was taken")
	}
}

// A figure that is text keeps its text; words stay words, and markup in them is no markup.
func TestFiguresThatAreText(t *testing.T) {
	for text, want := range map[string]template.HTML{
		"12.5":         `<data value="12.5" data-from="assumed">12.5</data>`,
		"0.3 to 1.3":   `<data value="0.3" data-from="assumed">0.3 to 1.3</data>`,
		"−4":           `<data value="-4" data-from="assumed">−4</data>`,
		"± 2":          `± 2`,
		"at least 9.0": `at least <data value="9" data-from="assumed">9.0</data>`,
		"28.70 (93 %)": `<data value="28.7" data-from="assumed">28.70</data> (<data value="93" ` +
			`data-from="assumed">93</data> %)`,
		"2026-11-30": "2026-11-30",
		"16:05":      "16:05",
		"75.8 A, 0.76 C": `<data value="75.8" data-from="assumed">75.8</data> A, <data value="0.76" ` +
			`data-from="assumed">0.76</data> C`,
		"no":       `no`,
		"<b>1</b>": `&lt;b&gt;1&lt;/b&gt;`,
		"":         ``,
	} {
		if got, err := Figure("assumed", text); err != nil || got != want {
			t.Errorf("%q: %s %v", text, got, err)
		}
	}
	if _, err := Figure("hearsay", "1"); err == nil {
		t.Error("hearsay was taken")
	}
}

// A known number is one element with its interval, and an assumption or a word has its name behind it.
func TestKnownNumbersOnAPage(t *testing.T) {
	for _, c := range []struct {
		v           known.Value
		bare, found template.HTML
	}{
		{known.Of(40.5, known.Measured), `<data value="40.5" data-from="measured">40.5</data>`, " <small>Ah</small>"},
		{known.Within(79, 52.5, 105, known.Assumed), `<data value="79" data-from="assumed">52.5 to 105.0</data>`,
			` <small>Ah</small> <small class="text-body-secondary fst-italic">assumed</small>`},
		{known.Of(20, known.Said).Times(1), `<data value="20" data-from="said">20.0</data>`,
			` <small>Ah</small> <small class="text-body-secondary fst-italic">said</small>`},
		{known.Value{}, `<data value="" data-from="unknown">not known</data>`, ""},
	} {
		if got, err := Known("n1", c.v); err != nil || got != c.bare {
			t.Errorf("%s, %v", got, err)
		}
		if got, err := Marked("n1", "Ah", c.v); err != nil || got != c.bare+c.found {
			t.Errorf("%s, %v", got, err)
		}
	}
	if _, err := Known("v2", known.Of(1, known.Typed)); err == nil {
		t.Error("a shape without a count of decimals was taken")
	}
	if got := known.Within(79, 52, 105,
		known.Assumed).Likely(); !got.Exact() || got.V() != 79 || got.Mark() != "assumed" {
		t.Errorf("%+v", got)
	}
}
