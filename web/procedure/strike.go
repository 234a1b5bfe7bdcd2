package procedure

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/undo"
	"pandrel/web/frame"
)

// strikeView is a record of a procedure or a bank that may be taken back, and where it is shown.
type strikeView struct {
	Record undo.Alone
	Back   string
	Form   *frame.Form
}

// strikeRow reads which record the address names: its kind and number.
func (sv *Room) strikeRow(c *echo.Context) (v strikeView, err error) {
	row := c.Param("row")
	at := strings.LastIndex(row, "-")
	id, bad := strconv.ParseInt(row[at+1:], 10, 64)
	if at < 1 || bad != nil || id < 1 {
		return v, &kernel.NotFound{What: "record " + frame.Clip(row, 20)}
	}
	ctx, of := c.Request().Context(), row[:at]
	switch of { // as they were called on addresses that were printed
	case "standing-survey":
		of = record.StrikeBankSurvey
	case "bank-test":
		t, err := sv.Shop.Tests.Printed(ctx, "bank-tests", id)
		if err != nil {
			return v, err
		}
		of, id = record.StrikeTest, t.ID
	}
	v.Record, err = sv.Shop.Undo.AloneByID(ctx, of, id)
	v.Back = backTo(v.Record)
	return v, err
}

// backTo is the page of the work that a record is of.
func backTo(a undo.Alone) string {
	switch a.Of {
	case "module":
		return frame.ModulePath(a.Module, "people")
	case "regroup":
		return frame.ModulePath(a.Module, "regroup")
	case "build":
		return fmt.Sprintf("/banks/%d/build", a.OfID)
	}
	return fmt.Sprintf("/banks/%d", a.OfID)
}

func (sv *Room) strike(c *echo.Context) error {
	return sv.showStrike(c, http.StatusOK, frame.Blank("strike", "by", frame.Who(c)))
}

func (sv *Room) showStrike(c *echo.Context, code int, f *frame.Form) error {
	v, err := sv.strikeRow(c)
	if err != nil {
		return err
	}
	v.Form = f
	return sv.Show(c, code, "record", "Typed by mistake", v)
}

// saveStrike takes the record back with the reason.
func (sv *Room) saveStrike(c *echo.Context) error {
	return frame.Post(c, "strike", func(f *frame.Form) (frame.Act, error) {
		v, err := sv.strikeRow(c)
		return func() (string, error) {
			return v.Back, sv.Shop.Undo.StrikeAlone(c.Request().Context(), v.Record.Kind, v.Record.ID, f.Get("reason"),
				f.Once())
		}, err
	}, func(code int, f *frame.Form) error { return sv.showStrike(c, code, f) })
}
