package finding_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
)

func TestARuleIsTakenApart(t *testing.T) {
	for rule, want := range map[string][]string{"": nil, "rules §3": {"3"}, "rules §3, §13, §17": {"3", "13", "17"},
		"rules §2.7": {"2"}, "hazards: shock": {"hazards"}, "hazards; rules §18": {"hazards", "18"}, "§": nil,
		"the shop's own": nil, "rules §9, sense table": {"9"}, "§12§1": {"12", "1"}} {
		var got []string
		text := ""
		for _, c := range finding.Cite(rule) {
			if text += c.Text; c.Section != "" {
				got = append(got, c.Section)
			}
		}
		if !slices.Equal(got, want) || text != rule {
			t.Errorf("%q: sections %v of %q", rule, got, text)
		}
	}
	if c := finding.Cite("rules §9 " + strings.Repeat("§", 3)); len(c) != 6 {
		t.Errorf("%q", c)
	}
}

func ExampleCite() {
	fmt.Printf("%q\n", finding.Cite("rules §9, §10"))
	// Output: [{"rules " ""} {"§9" "9"} {", " ""} {"§10" "10"}]
}
