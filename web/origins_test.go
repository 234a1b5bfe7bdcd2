package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"pandrel/store"
)

// A form of one kind of bank sent to one of another is refused in words and changes nothing: an old page, or a guess.
func TestFormsOfAnotherOriginAreRefused(t *testing.T) {
	s := newSite(t, true)
	row := func(id int) string {
		var b store.Bank
		if err := s.st.DB.Take(&b, id).Error; err != nil {
			t.Fatal(err)
		}
		drawn := int64(0)
		if b.DrawingID != nil {
			drawn = *b.DrawingID
		}
		b.LotID, b.DrawingID, b.BuiltByID = nil, nil, nil // printed, each is where it lies
		return fmt.Sprintf("%+v, drawing %d", b, drawn)
	}
	fields := url.Values{"by": {"AB"}, "version": {"1"}, "name": {"renamed"}, "bms": {"T8-100"},
		"grid": {"3.3 3.3 3.3 " +
			"3.3"},
		"capacity_ah": {"60"}, "from_full": {"yes"}, "step": {"history"}, "confirm": {"yes"}, "series": {"4"},
		"chemistry": {"lfp"},
		"class":     {"24"}, "answer": {"no"}, "s0": {"0"}, "s1": {"3.3"}, "way": {"down"}, "type": {"1"},
		"first": {"K-960"},
		"count": {"1"}, "out": {"K-001"}, "in": {"K-002"}}
	of := map[string][]string{
		"built":    {"", "/design", "/delete", "/parts", "/step", "/service", "/frost", "/out", "/replace", "/undo"},
		"standing": {"/open/step", "/open/gates", "/survey", "/cells", "/extend"},
		"pack":     {"/split", "/modules"},
		"any":      {"/bms", "/sense", "/test"},
	}
	for _, c := range []struct {
		id     int
		forms  []string // that are of another origin
		origin string
	}{{3, of["pack"], "built"}, {5, append(append(of["built"], of["standing"]...), of["any"]...), "pack"},
		{8, append(of["built"], of["pack"]...), "standing"}, {3, append(of["standing"], of["any"]...), "built"}} {
		before := row(c.id)
		for i, form := range c.forms {
			v := url.Values{}
			for k, x := range fields {
				v[k] = x
			}
			v.Set("token", fmt.Sprintf("origins-%d-%d-%s", c.id, i,
				c.origin))
			w := s.form("/banks/standing", fmt.Sprintf("/banks/%d%s", c.id, form),
				v)
			if w.Code != http.StatusUnprocessableEntity && w.Code != http.StatusNotFound &&
				w.Code != http.StatusConflict {
				t.Errorf("%s, bank %d, %s: %d %s", c.origin, c.id, form, w.Code, w.Header().Get("Location"))
			}
			if strings.Contains(w.Body.String(), "Something went wrong") {
				t.Errorf("%s, bank %d, %s: %.300s", c.origin, c.id, form, w.Body.String())
			}
		}
		if after := row(c.id); after != before {
			t.Errorf("%s, bank %d: %s became %s", c.origin, c.id, before, after)
		}
	}
}

// Addresses that were printed lead to what they
//
// named.
func TestPrintedAddressesLeadOn(t *testing.T) {
	s := newSite(t,
		true)
	for path, want := range map[string]string{"/services": "/banks/standing", "/packs": "/banks/packs",
		"/runs":       "/tests",
		"/services/1": "/banks/7", "/packs/2": "/banks/6", "/traces/1": "/tests/1",
		"/traces/1/samples?from=1&to=2": "/tests/1" +
			"/samples?from=1&to=2", "/traces/1/original": "/tests/1/original"} {
		w := s.do(httptest.NewRequest(http.MethodGet, path,
			nil))
		if w.Code != http.StatusMovedPermanently || w.Header().Get("Location") != want {
			t.Errorf("%s: %d to %q, expected %q", path, w.Code, w.Header().Get("Location"), want)
		}
	}
	for _, path := range []string{"/services/99", "/packs/99", "/traces/999", "/traces/1/else", "/hand/1",
		"/services/x"} {
		if w := s.do(httptest.NewRequest(http.MethodGet, path, nil)); w.Code != http.StatusNotFound {
			t.Errorf("%s: %d", path, w.Code)
		}
	}
	for path, want := range map[string]string{"/records/standing-survey-1": "survey of a bank",
		"/records/bank-test-1": "test of a " +
			"whole bank"} {
		if code, body := s.get(path); code != http.StatusOK || !strings.Contains(body, want) {
			t.Errorf("%s: %d", path, code)
		}
	}
}
