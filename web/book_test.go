package web_test

import (
	"regexp"
	"strings"
	"testing"
)

// Each rule that a page of the sample workshop names leads to its section, on a page that ships with the program.
func TestRulesOnPagesLeadToTheirSections(t *testing.T) {
	s := newSite(t, true)
	code, rules := s.get("/rules")
	if code != 200 || !strings.Contains(rules, `href="/hazards"`) || !strings.Contains(rules, "<th>LMO blend</th>") {
		t.Fatalf("the rules: %d", code)
	}
	if code, hazards := s.get("/hazards"); code != 200 || !strings.Contains(hazards, "Arc and burn at any voltage") ||
		!strings.Contains(hazards, `href="/rules"`) {
		t.Errorf("the hazards: %d", code)
	}
	link := regexp.MustCompile(`href="/rules#(s\d+)"`)
	led := map[string]int{}
	for _, page := range []string{"/banks/1", "/banks/2", "/modules/K-006", "/modules/K-013", "/modules/K-128",
		"/banks/5", "/banks/7", "/limits", "/workings/volts", "/workings/fuse", "/modules/K-110/datasheet"} {
		_, body := s.get(page)
		for _, m := range link.FindAllStringSubmatch(body, -1) {
			if led[m[1]]++; !strings.Contains(rules, `id="`+m[1]+`"`) {
				t.Errorf("%s names section %s, which is not there", page, m[1])
			}
		}
	}
	if len(led) < 5 {
		t.Errorf("only %v are named: this test tests nothing", led)
	}
}
