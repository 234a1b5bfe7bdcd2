package test

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chart"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/test"
	"pandrel/web/frame"
)

// tile is a running test on the wall.
type tile struct {
	test.Running
	Level     string
	Says      string
	LeftText  string
	WholeText string
}

func (t tile) Active() bool { return t.State == test.Runs || t.State == test.Paused }

type runsView struct {
	Running, Over []tile
	Hand          []handView
	Cycler        bool
}

// tileOf says a test in a line.
func tileOf(r test.Running) tile {
	t := tile{Running: r, Level: "ready"}
	switch {
	case finding.Blocks(r.Found):
		t.Level, t.Says = "stop", strings.TrimSpace(r.Found[0].Text+" "+r.Trouble)
	case r.Trouble != "":
		t.Level, t.Says = "caution", r.Trouble
	case r.State == test.Paused:
		t.Level, t.Says = "caution", "Paused."
	case r.State == test.Stopped:
		t.Level, t.Says = "caution", "Stopped by hand."
	case r.State == test.Done:
		t.Level, t.Says = "ok", "Done: its log is on the module's page."
	default:
		t.Says = fmt.Sprintf("Step %d of %d: %s.", r.AtStep+1, len(r.Steps), r.Step.Kind)
	}
	t.LeftText, t.WholeText = frame.About(r.Left), frame.About(r.Whole)
	return t
}

func (sv *Room) runs(c *echo.Context) error {
	list, err := sv.Shop.Tests.Runs(c.Request().Context())
	if err != nil {
		return err
	}
	v := runsView{Cycler: sv.Shop.CyclerAddress != ""}
	hand, err := sv.Shop.Tests.HandTests(c.Request().Context())
	if err != nil {
		return err
	}
	for _, h := range hand {
		x := handView{ByHand: h}
		x.Says, x.Level = handLevel(h)
		v.Hand = append(v.Hand, x)
	}
	for _, r := range list {
		if t := tileOf(r); t.Active() {
			v.Running = append(v.Running, t)
		} else {
			v.Over = append(v.Over, t)
		}
	}
	return sv.ShowAt(c, http.StatusOK, "runs", "Tests that run", station.Test, v)
}

// runView is one test with its pictures.
type runView struct {
	Tile     tile
	Pictures []string
	Gaps     []string // what was not read, in words
	Form     *frame.Form
	Ends     time.Time // about
}

func (sv *Room) showRun(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	r, err := sv.Shop.Tests.RunByID(ctx, id)
	if err != nil {
		return err
	}
	v := runView{Tile: tileOf(r), Form: f, Ends: sv.Shop.Bench.Now().Add(time.Duration(r.Whole) * time.Second)}
	if f == nil {
		v.Form = frame.Blank("run", "by", frame.Who(c))
	}
	gaps, err := sv.Shop.Tests.GapsOf(ctx, id)
	if err != nil {
		return err
	}
	for _, g := range gaps {
		v.Gaps = append(v.Gaps, fmt.Sprintf("Nothing was read for %s, from %s after its beginning on. The device "+
			"went on: what flowed meanwhile is taken from its own counter, to its last digit.",
			frame.About(g.ToS-g.FromS), frame.About(g.FromS)))
	}
	samples, err := sv.Shop.Tests.Samples(ctx, id, 400)
	if err != nil {
		return err
	}
	volts := chart.Chart{Title: "Volts of each group", X: "hours", Y: "V"}
	amps := chart.Chart{Title: "Amps", X: "hours", Y: "A", Curves: []chart.Curve{{Name: "A"}},
		Marks: []chart.Mark{{Name: "no current", At: 0, Level: "plain"}}}
	for _, x := range samples {
		cells, err := x.Cells.Get()
		if err != nil {
			return err
		}
		h := x.Seconds / 3600
		for g, u := range cells {
			if g == len(volts.Curves) {
				volts.Curves = append(volts.Curves, chart.Curve{Name: fmt.Sprintf("group %d", g+1)})
			}
			volts.Curves[g].Points = append(volts.Curves[g].Points, [2]float64{h, u})
		}
		amps.Curves[0].Points = append(amps.Curves[0].Points, [2]float64{h, x.Amps})
	}
	for _, ch := range []chart.Chart{volts, amps} {
		if s := draw.Chart(ch); s != "" {
			v.Pictures = append(v.Pictures, s)
		}
	}
	return sv.ShowAt(c, code, "run", "Test of "+r.Number(), station.Test, v)
}

// startRun begins a test from the page of its module.
func (sv *Room) startRun(c *echo.Context) error {
	number := c.Param("number")
	return frame.Post(c, "run", func(f *frame.Form) (frame.Act, error) {
		channel := f.Whole("channel", 1)
		if channel < 1 || channel > 64 {
			f.Bads["channel"] = "expected a channel of the cycler, from 1"
		}
		return func() (string, error) {
			id, err := sv.Shop.Tests.Start(c.Request().Context(), number, channel, f.Once())
			return frame.Made("/tests/", id, "/tests", err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showTestWith(c, code, testForms{Run: f}) })
}

// controlRun pauses a test, lets it go on, or stops it.
func (sv *Room) controlRun(c *echo.Context, id int64) error {
	return frame.Post(c, "run", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return fmt.Sprintf("/tests/%d", id), sv.Shop.Tests.Control(c.Request().Context(), id, f.Get("what"),
				f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showRun(c, code, id, f) })
}

// soFar sends a test as a log, whether or not it was taken over.
func (sv *Room) soFar(c *echo.Context, id int64) error {
	data, _, err := sv.Shop.Tests.LogOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return frame.SendFile(c, fmt.Sprintf("test-%d.csv", id), "text/csv; charset=utf-8", data)
}
