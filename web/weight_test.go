package web_test

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"path"
	"regexp"
	"strings"
	"testing"
)

// A first visit may weigh this much before compression, fonts included: old tablets stand on benches.
const heaviestVisit = 250_000

var (
	linked   = regexp.MustCompile(`(?:href|src)="(/static/[^"]+)"`)
	version  = regexp.MustCompile(`^/static/v[0-9a-f]{12}/`)
	imported = regexp.MustCompile(`(?m)^import (?:.* from )?'([^']+)'`)
	// Fonts are fetched by the letters a page uses; those of plain Latin are on every page.
	plainFont = regexp.MustCompile(`url\("(vendor/[a-z-]+-latin-\d+-normal\.woff2)"\)`)
)

// visit collects what a browser without a cache fetches to show a page, by path and weight.
func visit(t *testing.T, s *site, page string) map[string]int {
	t.Helper()
	got := map[string]int{}
	var fetch func(url string)
	fetch = func(url string) {
		if _, ok := got[url]; ok {
			return
		}
		w := s.do(httptest.NewRequest(http.MethodGet, url, nil))
		if w.Code != http.StatusOK {
			t.Fatalf("%s: %d", url, w.Code)
		}
		body := w.Body.String()
		got[url] = len(body)
		var found [][]string
		switch {
		case strings.HasSuffix(url, ".js"):
			found = imported.FindAllStringSubmatch(body, -1)
		case strings.HasSuffix(url, ".css"):
			found = plainFont.FindAllStringSubmatch(body, -1)
		case url == page:
			found = linked.FindAllStringSubmatch(body, -1)
		}
		for _, f := range found {
			to := f[1]
			if !strings.HasPrefix(to, "/") {
				to = path.Join(path.Dir(url), to)
			}
			fetch(to)
		}
	}
	fetch(page)
	return got
}

func TestAFirstVisitIsLight(t *testing.T) {
	got := visit(t, newSite(t, true), "/")
	sum := 0
	plain := map[string]bool{}
	for url, n := range got {
		t.Logf("%7d %s", n, url)
		sum += n
		plain[version.ReplaceAllString(url, "/static/")] = true
	}
	t.Logf("%7d in all", sum)
	if sum > heaviestVisit {
		t.Errorf("a first visit weighs %d bytes: expected at most %d", sum, heaviestVisit)
	}
	for _, must := range []string{"/static/pandrel.css", "/static/app.js", "/static/js/drafts.js",
		"/static/vendor/vollkorn-latin-500-normal.woff2"} {
		if !plain[must] {
			t.Errorf("%s was not seen: the test looks at the wrong things", must)
		}
	}
}

// What comes over the line is packed; what is packed must stay light too, on each page that somebody may begin with.
const heaviestOnTheLine = 150_000

func TestAFirstVisitIsLightOnTheLine(t *testing.T) {
	s := newSite(t, true)
	for _, page := range []string{"/", "/lots/1", "/modules/K-125", "/modules/K-125/survey", "/banks/1", "/banks/8",
		"/workings", "/bench"} {
		sum := 0
		for url := range visit(t, s, page) {
			sum += s.asked(url).Body.Len()
		}
		t.Logf("%7d on the line for %s", sum, page)
		if sum > heaviestOnTheLine || sum < 50_000 {
			t.Errorf("a first visit to %s brings %d bytes over the line: expected at most %d", page, sum,
				heaviestOnTheLine)
		}
	}
}

// asked is an answer as a browser asks for it, packed.
func (s *site) asked(url string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodGet, url, nil)
	r.Host = "127.0.0.1:8460"
	r.Header.Set("Accept-Encoding", "gzip")
	w := httptest.NewRecorder()
	s.h.ServeHTTP(w, r)
	return w
}

func TestAnswersAreCompressed(t *testing.T) {
	s := newSite(t, true)
	for _, c := range []struct {
		name, path string
		code       int
		packed     bool
	}{
		{"a page", "/", 200, true},
		{"the styles", "/static/pandrel.css", 200, true},
		{"the page of an error is written last, and short", "/no-such-page", 404, false},
		{"a font is packed already", "/static/vendor/vollkorn-latin-500-normal.woff2", 200, false},
		{"a picture is packed already", "/pictures/1", 200, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			plain := s.do(httptest.NewRequest(http.MethodGet, c.path, nil))
			w := s.asked(c.path)
			if w.Code != c.code || plain.Code != c.code {
				t.Fatalf("answered %d and %d: expected %d", w.Code, plain.Code, c.code)
			}
			if got := w.Header().Get("Content-Encoding") == "gzip"; got != c.packed {
				t.Fatalf("compressed: %v, expected %v", got, c.packed)
			}
			if !c.packed {
				return
			}
			size := w.Body.Len()
			z, err := gzip.NewReader(w.Body)
			if err != nil {
				t.Fatal(err)
			}
			text, err := io.ReadAll(z)
			if err != nil {
				t.Fatal(err)
			}
			if size*2 > len(text) {
				t.Errorf("%d bytes of %d: hardly smaller", size, len(text))
			}
		})
	}
}
