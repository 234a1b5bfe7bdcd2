package test

import (
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chart"
	"pandrel/core/base/station"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/shop/test"
	"pandrel/web/frame"
)

// viewStrips is how many strips a picture of a log has: about as many as a screen has columns.
const viewStrips = 1200

// logView is a kept log on the screen.
type logView struct {
	Log     *test.ReadLog
	R       trace.Result
	Part    string
	Newer   int64
	EndS    float64
	FromS   float64 // what is in view
	ToS     float64
	Stretch *logview.Stretch
	NoPart  string // why there is none
	Picture string
	Cycles  string // their discharges, one over the other
	Form    *frame.Form
	Columns []logColumn
}

// Address is where the samples of the log are.
func (v logView) Address() string { return fmt.Sprintf("/tests/%d/samples", v.Log.Test.ID) }

// Groups names the groups that were on the clamps, as groups of the module.
func (v logView) Groups() string {
	var out []string
	for i := range v.Log.Log.Groups {
		out = append(out, strconv.Itoa(v.Group(v.Log.Result.GroupAt(i))))
	}
	return strings.Join(out, ",")
}

// Group is a group of the clamps as one of the module.
func (v logView) Group(n int) int { return v.Log.Test.First() + n - 1 }

// between reads a stretch of a log from an address; what is not said is its beginning or its end.
func between(c *echo.Context, l *test.ReadLog) (from, to float64) {
	number := func(name string, otherwise float64) float64 {
		x, err := strconv.ParseFloat(strings.Replace(frame.Query(c, name), ",", ".", 1), 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return otherwise
		}
		return min(max(x, 0), l.EndS())
	}
	if from, to = number("from", 0), number("to", l.EndS()); !(to > from) {
		return 0, l.EndS()
	}
	return from, to
}

// logSamples answers with the samples between two times, thinned where there are more than a picture has columns.
func (sv *Room) logSamples(c *echo.Context, id int64) error {
	l, err := sv.Shop.Tests.ReadKept(c.Request().Context(), id)
	if err != nil {
		return err
	}
	from, to := between(c, l)
	return c.JSON(http.StatusOK, logview.ViewOf(l.Log, l.Result.Gaps, from, to, viewStrips))
}

func (sv *Room) logPage(c *echo.Context, id int64) error {
	return sv.showLog(c, http.StatusOK, id, nil)
}

func (sv *Room) showLog(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	l, err := sv.Shop.Tests.ReadKept(ctx, id)
	if err != nil {
		return err
	}
	v := logView{Log: l, R: l.Result, Part: l.Test.PartName(), EndS: l.EndS(), Form: f}
	if v.Newer, err = sv.Shop.Tests.NewerReading(ctx, id); err != nil {
		return err
	}
	v.FromS, v.ToS = between(c, l)
	if s, err := logview.Between(l.Log, l.Result.Gaps, v.FromS, v.ToS); err != nil {
		v.NoPart = err.Error()
	} else {
		v.Stretch = &s
	}
	if f == nil {
		if v.Form, err = sv.rereadForm(c, l, v.FromS, v.ToS); err != nil {
			return err
		}
	}
	look := logLook{Table: l.Log.Table}
	look.columns(v.Form)
	v.Columns = look.Columns
	thin, err := sv.Shop.Tests.ThinOf(ctx, id)
	if err != nil {
		return err
	}
	thin.First = l.Test.First()
	v.Picture = draw.Trace("Log "+l.Test.FileName, thin, l.Series, frame.Limiting(l.Result.LimitingGroup))
	if len(l.Result.Cycles) > 1 {
		v.Cycles = draw.Chart(cyclesOf(thin, l.Series, l.Result.Cycles))
	}
	return sv.ShowAt(c, code, "log", "Log of "+l.Module.Number, station.Test, v)
}

// mostCycles bounds the curves of one picture; the first and the last are always among them.
const mostCycles = 8

// cyclesOf lays the discharges of a log over each other.
func cyclesOf(thin logview.Thin, series int, cycles []trace.Cycle) chart.Chart {
	ch := chart.Chart{Title: "Each discharge, volts over what was taken out", X: "Ah", Y: "V of a group"}
	for i, k := range cycles {
		if len(cycles) > mostCycles && i > 0 && i < len(cycles)-1 && i*(mostCycles-1)/(len(cycles)-1) ==
			(i-1)*(mostCycles-1)/(len(cycles)-1) {
			continue
		}
		if p := thin.Discharged(series, k.StartS, k.EndS); len(p) > 1 {
			ch.Curves = append(ch.Curves, chart.Curve{Name: fmt.Sprintf("%d: %.1f Ah", i+1, k.Ah), Points: p})
		}
	}
	return ch
}

// rereadForm is the form to read a log again, filled with how it was read and what is in view.
func (sv *Room) rereadForm(c *echo.Context, l *test.ReadLog, from, to float64) (*frame.Form, error) {
	in, err := sv.Shop.Tests.As(l)
	if err != nil {
		return nil, err
	}
	f := frame.Blank("reread", "by", frame.Who(c), "date_order", in.ReadAs.DateOrder, "from", seconds(from), "to",
		seconds(to))
	set := func(name string, x float64) {
		if x != 0 {
			f.Values.Set(name, strconv.FormatFloat(x, 'g', -1, 64))
		}
	}
	set("floor", in.FloorVolts)
	set("ended_group", float64(in.ReadAs.EndedByGroup))
	set("ended_v", in.ReadAs.EndedAtVolts)
	set("dead_band", in.ReadAs.DeadBandAmps)
	if in.ReadAs.Checked {
		f.Values.Set("checked", "yes")
	}
	set("from_group", float64(in.FromGroup))
	set("to_group", float64(in.ToGroup))
	if in.FlipCurrent {
		f.Values.Set("flip", "yes")
	}
	for n, a := range in.ReadAs.Columns {
		kind := a.Kind
		if kind == "group" {
			kind += " " + strconv.Itoa(a.Group)
		}
		f.Values.Set(fmt.Sprintf("col%d", n), kind)
		f.Values.Set(fmt.Sprintf("unit%d", n), a.Unit)
	}
	return f, nil
}

func seconds(s float64) string { return strconv.FormatFloat(math.Round(s*10)/10, 'f', -1, 64) }

// rereadLog reads a kept log again with other settings, or only what is in view.
func (sv *Room) rereadLog(c *echo.Context, id int64) error {
	return frame.Post(c, "reread", func(f *frame.Form) (frame.Act, error) {
		in := test.LogInput{FlipCurrent: f.Get("flip") != "", FloorVolts: f.Opt("floor", 0), Token: f.Once(),
			ReadAs: readAs(f), FromGroup: f.Whole("from_group", 0), ToGroup: f.Whole("to_group", 0)}
		if f.Get("cut") != "" {
			in.ReadAs.CutFromS, in.ReadAs.CutToS = f.Num("from"), f.Num("to")
			if !f.Bad() && !(in.ReadAs.CutFromS >= 0 && in.ReadAs.CutToS > in.ReadAs.CutFromS) {
				f.Bads["to"] = "expected an end behind the beginning"
			}
		}
		return func() (string, error) {
			newer, _, err := sv.Shop.Tests.Reread(c.Request().Context(), id, in)
			return frame.Made("/tests/", newer, fmt.Sprintf("/tests/%d", id), err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLog(c, code, id, f) })
}

// logPart sends the lines of a log between two times.
func (sv *Room) logPart(c *echo.Context, id int64) error {
	l, err := sv.Shop.Tests.ReadKept(c.Request().Context(), id)
	if err != nil {
		return err
	}
	from, to := between(c, l)
	st, err := logview.Between(l.Log, l.Result.Gaps, from, to)
	if err != nil {
		return kernel.Bad("from", "%v", err)
	}
	data, err := sv.Shop.Tests.StretchText(c.Request().Context(), l, st)
	if err != nil {
		return err
	}
	return frame.SendFile(c, fmt.Sprintf("%s-log-%d-%.0f-to-%.0f-s.csv", l.Module.Number, id, st.FromS,
		st.ToS), "text/csv; charset=utf-8", data)
}
