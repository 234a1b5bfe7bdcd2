package test

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/base/typed"
	"pandrel/core/test/parts"
	"pandrel/shop/test"
	"pandrel/store"
	"pandrel/web/frame"
)

// setView is a log of several loose cells in series.
type setView struct {
	Lot   store.Lot
	Form  *frame.Form
	Cells []test.SetCell
	Set   parts.Set
	Kept  bool
	Says  string
	Level string
}

func (sv *Room) set(c *echo.Context, id int64) error {
	return sv.showSet(c, http.StatusOK, id, frame.Blank("set", "by", frame.Who(c)), setView{})
}

func (sv *Room) showSet(c *echo.Context, code int, id int64, f *frame.Form, v setView) error {
	lot, err := sv.Shop.Record.Lot(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v.Lot, v.Form = lot, f
	fails := 0
	for _, x := range v.Cells {
		if x.Fails != "" {
			fails++
		}
	}
	switch {
	case v.Kept && fails > 0:
		v.Says, v.Level = fmt.Sprintf("%d of %d are kept. The others say why not.", len(v.Cells)-fails,
			len(v.Cells)), "caution"
	case v.Kept:
		v.Says, v.Level = fmt.Sprintf("All %d are kept, each with its own figure.", len(v.Cells)), "ok"
	case len(v.Cells) > 0:
		v.Says, v.Level = fmt.Sprintf("%s is the weakest of %d. Do the columns look right? Nothing is kept yet.",
			v.Set.Weakest, len(v.Cells)), "ready"
	default:
		v.Says, v.Level = "One log with a column of volts for each cell: every cell gets its own figure, and all are "+
			"laid beside each other.", "ready"
	}
	return sv.ShowAt(c, code, "set", "A set of cells", station.Test, v)
}

// saveSet reads a log of a set, shows what it says of each cell, and keeps it once a person says so.
func (sv *Room) saveSet(c *echo.Context, id int64) error {
	f, err := frame.Read(c, "set")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	in := test.SetInput{Token: f.Once()}
	if in.Numbers, err = typed.Labels(f.Get("numbers"), test.MostInSet); err != nil {
		f.Bads["numbers"] = err.Error() + ". Expected the cells in the order of the log's columns"
	}
	if in.FileName, in.Data, err = sv.logFile(c, f); err != nil {
		return err
	}
	var v setView
	if !f.Bad() {
		if f.Get("keep") != "" {
			v.Kept = true
			v.Cells, err = sv.Shop.Tests.RecordSet(ctx, in)
		} else if v.Cells, v.Set, err = sv.Shop.Tests.TrySet(ctx, in); err == nil {
			var sha string
			sha, err = sv.Shop.PutAside(ctx, in.Data, test.MaxLogBytes)
			f.Values.Set("file_sha", sha)
			f.Values.Set("file_name", in.FileName)
		}
		if frame.Again(err) {
			return frame.Saved(c, f, fmt.Sprintf("/lots/%d", id))
		}
		if err := f.Take(err); err != nil {
			return err
		}
	}
	code := http.StatusOK
	if f.Bad() {
		code, v = http.StatusUnprocessableEntity, setView{}
	}
	return sv.showSet(c, code, id, f, v)
}
