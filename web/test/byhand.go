package test

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chart"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/test"
	"pandrel/web/frame"
)

// handView is a test that a person makes.
type handView struct {
	test.ByHand
	Level   string
	Says    string
	Groups  []int // of the module, those of the part
	Picture string
	Reading *frame.Form
	Move    *frame.Form
}

// Discharges reports which way the current of the step flows.
func (v handView) Discharges() bool { return v.Step.Amps < 0 }

// handLevel words how a test by hand stands.
func handLevel(h test.ByHand) (says, level string) {
	switch {
	case h.State != test.Runs:
		return "This test is over.", "ok"
	case finding.Blocks(h.Now.Findings):
		f := h.Now.Findings[0]
		return f.Text + " " + f.Do, "stop"
	case h.Now.EndNow:
		return h.Now.Says, "caution"
	case h.Now.Late:
		return h.Now.Findings[0].Text + " " + h.Now.Findings[0].Do, "caution"
	}
	return h.Now.Says, "ready"
}

func (sv *Room) showHandTest(c *echo.Context, code int, id int64, reading, move *frame.Form) error {
	h, err := sv.Shop.Tests.ByHandByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := handView{ByHand: h, Reading: reading, Move: move}
	v.Says, v.Level = handLevel(h)
	if reading == nil {
		v.Reading = frame.Blank("handreading", "by", frame.Who(c))
	}
	if move == nil {
		v.Move = frame.Blank("handmove", "by", frame.Who(c))
	}
	for i := range h.Step.Groups {
		v.Groups = append(v.Groups, max(1, h.FromGroup)+i)
	}
	ch := chart.Chart{Title: "Volts read in this step", X: "hours", Y: "V", Curves: []chart.Curve{{Name: "in all"}}}
	for _, r := range h.Readings {
		ch.Curves[0].Points = append(ch.Curves[0].Points, [2]float64{r.Seconds / 3600, r.Volts})
	}
	if len(h.Readings) > 1 {
		v.Picture = draw.Chart(ch)
	}
	return sv.ShowAt(c, code, "hand", "Test by hand of "+h.Number(), station.Test, v)
}

// startByHand begins a test by hand from the page of its module.
func (sv *Room) startByHand(c *echo.Context) error {
	number := c.Param("number")
	return frame.Post(c, "starthand", func(f *frame.Form) (frame.Act, error) {
		from, to := f.Whole("from_group", 0), f.Whole("to_group", 0)
		return func() (string, error) {
			id, err := sv.Shop.Tests.StartByHand(c.Request().Context(), test.ByHandInput{Number: number,
				From: from, To: to, Full: f.Get("full") != "", Token: f.Once()})
			return frame.Made("/tests/", id, frame.ModulePath(number), err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showTestWith(c, code, testForms{ByHand: f}) })
}

// saveHandReading writes down what was read.
func (sv *Room) saveHandReading(c *echo.Context, id int64) error {
	return frame.Post(c, "handreading", func(f *frame.Form) (frame.Act, error) {
		in := test.HandReadingInput{ID: id, Volts: f.Num("volts"), Amps: f.Opt("amps", 0), TempC: f.Maybe("temp_c"),
			Token: f.Once()}
		h, err := sv.Shop.Tests.ByHandByID(c.Request().Context(), id)
		if err != nil {
			return nil, err
		}
		if h.Step.Amps != 0 { // what nobody read is not 0 A
			in.Amps = f.Num("amps")
		}
		for i := range h.Step.Groups {
			if name := fmt.Sprintf("g%d", i+1); f.Get(name) != "" {
				in.Cells = append(in.Cells, f.Num(name))
			}
		}
		return func() (string, error) {
			return fmt.Sprintf("/tests/%d", id), sv.Shop.Tests.RecordHandReading(c.Request().Context(), in)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showHandTest(c, code, id, f, nil) })
}

// moveHandTest ends a step by hand.
func (sv *Room) moveHandTest(c *echo.Context, id int64) error {
	return frame.Post(c, "handmove", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return fmt.Sprintf("/tests/%d", id), sv.Shop.Tests.MoveByHand(c.Request().Context(), id, f.Get("what"),
				f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showHandTest(c, code, id, nil, f) })
}
