package golden_test

import (
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/golden"
)

type in struct {
	Volts  float64
	Groups int
	Wet    bool
	Names  []string
}

func judge(x in) (any, error) {
	if x.Volts < 0 {
		return nil, errors.New("below nothing")
	}
	var fs []finding.Finding
	add := func(l finding.Level, code string) {
		fs = append(fs, finding.Finding{Level: l, Code: code, Measured: finding.Of(x.Volts), Limit: finding.Of(3),
			Unit: "V", Text: "t", Do: "d", Rule: "r"})
	}
	if x.Volts > 3 {
		add(finding.Stop, "high")
	}
	if x.Groups >= 4 || x.Wet {
		add(finding.Note, "many")
	}
	return fs, nil
}

func said(x any, err error) string {
	if err != nil {
		return "error"
	}
	var out []string
	for _, f := range x.([]finding.Finding) {
		out = append(out, f.Level.String()+" "+f.Code)
	}
	return strings.Join(out, "\n")
}

// Limits are found to their last digit, each with the side on which it lies.
func TestWhereALimitLies(t *testing.T) {
	got := golden.Changes(in{Volts: 2.5, Groups: 2}, func(x in) string { return said(judge(x)) })
	want := []string{"Volts from 0: − error", "Volts above 3: + stop high", "Groups above 3: + note many",
		"Wet true: + note many"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, expected %q", got, want)
	}
}

// quiet notes that something was said, and fails nothing.
type quiet struct {
	testing.TB
	failed bool
}

func (q *quiet) Helper()               {}
func (q *quiet) Error(...any)          { q.failed = true }
func (q *quiet) Errorf(string, ...any) { q.failed = true }

// A limit that moved by a thousandth, an edge that changed sides, a level, a text, and a finding that is not said are
// each another answer than the one that was kept.
func TestWhatIsNotAsItWasFails(t *testing.T) {
	t.Chdir(t.TempDir())
	cases := []golden.Case[in]{{Name: "c", In: in{Volts: 2.5, Groups: 2}}}
	t.Setenv("GOLDEN", "write")
	golden.Judged(t, "x", cases, judge)
	if err := os.Unsetenv("GOLDEN"); err != nil {
		t.Fatal(err)
	}
	for name, other := range map[string]struct {
		solve func(x in) (any, error)
		fails bool
	}{
		"the same": {judge, false},
		"a limit":  {func(x in) (any, error) { x.Volts *= 1.001; return judge(x) }, true},
		"an edge": {func(x in) (any, error) {
			if x.Volts == 3 {
				x.Volts = 3.5
			}
			return judge(x)
		}, true},
		"a level": {func(x in) (any, error) {
			v, err := judge(x)
			if fs, ok := v.([]finding.Finding); ok && len(fs) > 0 {
				fs[0].Level = finding.Note
			}
			return v, err
		}, true},
		"a text": {func(x in) (any, error) {
			v, err := judge(x)
			if fs, ok := v.([]finding.Finding); ok && len(fs) > 0 {
				fs[0].Text = "u"
			}
			return v, err
		}, true},
		"nothing said": {func(x in) (any, error) { _, err := judge(x); return []finding.Finding(nil), err }, true},
	} {
		q := &quiet{TB: t}
		golden.Judged(q, "x", cases, other.solve)
		if q.failed != other.fails {
			t.Errorf("%s: failed %v", name, q.failed)
		}
	}
}
