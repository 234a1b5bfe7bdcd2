package jobs_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"pandrel/golden"
)

// mostPages bounds how many pages of a workshop are read.
const mostPages = 400

// end reads every page, sheet and label of the workshop as the visitor leaves it: none may show a number that is
// assumed without a word that says so in sight and a way to what would replace it, none may fail, and no number of the
// trade that the visitor never gave may stand there as if it had been read.
func (w *walk) end(never ...string) {
	w.t.Helper()
	if w.sent > mostSent {
		w.t.Errorf("%d forms were sent: expected at most %d", w.sent, mostSent)
	}
	seen, queue := map[string]bool{"/": true}, []string{"/"}
	for len(queue) > 0 && len(seen) < mostPages {
		path := queue[0]
		queue = queue[1:]
		a := w.do(httptest.NewRequest(http.MethodGet, path, nil))
		if a.Code >= 400 && a.Code != http.StatusUnprocessableEntity {
			w.t.Errorf("%s: %d", path, a.Code)
			continue
		}
		if !strings.HasPrefix(a.Header().Get("Content-Type"), "text/html") {
			continue
		}
		doc, err := html.Parse(a.Body)
		if err != nil {
			w.t.Fatal(err)
		}
		w.assumed(path, doc)
		w.loose(path, doc)
		for _, wrong := range append(golden.Stuck(doc), golden.Plurals(doc)...) {
			w.t.Errorf("%s: %s", path, wrong)
		}
		text := textOf(doc)
		for _, bad := range never {
			if k := strings.Index(text, bad); k >= 0 {
				w.t.Errorf("%s says %q: …%s…", path, bad, text[max(0, k-80):min(len(text), k+80)])
			}
		}
		base, _ := url.Parse(path)
		for n := range doc.Descendants() {
			to, err := base.Parse(attr(n, "href"))
			if n.Data != "a" || err != nil || to.Host != "" || !own(to.Path) {
				continue
			}
			if next := to.RequestURI(); !seen[next] {
				seen[next] = true
				queue = append(queue, next)
			}
		}
	}
}

// own reports whether a page is about what is in this workshop, and not one that is the same in each.
func own(path string) bool {
	for _, p := range []string{"/rules", "/hazards", "/keys", "/workings", "/practice", "/static", "/glyphs",
		"/limits"} {
		if strings.HasPrefix(path, p) {
			return false
		}
	}
	return true
}

// saidSo are the words for what is assumed.
var saidSo = []string{"assumed", "typical", "usual"}

// assumed finds numbers that are assumed where nothing near them says so: in their paragraph, row, item or term, or in
// the figure whose drawing they stand in.
func (w *walk) assumed(path string, doc *html.Node) {
	w.t.Helper()
	for n := range doc.Descendants() {
		if attr(n, "data-from") != "assumed" {
			continue
		}
		near := n
		for near.Parent != nil && !slices.Contains([]string{"p", "li", "tr", "div", "section", "text", "dd", "td"},
			near.Data) {
			near = near.Parent
		}
		if near.Data == "td" || near.Data == "dd" {
			near = near.Parent
		}
		if near.Data == "text" && !leads(near) {
			for up := near.Parent; up != nil; up = up.Parent {
				if up.Data == "figure" {
					near = up
				}
			}
		}
		text := strings.ToLower(textOf(near))
		if !slices.ContainsFunc(saidSo, func(s string) bool { return strings.Contains(text, s) }) {
			w.t.Errorf("%s: %q is assumed, and nothing beside it says so: %s", path, textOf(n), text)
		}
		if !leads(near) {
			w.t.Errorf("%s: %q is assumed, and nothing beside it leads to what would replace it: %s", path, textOf(n),
				text)
		}
	}
}

// leads reports whether a paragraph or row has a link, a button or a field.
func leads(near *html.Node) bool {
	for x := range near.Descendants() {
		if slices.Contains([]string{"a", "button", "input", "select"}, x.Data) {
			return true
		}
	}
	return false
}

// loose finds numbers of the trade that stand outside of a data element.
func (w *walk) loose(path string, doc *html.Node) {
	w.t.Helper()
	var b strings.Builder
	var read func(n *html.Node)
	read = func(n *html.Node) {
		switch {
		case n.Type == html.TextNode:
			b.WriteString(n.Data)
			return
		case attr(n, "data-from") != "" || n.Data == "bdi":
			b.WriteString("¤")
			return
		case n.Type == html.ElementNode && (slices.Contains([]string{"script", "style", "head", "option", "textarea",
			"title", "footer"}, n.Data)):
			return
		}
		block := n.Type == html.ElementNode && !slices.Contains(inline, n.Data)
		if block {
			b.WriteString("\n")
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			read(c)
		}
		if block {
			b.WriteString("\n")
		}
	}
	read(doc)
	for _, line := range golden.Loose(b.String()) {
		w.t.Errorf("%s: a number does not say where it comes from: %.160q", path, line)
	}
}
