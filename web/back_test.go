package web_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
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

// Two people survey one lot: the row with a slip of the one who is slower stays, though its module waits no more, and
// the rows keep their order.
func TestARowOfSomebodySlowerStays(t *testing.T) {
	s := newSite(t, true)
	quick := url.Values{"number": {"K-125"}, "by": {"AB"}, "instrument": {"meter"}}
	for g := 1; g <= 7; g++ {
		quick.Set(fmt.Sprintf("v0-%d", g), "3.71")
	}
	slow := url.Values{"number": {"K-125", "K-126", "K-127"}, "by": {"CD"}, "instrument": {"meter"}, "v0-1": {"3.7l"},
		"v2-1": {"3.72"}}
	if w := s.form("/lots/2/survey", "/lots/2/survey", quick); w.Code != http.StatusSeeOther {
		t.Fatalf("answered %d: %s", w.Code, messages(w.Body.String()))
	}
	w := s.form("/lots/2/survey", "/lots/2/survey", slow)
	body := w.Body.String()
	at := func(text string) int { return strings.Index(body, text) }
	if w.Code != http.StatusUnprocessableEntity || at(`value="3.7l"`) < 0 || at(`value="3.72"`) < 0 {
		t.Errorf("answered %d, and what was typed is gone: %s", w.Code, messages(body))
	}
	if a, b := at(`aria-label="K-126 group 1`), at(`aria-label="K-127 group 1`); a < 0 || b < a {
		t.Errorf("K-126 at %d, K-127 at %d: the rows have changed places", a, b)
	}
}

// No page sends somebody to the posts of a module that is held: the case may be live.
func TestNobodyIsLedToMapWhatIsHeld(t *testing.T) {
	s := newSite(t, true)
	const led = `<a class="btn btn-primary" href="/modules/K-201/map"`
	if _, body := s.get("/station/map"); !strings.Contains(body, led) {
		t.Fatal("the map begins with K-201 in the sample")
	}
	if err := s.st.DB.Exec("UPDATE modules SET hold = 'is not isolated' WHERE number = 'K-201'").Error; err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{"/station/map?x=1", "/lots/3?x=1", "/types/3?x=1"} {
		_, body := s.get(path)
		if strings.Contains(body, `href="/modules/K-201/map"`) && path != "/station/map?x=1" ||
			strings.Contains(body, led) {
			t.Errorf("%s leads to the map of a held module", path)
		}
		if !strings.Contains(body, `href="/modules/K-202/map"`) {
			t.Errorf("%s leads to no other", path)
		}
	}
}

// Each page of a module has one next step, as far as there is one: out of what holds it, or on to a bank.
func TestAModuleHasANextStep(t *testing.T) {
	s := newSite(t, true)
	for number, want := range map[string]string{"K-102": `href="/modules/K-102/survey">Survey K-102<`,
		"K-101": `href="/station/design">Make a bank<`, "K-209": `href="/modules/K-209/inspect">Look<`,
		"K-110": `href="/banks/1">Bank River gauge hut<`} {
		_, page := s.get("/modules/" + number)
		_, main, _ := strings.Cut(page, `<main id="main"`)
		main, _, _ = strings.Cut(main, "</main>")
		if n := strings.Count(main, `btn btn-primary" href`); n != 1 || !strings.Contains(main,
			`btn btn-primary" `+want) {
			t.Errorf("%s has %d main buttons: expected one, %s", number, n, want)
		}
	}
}
