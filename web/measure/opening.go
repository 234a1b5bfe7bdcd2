package measure

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/teardown"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// openingView is a module being opened or closed.
type openingView struct {
	record.Opening
	Module store.Module
	Type   store.ModuleType
	Known  bool
	Form   *frame.Form
	Says   string
	Level  string
}

func (sv *Room) opening(c *echo.Context) error {
	return sv.showOpening(c, http.StatusOK, frame.Blank("opening", "by", frame.Who(c)))
}

func (sv *Room) showOpening(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return err
	}
	o, ok, err := sv.Shop.Measure.OpeningOf(ctx, m)
	if err != nil {
		return err
	}
	v := openingView{Opening: o, Module: m, Type: t, Known: ok, Form: f}
	if teardown.Closing(o.States) {
		slices.Reverse(v.States) // the last step off is the first one on
	}
	v.Says, v.Level = openingSays(v)
	return sv.ShowAt(c, code, "opening", "Open "+m.Number, station.Inspect, v)
}

// openingSays is the sentence the page of an opened module begins with.
func openingSays(v openingView) (string, string) {
	if !v.Known {
		return "Nothing is written down about opening this type. Write it down while you open the first one.", "ready"
	}
	if f := teardown.Missing(v.Findings); f != nil {
		return f.Text + " " + f.Do, "stop"
	}
	switch {
	case v.Done:
		return "Closed again: everything that came off is back.", "ok"
	case v.Begun:
		return fmt.Sprintf("%d things lie in the tray. Take the next step, and count.", len(v.Tray)), "caution"
	}
	return fmt.Sprintf("%s, written down for this type. Count what comes off.", numeral.Count(len(v.States), "step")),
		"ready"
}

func (sv *Room) saveOpening(c *echo.Context) error {
	return frame.Post(c, "opening", func(f *frame.Form) (frame.Act, error) {
		number := c.Param("number")
		in := measure.TeardownStepInput{Number: number, Step: f.Get("step"), Way: f.Get("way"),
			Fasteners: f.Whole("fasteners", 0), Parts: f.Whole("parts", 0), Token: f.Once()}
		return func() (string, error) {
			err := sv.Shop.Measure.RecordTeardownStep(c.Request().Context(), in)
			return frame.ModulePath(number, "open"), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showOpening(c, code, f)
	})
}
