package frame

import (
	"cmp"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"
)

// What a page was asked beside its address is taken through here alone, so that it is known which of it the page looked
// at: a page that was kept answers for everything it did not look at.

// Names of a request's parts: a field of the address, a cookie, a line of its head, or all fields.
const (
	fromQuery  = "?"
	fromCookie = "c"
	fromHead   = "h"
	everything = "?*"
)

const lookedKey = "pandrel.looked"

// looked are the parts of a request that a page looked at.
type looked map[string]bool

func note(c *echo.Context, part string) {
	if l, ok := c.Get(lookedKey).(looked); ok {
		l[part] = true
	}
}

// Query is a field of the address, "" where it is not there.
func Query(c *echo.Context, name string) string {
	note(c, fromQuery+name)
	return c.QueryParam(name)
}

// QueryList is a field of the address that may stand there several times.
func QueryList(c *echo.Context, name string) []string {
	note(c, fromQuery+name)
	return c.QueryParams()[name]
}

// QueryAll are all fields of the address, whatever they are called.
func QueryAll(c *echo.Context) url.Values {
	note(c, everything)
	return c.QueryParams()
}

// Cookie is what this browser remembers under a name, "" for nothing.
func Cookie(c *echo.Context, name string) string {
	note(c, fromCookie+name)
	k, err := c.Cookie(name)
	if err != nil {
		return ""
	}
	return k.Value
}

// ForPart reports whether a page's script asks for a part of the page, and not a person for all of it.
func ForPart(c *echo.Context) bool {
	const name = "HX-Request"
	note(c, fromHead+name)
	return c.Request().Header.Get(name) != ""
}

// asked remembers for each route which parts of a request its pages ever looked at.
type asked struct {
	lock   sync.Mutex
	routes map[string][]string
}

func (a *asked) of(route string) []string {
	a.lock.Lock()
	defer a.lock.Unlock()
	return a.routes[route]
}

// learn adds what a page looked at. The names are the program's own: their number is bounded by it and by the types on
// record.
func (a *asked) learn(route string, l looked) []string {
	a.lock.Lock()
	defer a.lock.Unlock()
	all := slices.Sorted(maps.Keys(l))
	all = append(all, a.routes[route]...)
	slices.Sort(all)
	all = slices.Compact(all)
	if a.routes == nil {
		a.routes = map[string][]string{}
	}
	a.routes[route] = all
	return all
}

// key is what a page depends on beside the data: where it is, the minute, and those parts of the request. Plain is
// whether nothing was asked by the address.
//
// A page that looked at some parts would have looked at the same ones, and become the same, for every request that is
// alike in them: which part is looked at next depends on those before.
func (sv *Frame) key(c *echo.Context, parts []string) (key string, plain bool) {
	r := c.Request()
	var b strings.Builder
	fmt.Fprintf(&b, "%s|%s|%d", r.Host, r.URL.EscapedPath(), sv.Shop.Now().Unix()/60)
	query, plain := c.QueryParams(), true
	for _, p := range parts {
		kind, name := p[:1], p[1:]
		var value []string
		switch {
		case p == everything:
			value = []string{r.URL.RawQuery}
			plain = plain && cmp.Or(value...) == ""
		case kind == fromQuery:
			value = query[name]
			plain = plain && len(value) == 0
		case kind == fromCookie:
			if k, err := r.Cookie(name); err == nil {
				value = []string{k.Value}
			}
		default:
			value = r.Header.Values(name)
		}
		if len(value) > 0 {
			fmt.Fprintf(&b, "|%s=%q", p, value)
		}
	}
	return b.String(), plain
}
