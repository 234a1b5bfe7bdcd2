// Package jobs_test walks the jobs of twenty visitors through the pages, each from an empty workshop, and each typing
// only what that visitor knows.
package jobs_test

import (
	"fmt"
	"log/slog"
	"maps"
	"math"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/html"

	"pandrel/shop"
	"pandrel/store"
	"pandrel/web"
	"pandrel/web/door"
)

var now = time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)

// mostSent is how many forms a job may take; gates and steps that must be recorded one at a time are not counted.
const mostSent = 20

// walk is a visitor on the pages of a workshop that was empty when they came.
type walk struct {
	t       *testing.T
	h       http.Handler
	cookies map[string]string
	path    string // the page under their eyes
	code    int
	doc     *html.Node
	sent    int
	later   time.Duration // since they came
}

func newWalk(t *testing.T) *walk {
	t.Helper()
	t.Parallel()
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	w := &walk{t: t, cookies: map[string]string{}}
	w.h, err = web.New(shop.New(st, func() time.Time { return now.Add(w.later) }), door.Place{Listen: "127.0.0.1:8460"},
		slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError})))
	if err != nil {
		t.Fatal(err)
	}
	w.open("/")
	return w
}

func (w *walk) do(r *http.Request) *httptest.ResponseRecorder {
	r.Host = "127.0.0.1:8460"
	for k, v := range w.cookies {
		r.AddCookie(&http.Cookie{Name: k, Value: v})
	}
	a := httptest.NewRecorder()
	w.h.ServeHTTP(a, r)
	for _, c := range a.Result().Cookies() {
		w.cookies[c.Name] = c.Value
	}
	return a
}

// open goes to a page.
func (w *walk) open(path string) {
	w.t.Helper()
	path, _, _ = strings.Cut(path, "#")
	w.shown(w.do(httptest.NewRequest(http.MethodGet, path, nil)), path)
	if w.code != http.StatusOK {
		w.t.Fatalf("%s: %d: %s", path, w.code, w.text())
	}
}

func (w *walk) shown(a *httptest.ResponseRecorder, path string) {
	w.t.Helper()
	doc, err := html.Parse(a.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	w.path, w.code, w.doc = path, a.Code, doc
}

func (w *walk) from(to string) string {
	base, err := url.Parse(w.path)
	if err != nil {
		w.t.Fatal(err)
	}
	u, err := base.Parse(to)
	if err != nil {
		w.t.Fatal(err)
	}
	return u.RequestURI()
}

// send fills in fields by their labels and presses a button, which must be taken: labels and what is typed by turns. A
// label of several fields is filled with one of them each, in their order.
func (w *walk) send(button string, fill ...string) {
	w.t.Helper()
	w.try(button, fill...)
	if w.code != http.StatusOK {
		w.t.Fatalf("%s: %q: %d: %s", w.path, button, w.code, w.errors())
	}
}

// try is send, and is content to be refused.
func (w *walk) try(button string, fill ...string) {
	w.t.Helper()
	form, pressed := w.formOf(button, fill)
	v := url.Values{}
	fields(form, v)
	if attr(pressed, "name") != "" {
		v.Set(attr(pressed, "name"), attr(pressed, "value"))
	}
	used := map[string]int{}
	for i := 0; i+1 < len(fill); i += 2 {
		w.fill(form, v, used, fill[i], fill[i+1])
	}
	if v.Has("by") && v.Get("by") == "" {
		v.Set("by", "AK")
	}
	action := w.from(attr(form, "action"))
	if !strings.EqualFold(attr(form, "method"), "post") {
		w.open(strings.TrimSuffix(action, "?") + "?" + v.Encode())
		return
	}
	w.sent++
	r := httptest.NewRequest(http.MethodPost, action, strings.NewReader(v.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	a := w.do(r)
	if to := a.Header().Get("Location"); a.Code == http.StatusSeeOther {
		w.open(w.from(to))
		return
	}
	w.shown(a, action)
}

// gate is send for what has to be recorded one at a time: it is not counted.
func (w *walk) gate(button string, fill ...string) {
	w.t.Helper()
	w.send(button, fill...)
	w.sent--
}

// formOf is the form with a button of these words that has all the fields to be filled.
func (w *walk) formOf(button string, fill []string) (form, pressed *html.Node) {
	w.t.Helper()
	for n := range w.doc.Descendants() {
		if n.Data != "form" {
			continue
		}
		for b := range n.Descendants() {
			if b.Data != "button" || !strings.HasPrefix(textOf(b), button) {
				continue
			}
			has := true
			for i := 0; i < len(fill); i += 2 {
				has = has && len(labelled(n, fill[i])) > 0
			}
			if has {
				return n, b
			}
			pressed = b
		}
	}
	if pressed != nil {
		w.t.Fatalf("%s: no form with %q has all of %q:\n%s", w.path, button, fill, w.text())
	}
	w.t.Fatalf("%s: no button %q:\n%s", w.path, button, w.text())
	return nil, nil
}

// labelled are the fields of a form with a label or a name for screen readers.
func labelled(form *html.Node, label string) (out []*html.Node) {
	for n := range form.Descendants() {
		switch {
		case n.Type != html.ElementNode:
		case n.Data == "label" && strings.HasPrefix(textOf(n), label):
			id := attr(n, "for")
			for c := range form.Descendants() {
				if isField(c) && (id != "" && attr(c, "id") == id || id == "" && within(c, n)) {
					out = append(out, c)
				}
			}
		case isField(n) && strings.HasPrefix(attr(n, "aria-label"), label):
			out = append(out, n)
		}
	}
	return out
}

// fill types one field, or ticks it ("yes"), or chooses by value or by words.
func (w *walk) fill(form *html.Node, v url.Values, used map[string]int, label, text string) {
	w.t.Helper()
	at := labelled(form, label)
	n := at[min(used[label], len(at)-1)]
	used[label]++
	name := attr(n, "name")
	switch {
	case n.Data == "select":
		for o := range n.Descendants() {
			if o.Data == "option" && (attr(o, "value") == text || strings.HasPrefix(textOf(o), text)) {
				v.Set(name, attr(o, "value"))
				return
			}
		}
		w.t.Fatalf("%s: %s has no %q", w.path, label, text)
	case attr(n, "type") == "checkbox" || attr(n, "type") == "radio":
		if v.Set(name, attr(n, "value")); text == "no" {
			v.Del(name)
		}
	default:
		v.Set(name, text)
	}
}

// fields are what stands in a form.
func fields(form *html.Node, v url.Values) {
	for n := range form.Descendants() {
		name := attr(n, "name")
		if name == "" || !isField(n) || has(n, "disabled") {
			continue
		}
		switch kind := attr(n, "type"); {
		case kind == "checkbox" || kind == "radio":
			if has(n, "checked") {
				v.Add(name, attr(n, "value"))
			}
		case n.Data == "textarea":
			v.Add(name, textOf(n))
		case n.Data == "select":
			first, chosen := "", ""
			k := 0
			for o := range n.Descendants() {
				if o.Data != "option" {
					continue
				}
				value := attr(o, "value")
				if !has(o, "value") {
					value = textOf(o)
				}
				if k++; k == 1 {
					first = value
				}
				if has(o, "selected") {
					chosen, first = value, value
				}
			}
			if chosen == "" {
				chosen = first
			}
			v.Add(name, chosen)
		case kind != "file":
			v.Add(name, attr(n, "value"))
		}
	}
}

func isField(n *html.Node) bool {
	return n.Data == "input" || n.Data == "select" || n.Data == "textarea"
}

func within(n, of *html.Node) bool {
	for p := n; p != nil; p = p.Parent {
		if p == of {
			return true
		}
	}
	return false
}

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, key string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == key })
}

// textOf is what a person reads of a part of a page.
func textOf(n *html.Node) string {
	if n.Type == html.TextNode {
		return strings.Join(strings.Fields(n.Data), " ")
	}
	var b strings.Builder
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		switch {
		case n.Type == html.TextNode:
			b.WriteString(n.Data)
		case n.Data == "script" || n.Data == "style" || n.Data == "head":
			return
		case n.Type == html.ElementNode && !slices.Contains(inline, n.Data):
			b.WriteString(" ")
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
		if n.Type == html.ElementNode && !slices.Contains(inline, n.Data) {
			b.WriteString(" ")
		}
	}
	walk(n)
	return strings.Join(strings.Fields(b.String()), " ")
}

var inline = []string{"data", "b", "i", "a", "span", "bdi", "small", "tspan", "time"}

// main is the part of the page that is its own.
func (w *walk) main() *html.Node {
	for n := range w.doc.Descendants() {
		if n.Data == "main" {
			return n
		}
	}
	return w.doc
}

func (w *walk) text() string { return textOf(w.main()) }

// errors are what the page says of the form that it shows again.
func (w *walk) errors() string {
	var out []string
	for n := range w.main().Descendants() {
		if c := attr(n, "class"); strings.Contains(c, "invalid-feedback") || strings.Contains(c, "finding ") {
			out = append(out, textOf(n))
		}
	}
	if len(out) == 0 {
		return w.text()
	}
	return strings.Join(out, " | ")
}

// says fails where the page does not say one of these.
func (w *walk) says(want ...string) {
	w.t.Helper()
	text := w.text()
	for _, s := range want {
		if !strings.Contains(text, s) {
			w.t.Errorf("%s does not say %q:\n%s", w.path, s, text)
		}
	}
}

// never fails where the page says one of these.
func (w *walk) never(want ...string) {
	w.t.Helper()
	text := w.text()
	for _, s := range want {
		if k := strings.Index(text, s); k >= 0 {
			w.t.Errorf("%s says %q: …%s…", w.path, s, text[max(0, k-80):min(len(text), k+80)])
		}
	}
}

// surveyed looks at all that wait and types the volts of each of their groups, in the order of their numbers.
func (w *walk) surveyed(lot int, rest string, rows map[string][]float64) {
	w.t.Helper()
	w.open(fmt.Sprintf("/lots/%d/look", lot))
	w.send("All others clear", "I looked at each", "yes")
	fill := []string{"Rested", rest}
	for _, number := range slices.Sorted(maps.Keys(rows)) {
		for g, v := range rows[number] {
			fill = append(fill, fmt.Sprintf("%s group %d, volts", number, g+1), text(v))
		}
	}
	w.send("Judge and keep all rows", fill...)
}

// text is a number as somebody types it.
func text(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// near are readings of a healthy family, from a low to a high one.
func near(n int, low, high float64) (out []float64) {
	for i := range n {
		out = append(out, math.Round((low+(high-low)*float64(i)/float64(max(1, n-1)))*1000)/1000)
	}
	return out
}
