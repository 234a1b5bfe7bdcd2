package typed_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"pandrel/core/base/typed"
)

func ExampleForSheet() {
	for _, s := range []string{"=1+2", "-4.5", "dented"} {
		fmt.Println(typed.ForSheet(s))
	}
	// Output:
	// '=1+2
	// -4.5
	// dented
}

func TestWhatCannotBeSeenIsTakenOut(t *testing.T) {
	for name, c := range map[string][2]string{
		"plain":                  {"K-001", "K-001"},
		"a bell and a backspace": {"K\a-0\b01\x00", "K-001"},
		"signs without width":    {"K\u200b-\ufeff001\u2060", "K-001"},
		"a turned direction":     {"K-\u202e100\u202c", "K-100"},
		"isolates":               {"\u2066K\u2069", "K"},
		"lines and columns stay": {"A\tB\r\nC", "A\tB\r\nC"},
		"other scripts":          {"Zähler Ж 電 مرحبا", "Zähler Ж 電 مرحبا"},
		"a joiner is a letter":   {"\u0645\u06cc\u200c\u062e", "\u0645\u06cc\u200c\u062e"},
		"bytes that are no text": {"K\xff\xfe1", "K\uFFFD1"},
		"control of the upper":   {"K\u0085\u009b1", "K1"},
	} {
		t.Run(name, func(t *testing.T) {
			if got := typed.Clean(c[0]); got != c[1] {
				t.Errorf("%q: expected %q", got, c[1])
			}
		})
	}
}

func TestEveryFieldHasALimit(t *testing.T) {
	for name, most := range map[string]int{"by": typed.Person, "note": typed.Note, "readings": typed.List / 2,
		"p12_name": typed.Short, "anything": typed.Short, "data": typed.Table} {
		t.Run(name, func(t *testing.T) {
			if got := typed.Longest(name); got != most {
				t.Errorf("%d: expected %d", got, most)
			}
			if _, err := typed.Field(name, strings.Repeat("ä", most)); err != nil {
				t.Error(err)
			}
			if _, err := typed.Field(name, strings.Repeat("ä", most+1)); err == nil ||
				!strings.Contains(err.Error(), fmt.Sprint(most)) {
				t.Errorf("one letter more: %v", err)
			}
		})
	}
}

func FuzzField(f *testing.F) {
	f.Add("note", "a\x00b\u202e")
	f.Add("by", "\xff")
	f.Fuzz(func(t *testing.T, name, s string) {
		got, err := typed.Field(name, s)
		if !utf8.ValidString(got) || strings.ContainsFunc(got, func(r rune) bool {
			return unicode.IsControl(r) && !strings.ContainsRune("\n\r\t", r)
		}) {
			t.Errorf("%q came through as %q", s, got)
		}
		if again, _ := typed.Field(name, got); again != got {
			t.Errorf("cleaned twice it is %q, once %q", again, got)
		}
		if err == nil && utf8.RuneCountInString(got) > typed.Longest(name) {
			t.Error("too long, and no error")
		}
	})
}

func FuzzSheetRoundTrip(f *testing.F) {
	for _, s := range []string{"=cmd()", "-5", "+49", "@x", "'=1", "''", "'", "plain", "-1-1", "\t=1"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		out := typed.ForSheet(s)
		if back := typed.FromSheet(out); back != s {
			t.Errorf("%q went out as %q and came back as %q", s, out, back)
		}
		if out != "" && strings.ContainsRune("=@\t\r", rune(out[0])) {
			t.Errorf("%q starts a formula", out)
		}
	})
}
