package types

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/teardown"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// teardownView is how a type is opened, as a table to be written.
type teardownView struct {
	Type     store.ModuleType
	Steps    []teardown.Step
	Rows     []int // numbers of the rows of the form, from 1
	Pictures []store.Picture
	By       string
	Form     *frame.Form
}

// freeRows is how many empty rows a list of steps offers.
const freeRows = 3

func (sv *Room) teardown(c *echo.Context, id int64) error {
	return sv.showTeardown(c, http.StatusOK, id, nil, 0)
}

func (sv *Room) showTeardown(c *echo.Context, code int, id int64, f *frame.Form, rows int) error {
	ctx := c.Request().Context()
	t, err := sv.Shop.Type(ctx, id)
	if err != nil {
		return err
	}
	row, steps, ok, err := sv.Shop.Measure.TeardownOf(ctx, id)
	if err != nil {
		return err
	}
	v := teardownView{Type: t, Steps: steps, Form: f}
	if ok {
		v.By = fmt.Sprintf("%s by %s", sv.Shop.Here(row.WrittenAt).Format("2006-01-02"), row.WrittenBy)
	}
	if v.Pictures, err = sv.Shop.Types.TypePictures(ctx, id); err != nil {
		return err
	}
	if f == nil {
		rows = len(steps) + freeRows
		v.Form = frame.Blank("teardown", "by", frame.Who(c), "after", strconv.FormatInt(row.ID, 10), "rows",
			strconv.Itoa(rows))
		for i, s := range steps {
			for name, value := range map[string]string{"key": s.Key, "do": s.Do, "fastener": s.Fastener,
				"count": frame.Count(s.Count), "tool": s.Tool, "trap": s.Trap, "keep": s.Keep,
				"keep_count": frame.Count(s.KeepCount), "picture": frame.Count(int(s.Picture))} {
				v.Form.Values.Set(fmt.Sprintf("%s%d", name, i+1), value)
			}
		}
	}
	for i := range rows {
		v.Rows = append(v.Rows, i+1)
	}
	return sv.ShowAt(c, code, "teardown", "How "+t.Name+" is opened", station.Inspect, v)
}

func (sv *Room) saveTeardown(c *echo.Context, id int64) error {
	rows := 0
	var at []int // the row each step was typed in
	judged := false
	return frame.Post(c, "teardown", func(f *frame.Form) (frame.Act, error) {
		rows = min(max(f.Whole("rows", 0), 0), teardown.MaxSteps+freeRows)
		in := measure.TeardownInput{TypeID: id, After: int64(f.Whole("after", 0)), Token: f.Once()}
		in.Steps, at = typedSteps(f, rows)
		return func() (string, error) {
			judged = true
			err := sv.Shop.Measure.SaveTeardown(c.Request().Context(), in)
			return fmt.Sprintf("/types/%d/teardown", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		if v := f.Get("version"); v != "" { // somebody else's list is newer: saving again comes after it
			f.Values.Set("after", v)
		}
		if judged {
			rowsOf(f, at)
		}
		return sv.showTeardown(c, code, id, f, rows)
	})
}

// typedSteps reads the steps from the form's rows, with the row each was typed in: empty rows lie between.
func typedSteps(f *frame.Form, rows int) (steps []teardown.Step, at []int) {
	for i := 1; i <= rows; i++ {
		get := func(name string) string { return strings.TrimSpace(f.Get(fmt.Sprintf("%s%d", name, i))) }
		if get("do")+get("fastener")+get("keep")+get("tool")+get("trap") == "" {
			continue
		}
		num := func(name string) int { return f.Whole(fmt.Sprintf("%s%d", name, i), 0) }
		steps = append(steps, teardown.Step{Key: get("key"), Do: get("do"), Fastener: get("fastener"),
			Count: num("count"), Tool: get("tool"),
			Trap: get("trap"), Keep: get("keep"), KeepCount: num("keep_count"), Picture: int64(num("picture"))})
		at = append(at, i)
	}
	return steps, at
}

// rowsOf moves errors from the number of a step to the row it was typed in; empty rows lie between.
func rowsOf(f *frame.Form, at []int) {
	moved := map[string]string{}
	for k, text := range f.Bads {
		name := strings.TrimRight(k, "0123456789")
		if n, err := strconv.Atoi(k[len(name):]); err == nil && n >= 1 && n <= len(at) {
			k = fmt.Sprintf("%s%d", name, at[n-1])
		}
		moved[k] = text
	}
	f.Bads = moved
}

// addStepPicture keeps a picture of a type's inside, to be named in a step.
func (sv *Room) addStepPicture(c *echo.Context, id int64) error {
	return frame.Post(c, "steppicture", func(f *frame.Form) (frame.Act, error) {
		in := record.PictureInput{Kind: record.PictureStep, TypeID: id, Caption: f.Get("caption")}
		keep, err := sv.KeepPictures(c, f, "picture", in)
		return func() (string, error) {
			_, err := keep()
			return fmt.Sprintf("/types/%d/teardown", id), err
		}, err
	}, func(code int, f *frame.Form) error {
		shown := frame.Blank("teardown", "by", frame.Who(c), "rows", "0", "caption", f.Get("caption"))
		shown.Bads[""] = f.Bads[""] + f.Bads["picture"] + f.Bads["caption"]
		return sv.showTeardown(c, code, id, shown, 0)
	})
}
