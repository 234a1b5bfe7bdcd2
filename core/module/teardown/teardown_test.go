package teardown_test

import (
	"fmt"
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/teardown"
)

var list = []teardown.Step{
	{Key: "s1", Do: "Lift the lid", Fastener: "M5 × 16 screw", Count: 8, Tool: "4 mm hex", Trap: "two are longer",
		Keep: "lid", KeepCount: 1},
	{Key: "s2", Do: "Take the control board off", Fastener: "M3 × 8 screw", Count: 4, Keep: "control board",
		KeepCount: 1},
	{Key: "s3", Do: "Pull the end plate", Fastener: "M6 nut", Count: 4, Keep: "spacer", KeepCount: 2},
}

func off(key string, fasteners, parts int) teardown.Record {
	return teardown.Record{Key: key, Way: teardown.Off, Fasteners: fasteners, Parts: parts}
}

func on(key string, fasteners, parts int) teardown.Record {
	return teardown.Record{Key: key, Way: teardown.On, Fasteners: fasteners, Parts: parts}
}

var open = []teardown.Record{off("s1", 8, 1), off("s2", 4, 1), off("s3", 4, 2)}

func codes(fs []finding.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, f.Code)
	}
	return out
}

func next(states []teardown.State) int {
	for _, s := range states {
		if s.Next {
			return s.No
		}
	}
	return 0
}

func TestOpeningForwardsClosingBackwards(t *testing.T) {
	var rs []teardown.Record
	for i, want := range []int{1, 2, 3} {
		if got := next(teardown.States("K-1", list, rs)); got != want {
			t.Errorf("after %d steps off: next is %d", i, got)
		}
		if teardown.Closing(teardown.States("K-1", list, rs)) {
			t.Errorf("after %d steps off: it is being closed", i)
		}
		rs = append(rs, open[i])
	}
	if s := teardown.States("K-1", list, rs); next(s) != 3 || !teardown.Closing(s) {
		t.Errorf("all off: next is %d", next(s))
	}
	for i, k := range []string{"s3", "s2", "s1"} {
		rs = append(rs, on(k, list[2-i].Count, list[2-i].KeepCount))
		if got, want := next(teardown.States("K-1", list, rs)), 2-i; got != want {
			t.Errorf("after %s on: next is %d, expected %d", k, got, want)
		}
	}
	fs, done := teardown.Findings(teardown.States("K-1", list, rs))
	if !done || len(fs) > 0 {
		t.Errorf("all back, and %v %v", done, fs)
	}
}

// What came off is what is in the tray plus what is back: nothing appears or vanishes.
func TestTrayBalances(t *testing.T) {
	rs := append(slices.Clone(open), on("s3", 4, 1))
	if s := teardown.States("K-1", list, rs); !s[2].Short || s[0].Short {
		t.Error("a step that is on with a part too few is not marked")
	}
	out, back := 0, 0
	for _, p := range teardown.Tray(teardown.States("K-1", list, rs)) {
		out, back = out+p.Out, back+p.Back
	}
	if out != 8+1+4+1+4+2 || back != 5 {
		t.Errorf("%d came off, %d are back", out, back)
	}
}

func TestMissing(t *testing.T) {
	for _, c := range []struct {
		name    string
		records []teardown.Record
		want    []string
		done    bool
	}{
		{"nothing begun", nil, nil, false},
		{"open", open, nil, false},
		{"a screw short when opened", []teardown.Record{off("s1", 7, 1)}, []string{"fewer-fasteners"}, false},
		{"the board was gone", []teardown.Record{off("s2", 4, 0)}, []string{"fewer-parts"}, false},
		{"a spacer left over", append(slices.Clone(open), on("s3", 4, 1)), []string{"missing", "not-closed"}, false},
		{"a nut left over, all closed", append(slices.Clone(open), on("s3", 3, 2), on("s2", 4, 1), on("s1", 8, 1)),
			[]string{"missing"}, true},
		{"one nut more", append(slices.Clone(open), on("s3", 5, 2), on("s2", 4, 1), on("s1", 8, 1)),
			[]string{"more-back"}, true},
		{"counted again", append(slices.Clone(open), on("s3", 3, 2), on("s3", 4, 2), on("s2", 4, 1), on("s1", 8, 1)),
			nil, true},
		{"opened again", append(slices.Clone(open), on("s3", 4, 2), on("s2", 4, 1), on("s1", 8, 1), off("s1", 8, 1)),
			[]string{"not-closed"}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			fs, done := teardown.Findings(teardown.States("K-1", list, c.records))
			if got := codes(fs); !slices.Equal(got, c.want) || done != c.done {
				t.Errorf("%s: %v, done %v", c.name, got, done)
			}
		})
	}
}

func TestWhatCannotBeUsed(t *testing.T) {
	for _, c := range []struct {
		name  string
		step  teardown.Step
		field string
	}{
		{"nothing to do", teardown.Step{Key: "a"}, "do"},
		{"no key", teardown.Step{Do: "x"}, "key"},
		{"eight of what", teardown.Step{Key: "a", Do: "x", Count: 8}, "fastener"},
		{"a part without a number", teardown.Step{Key: "a", Do: "x", Keep: "lid"}, "keep_count"},
		{"a number without a part", teardown.Step{Key: "a", Do: "x", KeepCount: 1}, "keep"},
		{"too many", teardown.Step{Key: "a", Do: "x", Count: 1000}, "count"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if n, field, _ := teardown.CheckSteps([]teardown.Step{c.step}); n != 1 || field != c.field {
				t.Errorf("%s: step %d field %q", c.name, n, field)
			}
		})
	}
	if n, _, text := teardown.CheckSteps(list); n != 0 || text != "" {
		t.Errorf("a good list: %s", text)
	}
	if _, field, _ := teardown.CheckSteps([]teardown.Step{list[0], list[0]}); field != "key" {
		t.Error("the same key twice")
	}
}

func ExampleTray() {
	rs := []teardown.Record{{Key: "s1", Way: teardown.Off, Fasteners: 8, Parts: 1}}
	for _, p := range teardown.Tray(teardown.States("K-031", list, rs)) {
		fmt.Println(p.Number, p.Name, p.Out)
	}
	// Output:
	// K-031/1 lid 1
	// K-031/1 M5 × 16 screw 8
}
