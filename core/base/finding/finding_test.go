package finding_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"pandrel/core/base/finding"
)

func ExampleSorted() {
	fs := []finding.Finding{
		{Level: finding.Note, Code: "spread"},
		{Level: finding.Stop, Code: "over-limit"},
		{Level: finding.Caution, Code: "warm"},
	}
	for _, f := range finding.Sorted(fs) {
		fmt.Println(f.Level, f.Code)
	}
	// Output:
	// stop over-limit
	// caution warm
	// note spread
}

func TestLevelsTravelAsWords(t *testing.T) {
	for _, l := range []finding.Level{finding.Note, finding.Caution, finding.Stop, finding.Refuse} {
		b, err := json.Marshal(l)
		if err != nil {
			t.Fatal(err)
		}
		var back finding.Level
		if err := json.Unmarshal(b, &back); err != nil || back != l {
			t.Errorf("%s came back as %v, %v", b, back, err)
		}
	}
	var l finding.Level
	if err := json.Unmarshal([]byte(`"danger"`), &l); err == nil {
		t.Error("an unknown level was read without an error")
	}
}

func TestBlocks(t *testing.T) {
	cases := []struct {
		name string
		lvl  []finding.Level
		want bool
	}{
		{"nothing found", nil, false},
		{"notes and cautions pass", []finding.Level{finding.Note, finding.Caution}, false},
		{"one stop blocks", []finding.Level{finding.Note, finding.Stop}, true},
		{"a refusal blocks", []finding.Level{finding.Refuse}, true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			var fs []finding.Finding
			for _, l := range c.lvl {
				fs = append(fs, finding.Finding{Level: l})
			}
			if got := finding.Blocks(fs); got != c.want {
				t.Errorf("%s: Blocks = %v", c.name, got)
			}
		})
	}
}
