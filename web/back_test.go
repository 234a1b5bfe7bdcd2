package web_test

import (
	"net/http"
	"net/url"
	"testing"
)

// What was missing somewhere is written down, and leads back there.
func TestWhatWasMissingLeadsBack(t *testing.T) {
	s := newSite(t, true)
	bench := func(channels, module string) url.Values {
		return url.Values{"d0_name": {"cycler"}, "d0_series": {"7"}, "d0_charge_a": {"20"}, "d0_channels": {channels},
			"module": {module}, "by": {"MO"}}
	}
	for _, c := range []struct {
		name, page, to string
		v              url.Values
		want           string
	}{
		{"the bench, from a test", "/bench?module=K-110", "/bench/kit", bench("2", "K-110"), "/modules/K-110/test"},
		{"the bench by itself", "/bench", "/bench/kit", bench("3", ""), "/bench"},
		{"a module that there is not", "/bench", "/bench/kit", bench("4", "K-9999"), "/bench"},
		{"no address of somebody else", "/bench", "/bench/kit", bench("5", "//else.where/"), "/bench"},
		{"a type, from a lot", "/types?lot=2", "/types", url.Values{"lot": {"2"}, "name": {"BACK-2"},
			"chemistry": {"nmc"}, "posts": {"A- A+"}, "by": {"MO"}}, "/lots/2?type=7#add"},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := s.form(c.page, c.to, c.v)
			if to := w.Header().Get("Location"); w.Code != http.StatusSeeOther || to != c.want {
				t.Errorf("answered %d to %q: expected %q: %s", w.Code, to, c.want, messages(w.Body.String()))
			}
		})
	}
}
