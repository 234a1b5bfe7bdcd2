// Package working is the workings: the list of them, and a page for each.
package working

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/ask"
	"pandrel/core/base/known"
	core "pandrel/core/working"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	shop "pandrel/shop/working"
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
	About    core.About
	Workings []core.Working
}

// list is the core.
func (sv *Room) list(c *echo.Context) error {
	var v []group
	for _, about := range core.Abouts() {
		g := group{About: about}
		for _, w := range core.All() {
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
	Working core.Working
	Values  ask.Values
	Sources ask.Sources
	Example bool // nothing of it is anybody's
	Mine    bool // somebody said that what stands as in the example is theirs
	Bad     map[string]string
	Asks    []ask.Field // that are to be said before there is an answer
	Answer  *ask.Answer
	Picture string
	From    string
	Place   string // the name of the place it was opened from
	Back    string
	Link    string // that holds the inputs
	CSV     string
	Keep    *frame.Form // nil where it cannot be kept
	Into    []into
	Before  string         // a date by which something is to be done
	Rest    []core.Working // beside it
}

// into is a way to use a result in a form of the work.
type into struct{ Text, Href string }

// values are what the address holds: of a place in the work what is known there, over it what was typed. A bare page,
// and it alone, begins with an example.
func (sv *Room) values(c *echo.Context, w core.Working, q url.Values, v *workingView) error {
	f, typed := placeOf(q), q.Get("typed") != "" // a tick that was taken away is not sent
	v.Values, v.Sources = w.Open(), ask.Sources{}
	if f.Kind != "" {
		p, err := sv.Shop.Working.At(c.Request().Context(), f)
		if err != nil {
			return err
		}
		v.From, v.Place, v.Back = p.From.String(), p.Name, placePath(p.From)
		k := slices.IndexFunc(p.Filled, func(x core.Filled) bool { return x.Working.Key == w.Key })
		if k < 0 { // nothing is known there of this one
			v.Place = ""
		} else {
			v.Values, v.Sources = p.Filled[k].Values, p.Filled[k].From
		}
	} else if !slices.ContainsFunc(w.Fields, func(x ask.Field) bool { return q.Has(x.Key) }) && !typed {
		v.Values = w.Example() // nothing is said in the address: the page is bare
	}
	filled := maps.Clone(v.Values)
	for _, x := range w.Fields {
		if got, ok := q[x.Key]; ok && len(got) > 0 && (x.Key != "from" || shop.ParseFrom(got[0]).Kind == "") {
			v.Values[x.Key] = strings.ReplaceAll(got[0], "\r\n", "\n")
		} else if x.Kind == ask.Tick && typed {
			v.Values[x.Key] = ""
		}
	}
	v.Mine = typed && q.Get("mine") != ""
	v.sourced(filled, f.Kind == "" && !v.Mine)
	return nil
}

// sourced says where each value comes from: what was typed over what was filled in is typed; of a bare page what stands
// as in the example is nobody's.
func (v *workingView) sourced(filled ask.Values, bare bool) {
	v.Example = bare && maps.Equal(v.Values, v.Working.Example())
	for k, x := range v.Values {
		if x != filled[k] {
			delete(v.Sources, k)
		}
	}
	for k, from := range v.Working.Of(v.Values, bare) {
		if _, ok := v.Sources[k]; !ok {
			v.Sources[k] = from
		}
	}
}

// Still names what stands as in the example.
func (v workingView) Still() string {
	var out []string
	for _, f := range v.Working.Fields {
		if v.example(f) {
			out = append(out, f.Label)
		}
	}
	return strings.Join(out, ", ")
}

func (v workingView) example(f ask.Field) bool {
	return v.From == "" && !v.Mine && f.Example != "" && v.Values[f.Key] == f.Example
}

// Note is what stands below a field: where its value comes from where nobody typed it, and how it is typed.
func (v workingView) Note(f ask.Field) string {
	note := map[known.Source]string{known.Assumed: "Usual", known.Measured: "Measured",
		known.Said: "Said"}[v.Sources[f.Key]]
	if v.example(f) {
		note = "Example"
	}
	switch {
	case note == "" || v.Values[f.Key] == "":
		return f.Help
	case f.Help == "":
		return note + "."
	}
	return note + ". " + f.Help
}

// placeOf is the place that a working is opened from. Addresses that were printed name it from, as the first of a
// field of one working is named too.
func placeOf(q url.Values) shop.From {
	if f := shop.ParseFrom(frame.Clip(q.Get("at"), 40)); f.Kind != "" {
		return f
	}
	return shop.ParseFrom(frame.Clip(q.Get("from"), 40))
}

// asked are the fields that stand empty and without which there is no answer, nil where anything that was typed cannot
// be: what is not known yet is asked, not accused.
func asked(w core.Working, v ask.Values, bad map[string]string) (out []ask.Field) {
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

func placePath(f shop.From) string {
	if f.Kind == "module" {
		return frame.ModulePath(f.Name)
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
	w, ok := core.ByKey(c.Param("key"))
	if !ok {
		return v, &kernel.NotFound{What: "working " + frame.Clip(c.Param("key"), 20)}
	}
	v.Working = w
	if err := sv.values(c, w, q, &v); err != nil {
		return v, err
	}
	for _, x := range core.All() {
		if x.About == w.About && x.Key != w.Key {
			v.Rest = append(v.Rest, x)
		}
	}
	link := url.Values{"typed": {"1"}}
	for _, f := range w.Fields {
		if v.Values[f.Key] != "" || f.Example+f.Usual+f.Set != "" && f.Kind != ask.Tick {
			link.Set(f.Key, v.Values[f.Key])
		}
	}
	if v.From != "" {
		link.Set("at", v.From)
	}
	if v.Mine {
		link.Set("mine", "1")
	}
	v.Link = "/workings/" + w.Key + "?" + link.Encode()
	v.CSV = v.Link + "&as=csv"
	a, err := w.Solve(v.Values, v.Sources)
	var bad *ask.BadInput
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
		v.Before = sv.Shop.Here(sv.Shop.Now()).AddDate(0, 0, days).Format("2006-01-02")
	}
	return v, nil
}

// picture is the answer's chart, stack or network.
func picture(w core.Working, a ask.Answer) string {
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
			return v.Back + "#workings", sv.Shop.Working.Keep(c.Request().Context(), shop.KeepInput{BankID: from.ID,
				Key: v.Working.Key, Values: v.Values, From: v.Sources, Token: f.Once()})
		}, nil
	}, func(code int, f *frame.Form) error {
		failed.Keep = f
		return sv.Show(c, code, "working", failed.Working.Title, failed)
	})
}
