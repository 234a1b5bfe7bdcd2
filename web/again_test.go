package web_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
)

// counting is how many rows of a table count for a module.
func (s *site) counting(table, number string) (n int64) {
	s.t.Helper()
	if err := s.st.DB.Raw("SELECT count(*) FROM counting_"+table+" WHERE module_id = (SELECT id FROM modules WHERE "+
		"number = ?)", number).Scan(&n).Error; err != nil {
		s.t.Fatal(err)
	}
	return n
}

// A form that was taken back and is sent once more, as it was, counts; sent twice it still counts once.
func TestTakenBackAndSentAgain(t *testing.T) {
	for _, c := range []struct {
		name, table, page string
		values            url.Values
	}{
		{"a survey", "surveys", "/modules/K-127/survey", url.Values{"g1": {"3.701"}, "g2": {"3.702"}, "g3": {"3.703"},
			"g4": {"3.702"}, "g5": {"3.701"}, "g6": {"3.702"}, "g7": {"3.703"}, "rest_min": {"60"},
			"alone": {"alone"}}},
		{"a look", "inspections", "/modules/K-127/inspect", url.Values{"clear": {"nothing found"}, "nothing": {"yes"}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newSite(t, true)
			c.values.Set("by", "AK")
			c.values.Set("token", "abcdefabcdefabcdefabcdef")
			before := s.counting(c.table, "K-127")
			send := func(want int64) {
				t.Helper()
				w := s.form(c.page, c.page, c.values)
				if got := s.counting(c.table, "K-127") - before; w.Code != http.StatusSeeOther || got != want {
					t.Fatalf("%d, %d count, expected %d: %s", w.Code, got, want, saysOf(w.Body.String()))
				}
			}
			for range 3 {
				send(1)
				send(1)
				undo := s.form("/modules/K-127", "/undo", url.Values{"saved": {s.cookies["pandrel_undo"]},
					"by": {"AK"}})
				if got := s.counting(c.table, "K-127") - before; undo.Code != http.StatusSeeOther || got != 0 {
					t.Fatalf("taken back: %d, %d count", undo.Code, got)
				}
			}
			send(1)
		})
	}
}

// A row of a grid that repeats its module's last sitting is on record; the other rows are kept all the same.
func TestEachRowOfAGridAnswersForItself(t *testing.T) {
	s := newSite(t, true)
	var numbers []string
	if err := s.st.DB.Raw("SELECT m.number FROM modules m JOIN module_types t ON t.id = m.type_id WHERE t.name = " +
		"'TRIKE-7' AND m.station = 'survey' AND m.quarantined = 0 AND m.hold = '' ORDER BY m.number LIMIT 3").
		Scan(&numbers).Error; err != nil || len(numbers) < 3 {
		t.Fatal(numbers, err)
	}
	table := func(of []string) string {
		var b strings.Builder
		b.WriteString("module,g1,g2,g3,g4,g5,g6,g7\n")
		for i, n := range of {
			fmt.Fprintf(&b, "%s,3.70%d,3.701,3.702,3.701,3.700,3.701,3.702\n", n, i)
		}
		return b.String()
	}
	send := func(token, data string) int {
		return s.form("/import?kind=surveys", "/import", url.Values{"kind": {"surveys"}, "data": {data},
			"save": {"yes"}, "by": {"AK"}, "token": {token}}).Code
	}
	if code := send("aaaaaaaaaaaaaaaaaaaaaaaa", table(numbers[:1])); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	if code := send("bbbbbbbbbbbbbbbbbbbbbbbb", table(numbers)); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	for i, n := range numbers {
		if got := s.counting("surveys", n); got != 1 {
			t.Errorf("row %d, %s: %d surveys", i+1, n, got)
		}
	}
}
