package web

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/measure"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/teardown"
	"pandrel/store"
)

// teardownView is how a type is opened, as a table to be written.
type teardownView struct {
	Type     store.ModuleType
	Steps    []teardown.Step
	Rows     []int // numbers of the rows of the form, from 1
	Pictures []store.Picture
	By       string
	Form     *form
}

// freeRows is how many empty rows a list of steps offers.
const freeRows = 3

func (sv *Server) teardown(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showTeardown(c, http.StatusOK, id, nil, 0)
}

func (sv *Server) showTeardown(c *echo.Context, code int, id int64, f *form, rows int) error {
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, id)
	if err != nil {
		return err
	}
	row, steps, ok, err := sv.s.Measure.TeardownOf(ctx, id)
	if err != nil {
		return err
	}
	v := teardownView{Type: t, Steps: steps, Form: f}
	if ok {
		v.By = fmt.Sprintf("%s by %s", row.WrittenAt.Format("2006-01-02"), row.WrittenBy)
	}
	if v.Pictures, err = sv.s.Types.TypePictures(ctx, id); err != nil {
		return err
	}
	if f == nil {
		rows = len(steps) + freeRows
		v.Form = blank("teardown", "by", who(c), "after", strconv.FormatInt(row.ID, 10), "rows", strconv.Itoa(rows))
		for i, s := range steps {
			for name, value := range map[string]string{"key": s.Key, "do": s.Do, "fastener": s.Fastener, "count": count(s.Count), "tool": s.Tool, "trap": s.Trap, "keep": s.Keep, "keep_count": count(s.KeepCount), "picture": count(int(s.Picture))} {
				v.Form.values.Set(fmt.Sprintf("%s%d", name, i+1), value)
			}
		}
	}
	for i := range rows {
		v.Rows = append(v.Rows, i+1)
	}
	return sv.showAt(c, code, "teardown", "How "+t.Name+" is opened", station.Inspect, v)
}

// count writes a number for a form, empty for none.
func count(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func (sv *Server) saveTeardown(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "teardown")
	if err != nil {
		return err
	}
	rows := min(max(f.whole("rows", 0), 0), teardown.MaxSteps+freeRows)
	in := measure.TeardownInput{TypeID: id, After: int64(f.whole("after", 0)), By: f.Get("by"), Token: f.once()}
	var at []int // the row each step was typed in
	for i := 1; i <= rows; i++ {
		get := func(name string) string { return strings.TrimSpace(f.Get(fmt.Sprintf("%s%d", name, i))) }
		if get("do")+get("fastener")+get("keep")+get("tool")+get("trap") == "" {
			continue
		}
		num := func(name string) int { return f.whole(fmt.Sprintf("%s%d", name, i), 0) }
		in.Steps = append(in.Steps, teardown.Step{Key: get("key"), Do: get("do"), Fastener: get("fastener"), Count: num("count"), Tool: get("tool"), Trap: get("trap"), Keep: get("keep"), KeepCount: num("keep_count"), Picture: int64(num("picture"))})
		at = append(at, i)
	}
	if !f.Bad() {
		err := sv.s.Measure.SaveTeardown(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/types/%d/teardown", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
		if v := f.Get("version"); v != "" { // somebody else's list is newer: saving again comes after it
			f.values.Set("after", v)
		}
		rowsOf(f, at)
	}
	return sv.showTeardown(c, http.StatusUnprocessableEntity, id, f, rows)
}

// rowsOf moves errors from the number of a step to the row it was typed in; empty rows lie between.
func rowsOf(f *form, at []int) {
	moved := map[string]string{}
	for k, text := range f.errs {
		name := strings.TrimRight(k, "0123456789")
		if n, err := strconv.Atoi(k[len(name):]); err == nil && n >= 1 && n <= len(at) {
			k = fmt.Sprintf("%s%d", name, at[n-1])
		}
		moved[k] = text
	}
	f.errs = moved
}

// addStepPicture keeps a picture of a type's inside, to be named in a step.
func (sv *Server) addStepPicture(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "steppicture")
	if err != nil {
		return err
	}
	data, err := uploads(c, f, "picture")
	if err != nil {
		return err
	}
	if len(data) == 0 && !f.Bad() {
		f.errs[""] = "Choose or take a picture: JPEG, PNG or WebP."
	}
	for i, d := range data {
		if f.Bad() {
			break
		}
		_, err := sv.s.Record.AddPicture(c.Request().Context(), record.PictureInput{Kind: record.PictureStep, TypeID: id, Caption: f.Get("caption"), Data: d, By: f.Get("by"), Token: fmt.Sprintf("%s-%d", f.once(), i)})
		if err != nil && !again(err) {
			if err := f.take(err); err != nil {
				return err
			}
		}
	}
	if f.Bad() {
		shown := blank("teardown", "by", who(c), "rows", "0")
		shown.errs[""] = f.errs[""] + f.errs["picture"] + f.errs["caption"]
		return sv.showTeardown(c, http.StatusUnprocessableEntity, id, shown, 0)
	}
	return saved(c, f, fmt.Sprintf("/types/%d/teardown", id))
}

// openingView is a module being opened or closed.
type openingView struct {
	record.Opening
	Module store.Module
	Type   store.ModuleType
	Known  bool
	Form   *form
	Says   string
	Level  string
}

func (sv *Server) opening(c *echo.Context) error {
	return sv.showOpening(c, http.StatusOK, blank("opening", "by", who(c)))
}

func (sv *Server) showOpening(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	o, ok, err := sv.s.Measure.OpeningOf(ctx, m)
	if err != nil {
		return err
	}
	v := openingView{Opening: o, Module: m, Type: t, Known: ok, Form: f}
	if teardown.Closing(o.States) {
		slices.Reverse(v.States) // the last step off is the first one on
	}
	v.Says, v.Level = openingSays(v)
	return sv.showAt(c, code, "opening", "Open "+m.Number, station.Inspect, v)
}

// openingSays is the sentence the page of an opened module begins with.
func openingSays(v openingView) (string, string) {
	if !v.Known {
		return "Nothing is written down about opening this type. Write it down while you open the first one.", "ready"
	}
	for _, f := range v.Findings {
		if f.Code == "missing" {
			return f.Text + " " + f.Do, "stop"
		}
	}
	switch {
	case v.Done:
		return "Closed again: everything that came off is back.", "ok"
	case v.Begun:
		return fmt.Sprintf("%d things lie in the tray. Take the next step, and count.", len(v.Tray)), "caution"
	}
	return fmt.Sprintf("%d steps, written down for this type. Count what comes off.", len(v.States)), "ready"
}

func (sv *Server) saveOpening(c *echo.Context) error {
	f, err := read(c, "opening")
	if err != nil {
		return err
	}
	number := c.Param("number")
	in := measure.TeardownStepInput{Number: number, Step: f.Get("step"), Way: f.Get("way"), Fasteners: f.whole("fasteners", 0), Parts: f.whole("parts", 0), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		err := sv.s.Measure.RecordTeardownStep(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, "/modules/"+number+"/open")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showOpening(c, http.StatusUnprocessableEntity, f)
}
