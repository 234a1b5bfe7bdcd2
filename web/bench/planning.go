package bench

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/bench/kit"
	"pandrel/core/bench/testplan"
	"pandrel/core/module/layout"
	"pandrel/core/module/parts"
	"pandrel/draw"
	"pandrel/shop/bench"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/frame"
)

// benchView is the bench with all that wait for a test.
type benchView struct {
	bench.Scheduled
	Kit     kit.Kit
	Own     bool // somebody wrote it down
	Picture string
	Says    string
	Level   string
	Rows    []slotRow
	Form    *frame.Form
	PinForm *frame.Form
	Help    string
}

// slotRow is a test on the schedule, with the times of its day.
type slotRow struct {
	Number, Channel string
	Begin, End      time.Time
	Hours           float64
	Pinned, Runs    bool
}

func (sv *Room) bench(c *echo.Context) error { return sv.showBench(c, http.StatusOK, nil) }

func (sv *Room) showBench(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	v := benchView{Help: kit.LinesHelp()}
	var err error
	if v.Kit, v.Own, err = sv.Shop.Bench.Kit(ctx); err != nil {
		return err
	}
	if v.Scheduled, err = sv.Shop.Bench.Schedule(ctx); err != nil {
		return err
	}
	now := sv.Shop.Now()
	v.Picture = draw.Timeline("Schedule of the bench", v.Channels, v.Plan, float64(now.Hour())+float64(now.Minute())/60)
	at := func(h float64) time.Time { return now.Add(time.Duration(h * float64(time.Hour))) }
	for _, s := range v.Plan.Slots {
		v.Rows = append(v.Rows, slotRow{s.Job, v.Channels[s.Channel], at(s.Begin), at(s.End), s.End - s.Begin,
			v.Pins[s.Job] != "", s.Runs})
	}
	v.Says, v.Level = benchSentence(v, at)
	k := v.Kit
	v.Form = frame.Blank("kit", "by", frame.Who(c), "devices", kit.Text(k.Devices), "resistors",
		kit.ResistorText(k.Resistors), "clamp_a",
		frame.Known(k.ClampAmps), "wire_a",
		frame.Known(k.WireAmps), "store_kwh", frame.Known(k.Store.KWh), "store_pct", frame.Known(k.Store.From*100),
		"work_from",
		fmt.Sprint(k.WorkFrom), "work_to", fmt.Sprint(k.WorkTo))
	v.PinForm = frame.Blank("pin", "by", frame.Who(c))
	switch {
	case f != nil && f.Kind == "kit":
		v.Form = f
	case f != nil && f.Kind == "pin":
		v.PinForm = f
	}
	return sv.ShowAt(c, code, "bench", "The bench", station.Test, v)
}

// benchSentence is what the page of the bench opens with.
func benchSentence(v benchView, at func(float64) time.Time) (string, string) {
	p := v.Plan
	switch {
	case len(v.Channels) == 0:
		return "Nothing on this bench charges: write a charger down.", "caution"
	case len(v.Rows) == 0 && len(v.Left) > 0:
		return fmt.Sprintf("%d wait for a test, and none can be planned: the reasons stand below.", len(v.Left)),
			"caution"
	case len(v.Rows) == 0:
		return "No module waits for a test.", "ok"
	}
	text := fmt.Sprintf("%d tests on %d channels are done on %s.", len(v.Rows), len(v.Channels),
		at(p.Finish).Format("2006-01-02 15:04"))
	text += fmt.Sprintf(" %.0f kWh from the wall", p.WallKWh)
	if v.Kit.Store.KWh > 0 {
		text += fmt.Sprintf(", %.0f kWh with the store", p.WallStoreKWh)
	}
	text += "."
	if p.OneMoreSaves > 1 {
		text += fmt.Sprintf(" One more channel would save %.0f h.", p.OneMoreSaves)
	}
	return text, "ready"
}

// saveKit writes the bench down.
func (sv *Room) saveKit(c *echo.Context) error {
	return frame.Post(c, "kit", func(f *frame.Form) (frame.Act, error) {
		k := kit.Kit{ClampAmps: f.Opt("clamp_a", 0), WireAmps: f.Opt("wire_a", 0), WorkFrom: f.Opt("work_from", 0),
			WorkTo: f.Opt("work_to", 24), Store: kit.Store{KWh: f.Opt("store_kwh", 0), From: f.Opt("store_pct",
				50) / 100,
				Efficiency: 0.9}}
		var err error
		if k.Resistors, err = kit.ParseResistors(strings.ReplaceAll(f.Get("resistors"), "\r\n", "\n")); err != nil {
			f.Bads["resistors"] = err.Error()
		}
		if k.Devices, err = kit.ParseDevices(strings.ReplaceAll(f.Get("devices"), "\r\n", "\n")); err != nil {
			f.Bads["devices"] = err.Error()
		}
		return func() (string, error) {
			return "/bench", sv.Shop.Bench.SaveKit(c.Request().Context(), k, f.Get("by"), f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showBench(c, code, f) })
}

// pin holds a module to a channel, or lets it go.
func (sv *Room) pin(c *echo.Context) error {
	return frame.Post(c, "pin", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return "/bench", sv.Shop.Bench.Pin(c.Request().Context(), f.Get("number"), f.Get("channel"), f.Get("by"),
				f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showBench(c, code, f) })
}

// clampFace is the face of a module with the points on which a pair of leads goes.
type clampFace struct{ Title, Picture string }

// clampFaces shows where the leads go: a picture for each block, since what is positive for one is negative for the
// next.
func clampFaces(t store.ModuleType, lay layout.Map, p *testplan.Plan, from, to int) (out []clampFace) {
	if from == 0 {
		from, to = 1, lay.Series
	}
	blocks := p.Blocks()
	if len(blocks) == 0 {
		blocks = []testplan.Block{{From: from, To: to}}
	}
	for i, b := range blocks {
		if b.From < 1 || b.To > len(lay.Groups) {
			continue
		}
		title := "Clamps on " + parts.Name(b.From, b.To)
		if len(blocks) > 1 {
			title = fmt.Sprintf("Block %d, %s: clamps on %s", i+1, b.Device, parts.Name(b.From, b.To))
		}
		marks := draw.FaceMarks{Negative: lay.Groups[b.From-1].Negative, Positive: lay.Groups[b.To-1].Positive}
		if len(marks.Negative) == 0 || len(marks.Positive) == 0 {
			title += ": a point that nobody reaches is needed"
		}
		out = append(out, clampFace{title, draw.Face(title, types.FaceOf(t), marks)})
	}
	return out
}
