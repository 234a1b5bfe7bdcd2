package measure

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/check"
	"pandrel/core/module/isolation"
	"pandrel/shop/measure"
	"pandrel/store"
	"pandrel/web/frame"
)

// checkView is the quick check of a module against its type.
type checkView struct {
	Module store.Module
	Type   store.ModuleType
	Rows   []checkRow
	Form   *frame.Form
	Blind  string
}

type checkRow struct {
	check.Pair
	Name, Value, Error string
}

func (sv *Room) check(c *echo.Context) error {
	return sv.showCheck(c, http.StatusOK, frame.Blank("check", "by", frame.Who(c)))
}

func (sv *Room) showCheck(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return err
	}
	plan, err := sv.Shop.Measure.CheckPlan(ctx, t)
	if err != nil {
		return err
	}
	v := checkView{Module: m, Type: t, Form: f, Blind: check.Blind}
	for i, p := range plan {
		name := fmt.Sprintf("c%d", i)
		v.Rows = append(v.Rows, checkRow{p, name, f.Get(name), f.Bads[name]})
	}
	return sv.ShowAt(c, code, "check", "Check "+m.Number, station.Map, v)
}

func (sv *Room) saveCheck(c *echo.Context) error {
	return frame.Post(c, "check", func(f *frame.Form) (frame.Act, error) {
		ctx, number := c.Request().Context(), c.Param("number")
		m, t, err := sv.ModuleOf(c)
		if err != nil {
			return nil, err
		}
		plan, err := sv.Shop.Measure.CheckPlan(ctx, t)
		if err != nil {
			return nil, err
		}
		in := measure.CheckInput{Number: number, Volts: f.Volts("c", 0, len(plan)), Token: f.Once()}
		return func() (string, error) {
			_, err := sv.Shop.Measure.RecordCheck(ctx, in)
			return frame.ModulePath(m.Number), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showCheck(c, code, f)
	})
}

// isolationView is the measurement against the case.
type isolationView struct {
	Module store.Module
	Type   store.ModuleType
	Form   *frame.Form
	Ohms   float64 // the known resistor to use, and its watts
	Watts  float64
	Last   *measure.Isolated
}

func (sv *Room) isolation(c *echo.Context) error {
	return sv.showIsolation(c, http.StatusOK, frame.Blank("isolation", "by", frame.Who(c), "meter_mohm", "10"))
}

func (sv *Room) showIsolation(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return err
	}
	v := isolationView{Module: m, Type: t, Form: f}
	v.Ohms, v.Watts = isolation.KnownResistor(max(t.PlateVolts, 1))
	if _, v.Last, err = sv.Shop.Measure.LastChecks(ctx, m.ID); err != nil {
		return err
	}
	return sv.ShowAt(c, code, "isolation", "Isolation of "+m.Number, station.Inspect, v)
}

func (sv *Room) saveIsolation(c *echo.Context) error {
	return frame.Post(c, "isolation", func(f *frame.Form) (frame.Act, error) {
		number := c.Param("number")
		in := measure.IsolationInput{Number: number, Token: f.Once(), Readings: f.AgainstCase()}
		// all three must be there
		in.Readings.PackVolts, in.Readings.PositiveVolts, in.Readings.NegativeVolts = f.Num("pack_v"), f.Num("pos_v"),
			f.Num("neg_v")
		return func() (string, error) {
			_, _, err := sv.Shop.Measure.RecordIsolation(c.Request().Context(), in)
			return frame.ModulePath(number), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showIsolation(c, code, f)
	})
}
