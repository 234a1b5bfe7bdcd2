package web_test

import (
	"strings"
	"testing"
)

// A need is answered while it is typed, and nothing of it is kept.
func TestANeedIsAnsweredWhileItIsTyped(t *testing.T) {
	s := newSite(t, true)
	part := func(query string) string {
		_, body := s.get("/station/design" + query)
		_, body, ok := strings.Cut(body, `id="need-answer"`)
		if !ok {
			t.Fatalf("%s: no answer", query)
		}
		body, _, _ = strings.Cut(body, "<form")
		return body
	}
	_, before := s.get("/banks")
	for _, c := range []struct{ name, query, says string }{
		{"nothing", "", ""},
		{"a system and a load", "?class=48&load_w=1200&cutoff_v=44", "groups of"},
		{"in amps", "?class=24&load_w=20+A", "groups of"},
		{"half a number", "?class=48&cutoff_v=44x", "Not all of it can be read yet"},
		{"what no stock reaches", "?series=61", "No way fits from the stock"},
	} {
		got := part(c.query)
		if c.says == "" && strings.Contains(got, "says") || !strings.Contains(got, c.says) {
			t.Errorf("%s: %.400s", c.name, got)
		}
	}
	if _, after := s.get("/banks"); after != before {
		t.Error("a need that was only typed is a bank now")
	}
}
