package web_test

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"pandrel/golden"
)

// What a person reads on the pages of the sample workshop, page by page, from Today along every link: each number,
// word, field with what stands in it, button and way on. A page that says something else than before is seen here,
// whatever made it so.
func TestWhatThePagesSay(t *testing.T) {
	s := newSite(t, true)
	var queue []string
	kinds, done := map[string]int{}, map[string]bool{}
	ask := func(path string) {
		if done[path] || strings.HasPrefix(path, "/static") || strings.Contains(path, "/events") ||
			strings.HasPrefix(path, "/practice/") && !strings.Contains(path, "seed=") {
			return
		}
		done[path] = true
		if kind := kindOf(path); kinds[kind] < 2 && (kinds[kind] < 1 || !strings.HasPrefix(path, "/workings")) {
			kinds[kind]++
			queue = append(queue, path)
		}
	}
	for _, path := range []string{"/", "/modules/K-006", "/modules/K-009", "/modules/K-108", "/modules/K-126",
		"/modules/K-201", "/modules/K-202", "/modules/K-209", "/modules/K-023", "/modules/K-013", "/banks/1",
		"/banks/2", "/banks/3", "/banks/4", "/banks/5", "/banks/6", "/banks/7", "/banks/8", "/banks/9",
		"/bms/1", "/lots/1", "/lots/2", "/lots/4", "/lots/2/labels?results=yes",
		"/modules/K-110/labels", "/types/1", "/types/2", "/types/3", "/banks/standing", "/tests", "/keys",
		"/practice/doubled?seed=3", "/practice/lost-isolation?seed=3", "/search?q=K-0"} {
		done[path] = true
		queue = append(queue, path)
	}
	told := map[string][]string{}
	for len(queue) > 0 {
		path := queue[0]
		queue = queue[1:]
		w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
		if strings.HasPrefix(w.Header().Get("Content-Type"), "text/html") {
			if doc, err := html.Parse(bytes.NewReader(w.Body.Bytes())); err == nil {
				for _, wrong := range append(golden.Stuck(doc), golden.Plurals(doc)...) {
					t.Errorf("%s: %s", path, wrong)
				}
			}
		}
		text, links := says(w, path)
		room := strings.Split(strings.Trim(path, "/"), "/")[0]
		if room, _, _ = strings.Cut(room, "?"); room == "" {
			room = "today"
		}
		told[room] = append(told[room], fmt.Sprintf("## %s: %d\n%s\n", path, w.Code, text))
		for _, l := range links {
			ask(l)
		}
	}
	for room, pages := range told {
		slices.Sort(pages)
		golden.Same(t, "pages-"+room, strings.Join(pages, ""))
	}
	if len(told) < 15 {
		t.Errorf("only %d rooms were found", len(told))
	}
	bareNumbers(t, told)
}

// written is what stands in a field, which somebody typed, and what a choice is called, which can hold no element.
var written = regexp.MustCompile(strings.Join([]string{`oldest \d+ h`, `(?:Wh a day|% a month|Ω/V)\{\w}`,
	`\[textarea [^\n]*`, `\[\w+ [^\]\n]*\]`, `result of \S+ \S+, [\d.]+ Ah`,
	`^(?:\w+/\S+; charset|application/|image/)[\s\S]*`}, "|"))

// bareNumbers holds that each number with a unit on each page says where it comes from.
func bareNumbers(t *testing.T, told map[string][]string) {
	t.Helper()
	for _, pages := range told {
		for _, page := range pages {
			address, body, _ := strings.Cut(page, "\n")
			for _, line := range golden.Loose(written.ReplaceAllString(body, "")) {
				t.Errorf("%s: a number does not say where it comes from: %.120q", address, line)
			}
		}
	}
}

var (
	someNumbers = regexp.MustCompile(`[0-9]+`)
	someLabels  = regexp.MustCompile(`\b[A-Z]-?#\b`)
)

// kindOf is what kind of page an address has: numbers and labels differ, and what stands in a query.
func kindOf(path string) string {
	u, err := url.Parse(path)
	if err != nil {
		return path
	}
	kind := someLabels.ReplaceAllString(someNumbers.ReplaceAllString(u.Path, "#"), "L")
	var keys []string
	for k := range u.Query() {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return kind + "?" + strings.Join(keys, "&")
}

// inLine says that an element is a number: nothing is parted from it but by the spaces that are there.
func inLine(n *html.Node) bool {
	return n != nil && n.Type == html.ElementNode && (n.Data == "data" || n.Data == "tspan" &&
		attribute(n, "data-from") != "")
}

// attribute is an attribute of an element.
func attribute(n *html.Node, key string) string {
	if n != nil {
		for _, a := range n.Attr {
			if a.Key == key {
				return a.Val
			}
		}
	}
	return ""
}

// says is what a page says to somebody who reads it, and where its links lead. A number that says where it comes from
// has the first letter of that behind it, in braces.
func says(w *httptest.ResponseRecorder, path string) (text string, links []string) {
	kind := w.Header().Get("Content-Type")
	body := w.Body.String()
	if !strings.HasPrefix(kind, "text/html") {
		if strings.HasPrefix(kind, "image/") && !strings.Contains(kind, "svg") || strings.Contains(kind, "zip") ||
			strings.Contains(kind, "sheet") || strings.Contains(kind, "pdf") {
			return kind, nil
		}
		digest := fnv.New32a()
		digest.Write([]byte(body))
		return fmt.Sprintf("%s, %08x\n%s", kind, digest.Sum32(), body[:min(len(body), 1500)]), nil
	}
	doc, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return err.Error(), nil
	}
	base, _ := url.Parse(path)
	var b strings.Builder
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		at := map[string]string{}
		for _, a := range n.Attr {
			at[a.Key] = a.Val
		}
		switch {
		case n.Type == html.TextNode:
			words := strings.Join(strings.Fields(n.Data), " ")
			if words == "" {
				if n.Data != "" && inLine(n.PrevSibling) {
					b.WriteString(" ")
				}
				return
			}
			if inLine(n.PrevSibling) && strings.TrimLeft(n.Data, " \n") != n.Data {
				b.WriteString(" ")
			}
			b.WriteString(words)
			if !inLine(n.Parent) && !(inLine(n.NextSibling) && strings.TrimRight(n.Data, " \n") == n.Data) {
				b.WriteString(" ")
			}
			if from := attribute(n.Parent, "data-from"); from != "" {
				b.WriteString("{" + from[:1] + "}")
				if n.Parent.NextSibling == nil {
					b.WriteString(" ")
				}
			}
		case n.Data == "script" || n.Data == "style" || n.Data == "head" || n.Data == "footer":
			return
		case n.Data == "input" && (at["name"] == "_csrf" || at["name"] == "token" || at["name"] == "seen"):
			return
		case n.Data == "input":
			_, on := at["checked"]
			b.WriteString(strings.TrimSpace(fmt.Sprintf("\n[%s %s=%s", at["type"], at["name"], at["value"])))
			if on {
				b.WriteString(" on")
			}
			b.WriteString("] ")
		case n.Data == "option":
			if _, on := at["selected"]; on {
				b.WriteString("*")
			}
		case n.Data == "textarea" || n.Data == "select":
			b.WriteString("[" + n.Data + " " + at["name"] + "] ")
		case n.Data == "a" && at["href"] != "":
			if to, err := base.Parse(at["href"]); err == nil && to.Host == "" {
				to.Fragment = ""
				links = append(links, to.String())
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
		if inLine(n) {
			return
		}
		switch n.Data {
		case "p", "div", "li", "tr", "h1", "h2", "h3", "h4", "section", "form", "button", "dt", "dd", "summary",
			"td", "th", "label",
			"option", "text", "tspan", "title":
			if s := b.String(); !strings.HasSuffix(s, "\n") {
				b.WriteString("\n")
			}
		}
	}
	walk(doc)
	return b.String(), links
}
