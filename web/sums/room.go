// Package sums is the shelf of workings: the list of them, and a page for each.
package sums

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/shelf"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/sums"
	"pandrel/web/frame"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/workings", sv.list)
	e.GET("/workings/:key", sv.working)
	e.POST("/workings/:key/keep", sv.keep)
}

type group struct {
	About    string
	Workings []shelf.Working
}

// list is the shelf.
func (sv *Room) list(c *echo.Context) error {
	var v []group
	for _, about := range shelf.Abouts() {
		g := group{About: about}
		for _, w := range shelf.All() {
			if w.About == about {
				g.Workings = append(g.Workings, w)
			}
		}
		v = append(v, g)
	}
	return sv.Show(c, http.StatusOK, "workings", "Workings", v)
}

// workingView is one working with what was typed, and its answer where there is one.
type workingView struct {
	Working shelf.Working
	Values  shelf.Values
	Bad     map[string]string
	Asks    []shelf.Field // that are to be said before there is an answer
	Answer  *shelf.Answer
	Picture string
	From    string
	Place   string // the name of the place it was opened from
	Back    string
	Link    string // that holds the inputs
	CSV     string
	Keep    *frame.Form // nil where it cannot be kept
	Into    []into
	Before  string          // a date by which something is to be done
	Rest    []shelf.Working // beside it
}

// into is a way to use a result in a form of the work.
type into struct{ Text, Href string }

// values are what the address holds: of a place in the work what is known there, over it what was typed.
func (sv *Room) values(c *echo.Context, w shelf.Working, q url.Values, v *workingView) error {
	v.Values = w.Starts(nil)
	if f := placeOf(q); f.Kind != "" {
		p, err := sv.Shop.Sums.At(c.Request().Context(), f)
		var missing *kernel.NotFound
		switch {
		case errors.As(err, &missing):
			return err
		case err != nil:
			return err
		}
		filled := false
		v.From, v.Place, v.Back = p.From.String(), p.Name, placePath(p.From)
		for _, x := range p.Filled {
			if x.Working.Key == w.Key {
				v.Values, filled = x.Values, true
			}
		}
		if !filled { // nothing is known there of this one: it starts like any other
			v.Place = ""
		}
	}
	typed := q.Get("typed") != "" // a tick that was taken away is not sent
	for _, f := range w.Fields {
		if got, ok := q[f.Key]; ok && len(got) > 0 && (f.Key != "from" || sums.ParseFrom(got[0]).Kind == "") {
			v.Values[f.Key] = strings.ReplaceAll(got[0], "\r\n", "\n")
		} else if f.Kind == shelf.Tick && typed {
			v.Values[f.Key] = ""
		}
	}
	return nil
}

// placeOf is the place that a working is opened from. Addresses that were printed name it from, as the first of a
// field of one working is named too.
func placeOf(q url.Values) sums.From {
	if f := sums.ParseFrom(frame.Clip(q.Get("at"), 40)); f.Kind != "" {
		return f
	}
	return sums.ParseFrom(frame.Clip(q.Get("from"), 40))
}

// asked are the fields that stand empty and without which there is no answer, nil where anything that was typed cannot
// be: what is not known yet is asked, not accused.
func asked(w shelf.Working, v shelf.Values, bad map[string]string) (out []shelf.Field) {
	for _, f := range w.Fields {
		if bad[f.Key] == "" {
			continue
		}
		if strings.TrimSpace(v[f.Key]) != "" {
			return nil
		}
		out = append(out, f)
	}
	if len(out) < len(bad) {
		return nil
	}
	return out
}

func placePath(f sums.From) string {
	switch f.Kind {
	case "module":
		return frame.ModulePath(f.Name)
	case "standing":
		return fmt.Sprintf("/services/%d", f.ID)
	}
	return fmt.Sprintf("/%ss/%d", f.Kind, f.ID)
}

// working answers from what the address holds.
func (sv *Room) working(c *echo.Context) error {
	v, err := sv.view(c, frame.QueryAll(c))
	if err != nil {
		return err
	}
	if frame.Query(c, "as") == "csv" && v.Answer != nil {
		data, err := exchange.AnswerCSV(v.Working, v.Values, *v.Answer)
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Disposition", `attachment; filename="`+v.Working.Key+`.csv"`)
		return c.Blob(http.StatusOK, "text/csv; charset=utf-8", data)
	}
	return sv.show(c, v)
}

func (sv *Room) show(c *echo.Context, v workingView) error {
	code := http.StatusOK
	if v.Answer == nil && v.Asks == nil {
		code = http.StatusUnprocessableEntity
	}
	return sv.Show(c, code, "working", v.Working.Title, v)
}

func (sv *Room) view(c *echo.Context, q url.Values) (v workingView, err error) {
	w, ok := shelf.ByKey(c.Param("key"))
	if !ok {
		return v, &kernel.NotFound{What: "working " + frame.Clip(c.Param("key"), 20)}
	}
	v.Working = w
	if err := sv.values(c, w, q, &v); err != nil {
		return v, err
	}
	for _, x := range shelf.All() {
		if x.About == w.About && x.Key != w.Key {
			v.Rest = append(v.Rest, x)
		}
	}
	link := url.Values{"typed": {"1"}}
	for _, f := range w.Fields {
		if v.Values[f.Key] != "" || f.Start != "" && f.Kind != shelf.Tick {
			link.Set(f.Key, v.Values[f.Key])
		}
	}
	if v.From != "" {
		link.Set("at", v.From)
	}
	v.Link = "/workings/" + w.Key + "?" + link.Encode()
	v.CSV = v.Link + "&as=csv"
	a, err := w.Solve(v.Values)
	var bad *shelf.BadInput
	if errors.As(err, &bad) {
		if v.Asks = asked(w, v.Values, bad.Fields); v.Asks == nil {
			v.Bad = bad.Fields
		}
		return v, nil
	}
	if err != nil {
		return v, err
	}
	v.Answer = &a
	v.Picture = picture(w, a)
	if strings.HasPrefix(v.From, "bank-") && v.Place != "" {
		v.Keep = frame.Blank("keep", "by", frame.Who(c))
	}
	v.Into = uses(v)
	if days, err := strconv.Atoi(a.Uses["days"]); err == nil && days < 36500 {
		v.Before = sv.Shop.Now().AddDate(0, 0, days).Format("2006-01-02")
	}
	return v, nil
}

// picture is the answer's chart, stack or network.
func picture(w shelf.Working, a shelf.Answer) string {
	switch {
	case a.Chart != nil:
		return draw.Chart(*a.Chart)
	case len(a.Stack) > 0:
		return draw.Stack(w.Title, a.Stack)
	case a.Grid != nil:
		return draw.Network(w.Title, *a.Grid)
	}
	return ""
}

// uses are the forms that take a result over.
func uses(v workingView) (out []into) {
	a := v.Answer.Uses
	bank := strings.HasPrefix(v.From, "bank-")
	switch {
	case bank && (a["fuse_a"] != "" || a["cable_a"] != ""):
		q := url.Values{}
		for _, k := range []string{"fuse_a", "cable_a"} {
			if a[k] != "" {
				q.Set(k, a[k])
			}
		}
		out = append(out, into{"Use this rating in " + v.Place, v.Back + "?" + q.Encode() + "#parts"})
	case a["cutoff_v"] != "":
		q := url.Values{"cutoff_v": {a["cutoff_v"]}, "charge_max_v": {a["charge_max_v"]}}
		out = append(out, into{"Use these volts in a new need", "/station/design?" + q.Encode() + "#need"})
	}
	if v.Working.Key == "path" || v.Working.Key == "runtime" {
		if w := v.Values["watts"]; w != "" {
			out = append(out, into{"Use this load in a new need", "/station/design?" +
				url.Values{"load_w": {w}}.Encode() + "#need"})
		}
	}
	return out
}

// keep writes an answer down with the bank it was opened from.
func (sv *Room) keep(c *echo.Context) error {
	var failed workingView
	return frame.Post(c, "keep", func(f *frame.Form) (frame.Act, error) {
		v, err := sv.view(c, f.Values)
		if err != nil {
			return nil, err
		}
		failed = v
		from := placeOf(f.Values)
		if from.Kind != "bank" {
			f.Bads[""] = "expected the bank that it is kept with"
		}
		return func() (string, error) {
			return v.Back + "#workings", sv.Shop.Sums.Keep(c.Request().Context(), sums.KeepInput{BankID: from.ID,
				Key: v.Working.Key, Values: v.Values, By: f.Get("by"), Token: f.Once()})
		}, nil
	}, func(code int, f *frame.Form) error {
		failed.Keep = f
		return sv.Show(c, code, "working", failed.Working.Title, failed)
	})
}
