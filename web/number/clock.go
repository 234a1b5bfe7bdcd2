package number

import (
	"fmt"
	"html/template"
	"time"
)

// Clock are the ways to show a time by the clock of where the workshop is. A day that somebody named is kept as its
// midnight, UTC, and has no clock.
func Clock(here func(time.Time) time.Time) template.FuncMap {
	return template.FuncMap{
		"day": func(t time.Time) template.HTML {
			if u := t.UTC(); u.Equal(u.Truncate(24 * time.Hour)) {
				return When(u, "day", time.DateOnly)
			}
			return When(here(t), "day", time.DateOnly)
		},
		"stamp": func(t time.Time) template.HTML { return When(here(t), "stamp", "2006-01-02 15:04") },
	}
}

// When is a time on a page; the browser writes it in its own way.
func When(t time.Time, as, format string) template.HTML {
	return template.HTML(fmt.Sprintf(`<time datetime="%s" data-when="%s">%s</time>`, t.Format(time.RFC3339), as,
		t.Format(format)))
}
