package web_test

import (
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// asked gets a page with cookies of its own.
func asked(s *site, path string, cookies ...string) string {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	for i := 0; i+1 < len(cookies); i += 2 {
		r.AddCookie(&http.Cookie{Name: cookies[i], Value: cookies[i+1]})
	}
	return s.do(r).Body.String()
}

// A page that is kept differs in nothing from one that is worked out, but for what must differ each time.
func TestAKeptPageIsThePage(t *testing.T) {
	s := newSite(t, true)
	plain := func(body string) string {
		return tokenField.ReplaceAllString(csrfField.ReplaceAllString(body, "guard"), "token")
	}
	for _, path := range []string{"/", "/modules/K-108", "/modules/K-020/survey", "/banks/1", "/lots/1",
		"/station/grade", "/types/2", "/search?q=K-0", "/keys"} {
		t.Run(path, func(t *testing.T) {
			first, second := asked(s, path), asked(s, path)
			if plain(first) != plain(second) || !strings.Contains(second, "</html>") {
				t.Error("the kept page is another one")
			}
			a, b := tokenField.FindAllString(first, -1), tokenField.FindAllString(second, -1)
			for i := range a {
				if a[i] == b[i] {
					t.Errorf("token %d was given out twice", i)
				}
			}
		})
	}
}

func TestAKeptPageIsForgottenWithAnyChange(t *testing.T) {
	s := newSite(t, true)
	has := func(path, text string) bool { return strings.Contains(asked(s, path), text) }
	if has("/station/receive", "Quay Salvage") {
		t.Fatal("there before it came")
	}
	if w := s.form("/station/receive", "/lots", url.Values{"supplier": {"Quay Salvage"},
		"arrived_on": {"2026-11-20"}}); w.Code != http.StatusSeeOther {
		t.Fatal(w.Code)
	}
	if !has("/station/receive", "Quay Salvage") {
		t.Error("the list is the one from before")
	}
	s.st.DB.Exec("UPDATE lots SET supplier = 'Outside of an action' WHERE supplier = 'Quay Salvage'")
	if !has("/station/receive", "Outside of an action") {
		t.Error("a change outside of an action was not seen")
	}
}

func TestAKeptPageIsForWhoAskedForIt(t *testing.T) {
	s := newSite(t, true)
	for _, c := range []struct{ name, cookie, a, b, sign string }{
		{"initials", "pandrel_by", "AK", "ZZ", `value="ZZ"`},
		{"how a face lies", "pandrel_lie_2", "", "turned", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			asked(s, "/modules/K-020/survey", c.cookie, c.a)
			if got := asked(s, "/modules/K-020/survey", c.cookie, c.b); !strings.Contains(got, c.sign) {
				t.Errorf("the page of somebody else: %s is missing", c.sign)
			}
		})
	}
	// Each browser's guard is its own, also on a page that another one worked out.
	other := &site{t, s.h, s.st, s.shop, map[string]string{}}
	asked(s, "/station/receive")
	if w := other.form("/station/receive", "/lots", url.Values{"supplier": {"Other"},
		"arrived_on": {"2026-11-20"}}); w.Code != http.StatusSeeOther {
		t.Errorf("the form of a kept page was refused: %d", w.Code)
	}
	mine, _ := other.get("/")
	if theirs := s.cookies["pandrel_csrf"]; theirs == other.cookies["pandrel_csrf"] || mine != 200 {
		t.Error("two browsers share a guard")
	}
}

// BenchmarkKeptPages is what a workshop's tablets ask for all day.
func BenchmarkKeptPages(b *testing.B) {
	s := newSite(b, true)
	for _, path := range []string{"/", "/banks/1", "/lots/1", "/modules/K-108", "/keys"} {
		s.get(path)
		b.Run(path, func(b *testing.B) {
			b.RunParallel(func(pb *testing.PB) {
				for pb.Next() {
					r := httptest.NewRequest(http.MethodGet, path, nil)
					r.Host = "127.0.0.1:8460"
					r.Header.Set("Accept-Encoding", "gzip")
					w := httptest.NewRecorder()
					s.h.ServeHTTP(w, r)
					if w.Code != http.StatusOK {
						b.Error(w.Code)
						return
					}
				}
			})
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "pages/s")
		})
	}
}

// Of one sitting's conditions only the meter stands for the next: how long something rested belongs to what was read.
func TestOnlyTheMeterIsRemembered(t *testing.T) {
	s := newSite(t, true)
	v := url.Values{"rest_min": {"1200"}, "temp_c": {"31"}, "instrument": {"old bench meter"}, "accuracy_mv": {"7"},
		"by": {"AK"}, "then": {"stay"}, "confirm": {"yes"}}
	for g := 1; g <= 7; g++ {
		v.Set(fmt.Sprint("g", g), "3.78")
	}
	s.follow("/modules/K-125/survey", "/modules/K-125/survey", v)
	for _, page := range []string{"/modules/K-124/survey", "/lots/2/survey", "/banks/standing"} {
		_, body := s.get(page)
		for _, no := range []string{`value="1200"`, `value="31"`} {
			if strings.Contains(body, no) {
				t.Errorf("%s has %s from another sitting", page, no)
			}
		}
	}
	if _, body := s.get("/modules/K-124/survey"); !strings.Contains(body, `value="old bench meter"`) ||
		!strings.Contains(body, `value="7"`) {
		t.Error("the meter is forgotten")
	}
}

// A page that is kept answers for everything it did not look at: each look must be seen.
func TestEveryLookAtARequestIsSeen(t *testing.T) {
	past := regexp.MustCompile(`\.QueryParams?\(|\.QueryParamOr\(|[cr]\.Cookie\(|\.Cookies\(\)|` +
		`URL\.(Query\(|RawQuery)|HX-[A-Z]`)
	files := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
			path == filepath.Join("frame", "asked.go") {
			return err
		}
		files++
		text, err := os.ReadFile(path)
		for i, line := range strings.Split(string(text), "\n") {
			if past.MatchString(line) && !strings.Contains(line, "guardCookie") {
				t.Errorf("%s:%d looks past frame/asked.go: %s", path, i+1, strings.TrimSpace(line))
			}
		}
		return err
	})
	if err != nil || files < 60 {
		t.Errorf("%d files, %v", files, err)
	}
}
