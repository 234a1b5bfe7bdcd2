package web_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"golang.org/x/net/html"
)

// Where a form is refused, each list stands at what was chosen in it and each tick as it was set.
func TestNothingChosenIsLost(t *testing.T) {
	var refused, choices atomic.Int64
	t.Run("forms", func(t *testing.T) {
		for n, f := range everyForm(newSite(t, true)) {
			if len(f.choices) == 0 {
				continue
			}
			t.Run(fmt.Sprint(n), func(t *testing.T) {
				t.Parallel()
				s := newSite(t, true)
				if now := s.comesBack(f, n); len(now) > 0 {
					refused.Add(1)
					choices.Add(int64(len(now)))
				}
			})
		}
	})
	if refused.Load() < 25 || choices.Load() < 60 {
		t.Errorf("%d forms came back with %d choices: expected those of every room", refused.Load(), choices.Load())
	}
}

// comesBack sends a form with choices at random and something that no reader takes, and holds what comes back against
// them: the choices of the page that follows, none where the form was taken.
func (s *site) comesBack(f shown, n int) (now []choice) {
	rnd := rand.New(rand.NewPCG(uint64(n), 3))
	v, _ := fillIn(rnd, f.sent, 1)
	for _, c := range f.choices {
		c.choose(rnd, v)
	}
	w := s.sent(f.page, f.sent, v)
	if w.Code == http.StatusSeeOther {
		return nil
	}
	now = choicesOn(w.Body.String(), f.page, f.action)
	for _, c := range f.choices {
		i := slices.IndexFunc(now, func(o choice) bool {
			return o.name == c.name && (c.kind != "checkbox" || o.options[0] == c.options[0])
		})
		if i < 0 {
			continue
		}
		if got, want := now[i].set, c.of(v); !slices.Equal(got, want) {
			s.t.Errorf("%s of %s: %s stands at %q where %q was chosen, answered %d", f.action, f.page, c.name, got,
				want, w.Code)
		}
	}
	return now
}

// choice is a list of words, a group of radio buttons or one tick, with what it stands at.
type choice struct {
	name, kind   string
	options, set []string
}

// choose sets a choice at random.
func (c choice) choose(rnd *rand.Rand, v url.Values) {
	if c.kind == "checkbox" {
		was := slices.DeleteFunc(v[c.name], func(x string) bool { return x == c.options[0] })
		if rnd.IntN(2) == 0 {
			was = append(was, c.options[0])
		}
		v[c.name] = was
		return
	}
	v.Set(c.name, c.options[rnd.IntN(len(c.options))])
}

// of is what of a choice stands in what is sent.
func (c choice) of(v url.Values) (out []string) {
	for _, x := range c.options {
		if slices.Contains(v[c.name], x) {
			out = append(out, x)
		}
	}
	return out
}

// choicesOn finds what can be chosen in a form of a page.
func choicesOn(body, path, action string) (out []choice) {
	doc, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return nil
	}
	base, _ := url.Parse(path)
	for n := range doc.Descendants() {
		if n.Data != "form" || !strings.EqualFold(attribute(n, "method"), "post") {
			continue
		}
		if to, err := base.Parse(attribute(n, "action")); err != nil || to.String() != action {
			continue
		}
		for x := range n.Descendants() {
			name, kind, value := attribute(x, "name"), attribute(x, "type"), attribute(x, "value")
			switch {
			case name == "" || has(x, "disabled"):
			case x.Data == "select":
				c := choice{name: name, kind: "select", set: []string{chosen(x)}}
				for o := range x.Descendants() {
					if o.Data == "option" && !has(o, "disabled") {
						c.options = append(c.options, optionOf(o))
					}
				}
				out = append(out, c)
			case kind == "checkbox":
				c := choice{name: name, kind: kind, options: []string{value}}
				if has(x, "checked") {
					c.set = []string{value}
				}
				out = append(out, c)
			case kind == "radio":
				i := slices.IndexFunc(out, func(c choice) bool { return c.name == name })
				if i < 0 {
					i, out = len(out), append(out, choice{name: name, kind: kind})
				}
				out[i].options = append(out[i].options, value)
				if has(x, "checked") {
					out[i].set = []string{value}
				}
			}
		}
		return out
	}
	return nil
}

func has(n *html.Node, key string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == key })
}
