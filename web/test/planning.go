package test

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/bench/kit"
	"pandrel/core/module/layout"
	"pandrel/core/test/parts"
	"pandrel/core/test/testplan"
	"pandrel/draw"
	"pandrel/shop/test"
	"pandrel/store"
	"pandrel/web/frame"
)

// benchView is the bench with all that wait for a test.
type benchView struct {
	test.Scheduled
	Kit     kit.Kit
	Own     bool // somebody wrote it down
	Picture string
	Says    string
	Done    time.Time // when all of it is done, between Says and Then
	Then    string
	Level   string
	Rows    []slotRow
	Form    *frame.Form
	PinForm *frame.Form
	Devices []deviceRow // in the form, the last one empty
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
	v := benchView{}
	var err error
	if v.Kit, v.Own, err = sv.Shop.Bench.Kit(ctx); err != nil {
		return err
	}
	if v.Scheduled, err = sv.Shop.Tests.Schedule(ctx); err != nil {
		return err
	}
	now := sv.Shop.Here(sv.Shop.Now())
	v.Picture = draw.Timeline("Schedule of the bench", v.Channels, v.Plan, float64(now.Hour())+float64(now.Minute())/60)
	at := func(h float64) time.Time { return now.Add(time.Duration(h * float64(time.Hour))) }
	for _, s := range v.Plan.Slots {
		v.Rows = append(v.Rows, slotRow{s.Job, v.Channels[s.Channel], at(s.Begin), at(s.End), s.End - s.Begin,
			v.Pins[s.Job] != "", s.Runs})
	}
	v.Says, v.Then, v.Level = benchSentence(v)
	if v.Then != "" {
		v.Done = at(v.Plan.Finish)
	}
	k := v.Kit
	v.Form = frame.Blank("kit", "by", frame.Who(c), "resistors", kit.ResistorText(k.Resistors), "clamp_a",
		frame.Known(k.ClampAmps), "wire_a", frame.Known(k.WireAmps), "store_kwh", frame.Known(k.Store.KWh), "store_pct",
		frame.Known(k.Store.From*100), "work_from", fmt.Sprint(k.WorkFrom), "work_to", fmt.Sprint(k.WorkTo),
		"module", frame.Query(c, "module"))
	deviceFields(v.Form, k.Devices)
	v.PinForm, v.Devices = frame.Blank("pin", "by", frame.Who(c)), deviceRows(v.Form)
	switch {
	case f != nil && f.Kind == "kit":
		v.Form = f
		v.Devices = deviceRows(f)
	case f != nil && f.Kind == "pin":
		v.PinForm = f
	}
	return sv.ShowAt(c, code, "bench", "The bench", station.Test, v)
}

// benchSentence is what the page of the bench opens with; then is what follows the time at which all is done, "" where
// nothing is planned.
func benchSentence(v benchView) (text, then, level string) {
	p := v.Plan
	switch {
	case len(v.Channels) == 0:
		return "Nothing on this bench charges: write a charger down.", "", "caution"
	case len(v.Rows) == 0 && len(v.Left) > 0:
		return fmt.Sprintf("%d wait for a test, and none can be planned: the reasons stand below.", len(v.Left)),
			"", "caution"
	case len(v.Rows) == 0:
		return "No module waits for a test.", "", "ok"
	}
	text = fmt.Sprintf("%s on %s, all done", numeral.Count(len(v.Rows), "test"), numeral.Count(len(v.Channels),
		"channel"))
	then = fmt.Sprintf("%.0f kWh from the wall", p.WallKWh)
	if v.Kit.Store.KWh > 0 {
		then += fmt.Sprintf(", %.0f kWh with the store", p.WallStoreKWh)
	}
	then += "."
	if p.OneMoreSaves > 1 {
		then += fmt.Sprintf(" One more channel would save %.0f h.", p.OneMoreSaves)
	}
	return text, then, "ready"
}

// deviceName is the name of a field of one device's row.
func deviceName(row int, key string) string { return fmt.Sprintf("d%d_%s", row, key) }

// deviceFields fills the rows of a form with devices.
func deviceFields(f *frame.Form, list []kit.Device) {
	for i, d := range list {
		set := func(key, v string) { f.Values.Set(deviceName(i, key), v) }
		set("name", d.Name)
		set("channels", fmt.Sprint(d.Channels))
		set("series", fmt.Sprint(d.SeriesMost))
		set("charge_a", frame.Known(d.ChargeAmps))
		set("load_a", frame.Known(d.LoadAmps))
		set("charge_w", frame.Known(d.Watts))
		set("load_w", frame.Known(d.LoadWatts))
		set("pct", frame.Known(d.AccuracyPct))
		for _, x := range []struct {
			key string
			on  bool
		}{{"isolated", d.Isolated}, {"ends", d.OwnEndPoint}, {"groups", d.GroupVolts}, {"regenerative",
			d.Regenerative}} {
			if x.on {
				set(x.key, "yes")
			}
		}
	}
}

// mostDevices bounds the rows of devices of a bench.
const mostDevices = 40

// deviceRows lists the rows that a form has, and one more to write another device into.
func deviceRows(f *frame.Form) (rows []deviceRow) {
	for i := range mostDevices {
		_, ok := f.Values[deviceName(i, "name")]
		rows = append(rows, deviceRow{deviceName(i, ""), deviceTitle(f, i)})
		if !ok || f.Get(deviceName(i, "name")) == "" && i > 0 {
			break
		}
	}
	return rows
}

// deviceRow is a device in the form: what the names of its fields begin with, and what it is in a line.
type deviceRow struct{ Names, Title string }

// deviceTitle says in a line what a device is.
func deviceTitle(f *frame.Form, i int) string {
	get := func(key string) string { return strings.TrimSpace(f.Get(deviceName(i, key))) }
	if get("name") == "" {
		return "Another device"
	}
	text := get("name")
	for _, x := range []struct{ key, format string }{{"channels", ": %s"}, {"series", " × %s groups in series"},
		{"charge_a", ", charges with %s A"}, {"load_a", ", discharges with %s A"}} {
		if v := get(x.key); v != "" {
			text += fmt.Sprintf(x.format, v)
		}
	}
	return text
}

// readDevices reads the rows of devices. A row without a name and without a number is none.
func readDevices(f *frame.Form) (out []kit.Device) {
	for i := range mostDevices {
		at := func(key string) string { return deviceName(i, key) }
		if _, ok := f.Values[at("name")]; !ok {
			break
		}
		filled := false
		for _, key := range []string{"name", "channels", "series", "charge_a", "load_a", "charge_w", "load_w", "pct"} {
			filled = filled || strings.TrimSpace(f.Get(at(key))) != ""
		}
		if !filled {
			continue
		}
		d := kit.Device{Name: strings.TrimSpace(f.Get(at("name"))), Channels: f.Whole(at("channels"), 1),
			SeriesMost: f.Whole(at("series"), 0), ChargeAmps: f.Opt(at("charge_a"), 0),
			LoadAmps: f.Opt(at("load_a"), 0), Watts: f.Opt(at("charge_w"), 0), LoadWatts: f.Opt(at("load_w"), 0),
			AccuracyPct: f.Opt(at("pct"), 0), Isolated: f.Get(at("isolated")) != "",
			OwnEndPoint: f.Get(at("ends")) != "", GroupVolts: f.Get(at("groups")) != "",
			Regenerative: f.Get(at("regenerative")) != ""}
		if d.Name == "" {
			f.Bads[at("name")] = "expected a name for the device"
		}
		if !(d.AccuracyPct >= 0 && d.AccuracyPct <= 20) {
			f.Bads[at("pct")] = "expected how near it counts, 0 to 20 %"
		}
		out = append(out, d)
	}
	return out
}

// saveKit writes the bench down.
func (sv *Room) saveKit(c *echo.Context) error {
	return frame.Post(c, "kit", func(f *frame.Form) (frame.Act, error) {
		k := kit.Kit{ClampAmps: f.Opt("clamp_a", 0), WireAmps: f.Opt("wire_a", 0), WorkFrom: f.Opt("work_from", 0),
			WorkTo: f.Opt("work_to", 24), Store: kit.Store{KWh: f.Opt("store_kwh", 0), From: f.Opt("store_pct",
				50) / 100, Efficiency: 0.9}}
		var err error
		if k.Resistors, err = kit.ParseResistors(strings.ReplaceAll(f.Get("resistors"), "\r\n", "\n")); err != nil {
			f.Bads["resistors"] = err.Error()
		}
		k.Devices = readDevices(f)
		return func() (string, error) {
			ctx := c.Request().Context()
			to := "/bench"
			if m, err := sv.Shop.Module(ctx, f.Get("module")); err == nil { // back to the test that it was missing in
				to = frame.ModulePath(m.Number, "test")
			}
			return to, sv.Shop.Bench.SaveKit(ctx, k, f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showBench(c, code, f) })
}

// pin holds a module to a channel, or lets it go.
func (sv *Room) pin(c *echo.Context) error {
	return frame.Post(c, "pin", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return "/bench", sv.Shop.Bench.Pin(c.Request().Context(), f.Get("number"), f.Get("channel"), f.Once())
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
		out = append(out, clampFace{title, draw.Face(title, t.Lies(), marks)})
	}
	return out
}
