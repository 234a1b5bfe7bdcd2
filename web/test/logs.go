package test

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/test/kind"
	"pandrel/core/test/logfile"
	"pandrel/core/test/testplan"
	"pandrel/core/test/trace"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/shop/desk"
	"pandrel/shop/test"
	"pandrel/web/frame"
)

// testView holds the two ways to bring a result in.
type testView struct {
	desk.Life
	Upload *frame.Form
	Hand   *frame.Form
	Series int
	Look   *logLook // a log that was read and is not kept yet
	Plan   *testplan.Plan
	NoPlan string // what is missing for a plan
	Cycler bool   // one is connected
	Run    *frame.Form
	RunsAs int64 // the test that runs with it, 0 for none

	StartHand *frame.Form
	PlanFrom  int // of the part that is planned, 0 for all of it
	PlanTo    int
	Clamps    []clampFace
}

// wholeOf reads a number of an address, 0 for none.
func wholeOf(c *echo.Context, name string) int {
	n, err := strconv.Atoi(frame.Query(c, name))
	if err != nil || n < 0 || n > 400 {
		return 0
	}
	return n
}

// logLook is a log as it was read, to be looked at before it is kept.
type logLook struct {
	FileName string
	Table    logfile.Table
	Read     bool // it could be read and judged
	Result   trace.Result
	Picture  string
	Columns  []logColumn
	Says     string
	Level    string
	Asks     bool // something must be said before it can be kept
}

// logColumn is one column of a log with what it is taken for.
type logColumn struct {
	No               int
	Name, Kind, Unit string
	Field            string
	Said             string // what a person said of it, "" for what was found
	Rows             []string
}

func (sv *Room) test(c *echo.Context) error { return sv.showTest(c, http.StatusOK, nil, nil, nil) }

// testForms are the forms of the page of a test, those that came back with something to mend.
type testForms struct {
	Upload, Hand, Run, ByHand *frame.Form
	Look                      *logLook
}

func (sv *Room) showTest(c *echo.Context, code int, upload, hand *frame.Form, look *logLook) error {
	return sv.showTestWith(c, code, testForms{Upload: upload, Hand: hand, Look: look})
}

func (sv *Room) showTestWith(c *echo.Context, code int, forms testForms) error {
	upload, hand, look, run := forms.Upload, forms.Hand, forms.Look, forms.Run
	l, err := sv.Shop.Desk.Life(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	v := testView{Life: l, Upload: upload, Hand: hand, Look: look, Run: run, Cycler: sv.Shop.CyclerAddress != ""}
	of, _, channel, err := sv.Shop.Tests.RunningOf(c.Request().Context(), l.Module.ID)
	if err != nil {
		return err
	}
	v.RunsAs = of.ID
	if v.StartHand = forms.ByHand; v.StartHand == nil {
		v.StartHand = frame.Blank("starthand", "by", frame.Who(c))
	}
	if run == nil {
		v.Run = frame.Blank("run", "by", frame.Who(c), "channel", strconv.Itoa(channel))
	}
	lay, mapped, err := sv.Shop.Record.LayoutFor(c.Request().Context(), l.Module, l.Type)
	if err != nil {
		return err
	}
	if mapped {
		v.Series = lay.Series
	}
	if upload == nil {
		v.Upload = frame.Blank("trace", "by", frame.Who(c))
	}
	if hand == nil {
		v.Hand = frame.Blank("hand", "by", frame.Who(c))
	}
	if !l.Module.Quarantined && look == nil {
		v.PlanFrom, v.PlanTo = wholeOf(c, "plan_from"), wholeOf(c, "plan_to")
		p, why, err := sv.Shop.Bench.PlanPart(c.Request().Context(), l.Module, l.Type, v.PlanFrom, v.PlanTo)
		if err != nil {
			return err
		}
		if v.NoPlan = why; why == "" {
			v.Plan = &p
			v.Clamps = clampFaces(l.Type, lay, v.Plan, v.PlanFrom, v.PlanTo)
		}
	}
	return sv.ShowAt(c, code, "test", "Test "+l.Module.Number, station.Test, v)
}

// saveLog reads a log, shows it as it was read, and keeps it once a person says so.
func (sv *Room) saveLog(c *echo.Context) error {
	f, err := frame.Read(c, "trace")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	in := test.LogInput{Number: number, FlipCurrent: f.Get("flip") != "", FloorVolts: f.Opt("floor", 0),
		Token: f.Once(), KeepHeld: f.Get("keep") == "held"}
	in.ReadAs, in.FromGroup, in.ToGroup = readAs(f), f.Whole("from_group", 0), f.Whole("to_group", 0)
	if in.FileName, in.Data, err = sv.logFile(c, f); err != nil {
		return err
	}
	in.Token = f.Once() // with the file in it
	if f.Bad() {
		return sv.showTest(c, http.StatusUnprocessableEntity, f, nil, sv.look(c, f, in))
	}
	if f.Get("keep") == "" {
		if f.Values["file_sha"], err = sv.keptFor(c, in); err != nil {
			return err
		}
		look := sv.look(c, f, in)
		code := http.StatusOK
		if f.Bad() {
			code = http.StatusUnprocessableEntity
		}
		return sv.showTest(c, code, f, nil, look)
	}
	_, _, err = sv.Shop.Tests.RecordLog(ctx, in)
	if err == nil || frame.Again(err) {
		return frame.Saved(c, f, frame.ModulePath(number)+"#tests")
	}
	if err := f.Take(err); err != nil {
		return err
	}
	if f.Values["file_sha"], err = sv.keptFor(c, in); err != nil {
		return err
	}
	return sv.showTest(c, http.StatusUnprocessableEntity, f, nil, sv.look(c, f, in))
}

// keptFor puts a log aside for its second look.
func (sv *Room) keptFor(c *echo.Context, in test.LogInput) ([]string, error) {
	sha, err := sv.Shop.PutAside(c.Request().Context(), in.Data, test.MaxLogBytes)
	return []string{sha}, err
}

// logFile returns the log of a form: the file that was sent, or the one that was sent before and looked at.
func (sv *Room) logFile(c *echo.Context, f *frame.Form) (name string, data []byte, err error) {
	head, err := c.FormFile("file")
	switch {
	case err == nil && head.Size > 0 || err == nil && f.Get("file_sha") == "":
		name = frame.Clip(filepath.Base(head.Filename), 100)
		f.Values.Set("file_name", name)
		src, err := head.Open()
		if err != nil {
			return name, nil, err
		}
		defer src.Close()
		if data, err = io.ReadAll(src); err == nil {
			f.Attach("file", data)
		}
		return name, data, err
	case err != nil && !errors.Is(err, http.ErrMissingFile) && !errors.Is(err, http.ErrNotMultipart):
		return "", nil, err
	case f.Get("file_sha") == "":
		f.Bads["file"] = "Choose a log file: CSV or XLSX with time, volts and amps."
		return "", nil, nil
	}
	data, err = sv.Shop.SetAside(c.Request().Context(), f.Get("file_sha"))
	if err := f.Take(err); err != nil {
		return "", nil, err
	}
	return frame.Clip(filepath.Base(f.Get("file_name")), 100), data, nil
}

// readAs is what a person says of a log's columns, dates and end.
func readAs(f *frame.Form) logfile.ReadAs {
	r := logfile.ReadAs{DateOrder: f.Get("date_order"), EndedByGroup: f.Whole("ended_group", 0),
		EndedAtVolts: f.Opt("ended_v", 0), DeadBandAmps: f.Opt("dead_band", 0), Checked: f.Get("checked") != ""}
	if !(r.DeadBandAmps >= 0) {
		f.Bads["dead_band"] = "expected amps above 0, or nothing"
	}
	for name := range f.Values {
		if no, ok := strings.CutPrefix(name, "unit"); ok && f.Get(name) != "" && f.Get("col"+no) == "" {
			f.Bads["col"+no] = "expected what the column holds, since a unit was typed for it"
		}
		no, ok := strings.CutPrefix(name, "col")
		n, err := strconv.Atoi(no)
		if !ok || err != nil || f.Get(name) == "" {
			continue
		}
		text := f.Get(name)
		if unit := strings.TrimSpace(f.Get("unit" + no)); unit != "" {
			text += ":" + unit
		}
		a, err := logfile.ParseAssign(text)
		if err != nil {
			f.Bads[name] = err.Error()
			continue
		}
		if r.Columns == nil {
			r.Columns = map[int]logfile.Assign{}
		}
		r.Columns[n] = a
	}
	return r
}

// look reads a log for a person to see: what its columns were taken for, the first lines, the picture, and what
// would be kept. What cannot be read at all still shows its first lines, so that columns can be named.
func (sv *Room) look(c *echo.Context, f *frame.Form, in test.LogInput) *logLook {
	if len(in.Data) == 0 {
		return nil
	}
	v := &logLook{FileName: in.FileName}
	tried, err := sv.Shop.Tests.TryLog(c.Request().Context(), in)
	r := tried.Result
	if err != nil {
		if left := f.Take(err); left != nil {
			f.Bads["file"] = "the log could not be read"
		}
		text, err := exchange.LogText(c.Request().Context(), in.Data)
		if err != nil {
			return nil
		}
		if v.Table, err = logfile.Peek(text); err != nil {
			return nil
		}
		v.columns(f)
		v.Says, v.Level = "It cannot be judged as it was read: say what its columns hold.", "stop"
		return v
	}
	v.Read, v.Result, v.Table = true, r, tried.Table
	v.Picture = draw.Trace("Log "+in.FileName, tried.Thin, tried.Series, frame.Limiting(r.LimitingGroup))
	v.columns(f)
	switch {
	case tried.Asks != nil:
		v.Says, v.Level, v.Asks = tried.Asks.Error(), "stop", true
		if in.FromGroup > 0 {
			f.Bads["from_group"] = "expected as many groups as the log has"
		}
	case r.Held != nil:
		v.Says, v.Level = "Held: "+r.Held.Text+" "+r.Held.Try, "stop"
	case r.Capacity == nil:
		v.Says, v.Level = "No discharge was found in it.", "caution"
	case r.Capacity.Complete:
		v.Says, v.Level = r.Capacity.Text()+", a complete discharge. Do the columns and the curve below look right?",
			"ready"
	case r.Capacity.Gapped():
		v.Says, v.Level = r.Capacity.Text()+", from full to the floor, with gaps. Do the columns and the curve below "+
			"look right?", "caution"
	default:
		v.Says, v.Level = fmt.Sprintf("%.1f Ah, part of a discharge: no capacity follows. Do the columns and the "+
			"curve below look right?", r.Capacity.Ah), "caution"
	}
	return v
}

func (v *logLook) columns(f *frame.Form) {
	for i, name := range v.Table.Names {
		k := logColumn{No: i + 1, Name: name, Field: fmt.Sprintf("col%d", i+1)}
		if i < len(v.Table.Kinds) {
			k.Kind, k.Unit = v.Table.Kinds[i], v.Table.Units[i]
		}
		k.Said = f.Get(k.Field)
		for _, row := range v.Table.Rows {
			cell := ""
			if i < len(row) {
				cell = row[i]
			}
			k.Rows = append(k.Rows, cell)
		}
		v.Columns = append(v.Columns, k)
	}
}

func (sv *Room) saveTyped(c *echo.Context) error {
	return frame.Post(c, "hand", func(f *frame.Form) (frame.Act, error) {
		number := c.Param("number")
		in := test.TypedInput{Number: number, FromGroup: f.Whole("from_group", 0), ToGroup: f.Whole("to_group",
			0), Checked: f.Get("checked") != "", Token: f.Once(),
			Result: kind.Result{CapacityAh: f.Num("capacity_ah"), EnergyWh: f.Opt("energy_wh", 0),
				ResistanceMOhm: f.Opt("resistance_mohm", 0), Amps: f.Opt("amps", 0), TempC: f.Maybe("temp_c"),
				EndVolts: f.Opt("end_volts", 0), LowestEndVolts: f.Opt("lowest_end_v", 0),
				FromFull: f.Get("from_full") != "", ChargeMoved: f.Get("moved") != "", Note: f.Get("note")}}
		return func() (string, error) {
			err := sv.Shop.Tests.RecordTyped(c.Request().Context(), in)
			return frame.ModulePath(number) + "#tests", err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showTest(c, code, nil, f, nil)
	})
}

// original sends a log back as it was uploaded.
func (sv *Room) original(c *echo.Context, id int64) error {
	t, file, err := sv.Shop.Tests.OriginalFile(c.Request().Context(), id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": t.FileName}))
	return c.Stream(http.StatusOK, "text/csv; charset=utf-8", file)
}
