package web

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/bench"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/trace"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/store"
)

// moduleView is a module's whole life.
type moduleView struct {
	desk.Life
	Checked   *measure.Checked
	Isolated  *measure.Isolated
	Looked    *record.Inspected
	Photos    []store.Picture // other than those of the last look
	Shot      *form
	OwnCurve  string
	DriftPic  string
	Judgement string
	Level     string
	Ladder    string
	Layout    bool
	Preview   *grade.Grade
	Pictures  map[int64]string
	Form      *form
	Next      string
	Holds     []finding.Finding // what keeps it from a place in a bank as things stand
	Back      []store.Withdrawal
	Withdraw  *form
	History   *form
}

func (sv *Server) module(c *echo.Context) error {
	return sv.showModule(c, http.StatusOK, c.Param("number"), nil)
}

func (sv *Server) showModule(c *echo.Context, code int, number string, f *form) error {
	ctx := c.Request().Context()
	l, err := sv.s.Desk.Life(ctx, number)
	if err != nil {
		return err
	}
	v := moduleView{Life: l, Layout: l.Type.LayoutID != nil, Pictures: map[int64]string{}, Form: f}
	if f == nil || f.name == "withdraw" || f.name == "history" {
		v.Form = blank("grade", "by", who(c))
	}
	v.Withdraw = blank("withdraw", "by", who(c))
	v.History = blank("history", "by", who(c), "history", l.Module.History, "note", l.Module.HistoryNote)
	if f != nil && f.name == "withdraw" {
		v.Withdraw = f
	}
	if f != nil && f.name == "history" {
		v.History = f
	}
	if v.Back, err = sv.s.Measure.Withdrawals(ctx, l.Module.ID); err != nil {
		return err
	}
	if !l.Module.Quarantined {
		if v.Holds, err = sv.s.Record.MayNow(ctx, l.Module, l.Type, wants(l.Module)); err != nil {
			return err
		}
	}
	if len(l.Surveys) > 0 {
		v.Ladder, err = sv.surveyLadder(c, l.Module, l.Type, l.Surveys[0].Result)
		if err != nil {
			return err
		}
	}
	if v.Checked, v.Isolated, err = sv.s.Measure.LastChecks(ctx, l.Module.ID); err != nil {
		return err
	}
	if err := sv.seen(c, &v); err != nil {
		return err
	}
	v.DriftPic = driftPicture(l)
	lay, _, err := sv.s.Record.LayoutFor(ctx, l.Module, l.Type)
	if err != nil {
		return err
	}
	series := max(1, lay.Series) // a log without group columns is drawn as the mean of its groups
	for _, t := range l.Traces {
		v.Pictures[t.ID] = draw.Trace("Log "+t.FileName, t.Thin, series, limiting(t.Result.LimitingGroup))
	}
	if l.Module.Station == station.Grade || l.Module.Station == station.Test && l.Result.CapacityAh > 0 {
		g, err := sv.s.Bench.PreviewGrade(ctx, l.Module, l.Type)
		if err != nil {
			return err
		}
		v.Preview = &g
	}
	v.Judgement, v.Level = judgement(l, v.Preview)
	return sv.showAt(c, code, "module", l.Module.Number, l.Module.Station, v)
}

// wants is what a module waits for next at its station.
func wants(m store.Module) passage.Action {
	switch m.Station {
	case station.Receive, station.Inspect, station.Map, station.Survey:
		return passage.Measure
	case station.Test:
		return passage.Test
	case station.Grade:
		return passage.Grade
	case station.Wire:
		return passage.Build
	case station.Keep:
		return passage.Service
	}
	return passage.Design
}

func (sv *Server) withdraw(c *echo.Context) error {
	return sv.moduleForm(c, "withdraw", func(number string, f *form) error {
		in := measure.WithdrawInput{Number: number, SurveyID: int64(f.whole("survey", 0)), Group: f.whole("group", 0), Reason: f.Get("reason"), By: f.Get("by"), Token: f.once()}
		if f.Bad() {
			return nil
		}
		return sv.s.Measure.WithdrawReading(c.Request().Context(), in)
	})
}

func (sv *Server) saveHistory(c *echo.Context) error {
	return sv.moduleForm(c, "history", func(number string, f *form) error {
		return sv.s.Receive.SaveHistory(c.Request().Context(), receive.HistoryInput{Number: number, History: f.Get("history"), Note: f.Get("note"), By: f.Get("by"), Token: f.once()})
	})
}

// moduleForm reads one of the module page's forms, keeps it, and shows the page again.
func (sv *Server) moduleForm(c *echo.Context, name string, keep func(number string, f *form) error) error {
	f, err := read(c, name)
	if err != nil {
		return err
	}
	number := c.Param("number")
	if err = keep(number, f); err == nil && !f.Bad() || again(err) {
		return saved(c, f, "/modules/"+number)
	}
	if err != nil {
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showModule(c, http.StatusUnprocessableEntity, number, f)
}

// seen fills what was seen of a module: its last look and its pictures.
func (sv *Server) seen(c *echo.Context, v *moduleView) (err error) {
	ctx := c.Request().Context()
	if v.Looked, err = sv.s.Record.LastLook(ctx, v.Module.ID); err != nil {
		return err
	}
	all, err := sv.s.Record.PicturesOf(ctx, v.Module.ID)
	if err != nil {
		return err
	}
	for _, p := range all {
		if v.Looked == nil || p.InspectionID == nil || *p.InspectionID != v.Looked.ID {
			v.Photos = append(v.Photos, p)
		}
	}
	own, err := record.OwnCurve(v.Type)
	if own != nil {
		v.OwnCurve = own.Source
	}
	v.Shot = blank("picture", "by", who(c))
	return err
}

func limiting(g *int) int {
	if g == nil {
		return 0
	}
	return *g
}

// judgement is the sentence a module's page opens with.
func judgement(l desk.Life, preview *grade.Grade) (text, level string) {
	m := l.Module
	switch {
	case m.Quarantined:
		return fmt.Sprintf("In quarantine: %s. It cannot be tested, matched or wired.", strings.TrimSuffix(m.QuarantineWhy, ".")), "refuse"
	case m.Hold != "" && l.Bank != nil:
		return fmt.Sprintf("%s stands in bank %s, and %s. See the bank.", m.Number, l.Bank.Name, strings.TrimSuffix(m.Hold, ".")), "stop"
	case len(l.Surveys) > 0 && finding.Blocks(l.Surveys[0].Result.Findings):
		f := l.Surveys[0].Result.Findings[0]
		return f.Text + " " + f.Do, "stop"
	case m.Hold != "":
		return fmt.Sprintf("%s %s. It goes into no bank before that is settled.", m.Number, strings.TrimSuffix(m.Hold, ".")), "stop"
	case l.Bank != nil && len(l.Surveys) > 0 && l.Surveys[0].Result.Verdict != survey.OK:
		f := l.Surveys[0].Result.Findings[0]
		return fmt.Sprintf("It stands in bank %s, and its last survey says %s. %s %s", l.Bank.Name, l.Surveys[0].Result.Verdict, f.Text, f.Do), string(l.Surveys[0].Result.Verdict)
	case l.Bank != nil:
		return fmt.Sprintf("Stands in bank %s.", l.Bank.Name), "ok"
	case l.Grade != nil && (m.Station == station.Design || m.Station == station.Out):
		return fmt.Sprintf("%s: %s. %s", m.Class.Name(), l.Grade.FitFor, l.Grade.Reasons[0].Text), string(l.Grade.Fitness)
	case m.Station == station.Grade && preview != nil && preview.Class != grade.Open:
		return fmt.Sprintf("Tested: it would be class %s, for %s.", preview.Class, preview.FitFor), "ready"
	case len(l.Surveys) > 0 && l.Surveys[0].Result.Verdict != survey.OK:
		f := l.Surveys[0].Result.Findings[0]
		return f.Text + " " + f.Do, string(l.Surveys[0].Result.Verdict)
	case m.Station == station.Test && l.Result.CapacityAh > 0:
		if h := l.Result.HighAh; h > l.Result.CapacityAh {
			return fmt.Sprintf("%.1f to %.1f Ah with what the gaps may hide: no complete test yet.", l.Result.CapacityAh, h), "caution"
		}
		return fmt.Sprintf("At least %.1f Ah, but no complete test yet.", l.Result.CapacityAh), "caution"
	}
	next := map[station.Station]string{station.Inspect: "Look at it before measuring.", station.Map: "Its type has no layout yet: map it.", station.Survey: "Read every group at rest.", station.Test: "Its groups agree. Test it for capacity.", station.Grade: "Grade it."}
	return next[m.Station], "ready"
}

// goOn goes to the next module waiting at the station when the person asked for it, else to the
// module's page.
func (sv *Server) goOn(c *echo.Context, f *form, at station.Station, number string) error {
	if f.Get("then") == "next" {
		next, err := sv.s.Desk.NextModule(c.Request().Context(), at, number)
		if err != nil {
			return err
		}
		if next != "" {
			return saved(c, f, "/modules/"+next+"/"+string(at))
		}
	}
	return saved(c, f, "/modules/"+number)
}

// mapView is the map of one module: readings beside the ladder.
type mapView struct {
	Module store.Module
	Type   store.ModuleType
	Form   *form
	Map    *layout.Map
	Ladder string
	SetID  int64 // kept readings, 0 while they are only tried
	Set    store.ProbeSet
	Accept *form
	Kept   bool
	Next   *layout.Next // what to touch next; nil once nothing more is asked for
	Skip   string
	Face   faceView
	Meter  bool // a bench meter is set up
}

func (sv *Server) mapping(c *echo.Context) error {
	return sv.showMap(c, http.StatusOK, blank("map", "by", who(c)))
}

func (sv *Server) showMap(c *echo.Context, code int, f *form) error {
	v, err := sv.mapPage(c, f)
	if err != nil {
		return err
	}
	return sv.showAt(c, code, "map", "Map "+v.Module.Number, station.Map, v)
}

// mapPage tries the readings typed so far. A line that cannot be read becomes the form's error.
func (sv *Server) mapPage(c *echo.Context, f *form) (v mapView, err error) {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return mapView{}, err
	}
	v = mapView{Module: m, Type: t, Form: f, Skip: f.Get("skip")}
	guide := func(rs []layout.Reading) {
		if next, done := sv.s.Measure.GuideMap(t, rs, strings.Fields(v.Skip)); !done {
			v.Next = &next
		}
	}
	v.Meter = sv.s.MeterAddress != ""
	defer func() {
		marks := draw.FaceMarks{Case: true}
		if v.Next != nil {
			marks.Red, marks.Black = v.Next.Red, v.Next.Black
		}
		v.Face = sv.faceBox(c, t, "/modules/"+m.Number+"/map", marks)
	}()
	if strings.TrimSpace(f.Get("readings")) == "" {
		guide(nil)
		return v, nil
	}
	rs, _, err := exchange.ReadProbes([]byte(spaced(f.Get("readings"))))
	if err == nil {
		var res layout.Map
		if res, err = sv.s.Measure.TryMap(ctx, m.Number, rs); err == nil {
			v.Map = &res
			v.Ladder = draw.MapLadder("Map of "+m.Number, res).SVG()
			guide(rs)
		}
	}
	if err != nil {
		f.errs["readings"] = err.Error()
	}
	return v, nil
}

// readMeter reads the bench meter for two points; the person still looks and takes the reading over.
func (sv *Server) readMeter(c *echo.Context) error {
	if _, err := c.FormValues(); err != nil {
		return err
	}
	volts, err := sv.s.Measure.ReadMeter(c.Request().Context(), c.Param("number"), c.FormValue("red"), c.FormValue("black"))
	if err != nil {
		var inv *kernel.Invalid
		var blk *kernel.Blocked
		if errors.As(err, &inv) || errors.As(err, &blk) {
			return c.JSON(http.StatusUnprocessableEntity, map[string]string{"error": err.Error()})
		}
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"volts": fmt.Sprintf("%.3f", volts)})
}

// spaced lets readings be typed with blanks between: P1 P0 3,291.
func spaced(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		if strings.ContainsAny(l, ";\t") || strings.Count(l, ",") >= 2 {
			continue
		}
		if fs := strings.Fields(l); len(fs) == 3 || len(fs) == 4 {
			lines[i] = strings.Join(fs, ";")
		}
	}
	return strings.Join(lines, "\n")
}

// tryMap answers while readings are typed.
func (sv *Server) tryMap(c *echo.Context) error {
	v, err := c.FormValues()
	if err != nil {
		return err
	}
	page, err := sv.mapPage(c, &form{name: "map", values: v, errs: map[string]string{}})
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "map#live", page)
}

func (sv *Server) saveProbes(c *echo.Context) error {
	f, err := read(c, "map")
	if err != nil {
		return err
	}
	rs, _, err := exchange.ReadProbes([]byte(spaced(f.Get("readings"))))
	if err != nil {
		f.errs["readings"] = err.Error()
		return sv.showMap(c, http.StatusUnprocessableEntity, f)
	}
	id, _, err := sv.s.Measure.RecordProbes(c.Request().Context(), measure.ProbesInput{Number: c.Param("number"), Readings: rs, Instrument: f.Get("instrument"), Source: "typed", By: f.Get("by"), Token: f.once()})
	if again(err) {
		return c.Redirect(http.StatusSeeOther, "/modules/"+c.Param("number"))
	}
	if err != nil {
		if err := f.take(err); err != nil {
			return err
		}
		return sv.showMap(c, http.StatusUnprocessableEntity, f)
	}
	return saved(c, f, fmt.Sprintf("/readings/%d", id))
}

func (sv *Server) probeSet(c *echo.Context) error {
	return sv.showSet(c, http.StatusOK, blank("accept", "by", who(c)))
}

// showSet shows kept readings with their map, and the button that makes it the layout.
func (sv *Server) showSet(c *echo.Context, code int, accept *form) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	set, rs, err := sv.s.Measure.Probes(ctx, id)
	if err != nil {
		return err
	}
	m, t, err := sv.s.Measure.ModuleOfSet(ctx, set)
	if err != nil {
		return err
	}
	var b strings.Builder
	for _, r := range rs {
		fmt.Fprintf(&b, "%s %s %.3f\n", r.Red, r.Black, r.Volts)
	}
	v := mapView{Module: m, Type: t, Form: blank("map", "readings", b.String()), SetID: id, Set: set, Accept: accept, Kept: true}
	res, err := sv.s.Measure.TryMap(ctx, m.Number, rs)
	if err != nil {
		return err
	}
	v.Map, v.Ladder = &res, draw.MapLadder("Map of "+m.Number, res).SVG()
	return sv.showAt(c, code, "map", "Map of "+m.Number, station.Map, v)
}

func (sv *Server) acceptLayout(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "accept")
	if err != nil {
		return err
	}
	t, err := sv.s.Measure.AcceptLayout(c.Request().Context(), id, f.Get("own") != "", f.Get("by"), f.once())
	if again(err) {
		return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/readings/%d", id))
	}
	if err != nil {
		if err := f.take(err); err != nil {
			return err
		}
		return sv.showSet(c, http.StatusConflict, f)
	}
	return saved(c, f, fmt.Sprintf("/types/%d", t.ID))
}

// testView holds the two ways to bring a result in.
type testView struct {
	desk.Life
	Upload *form
	Hand   *form
	Series int
	Look   *logLook // a log that was read and is not kept yet
}

// logLook is a log as it was read, to be looked at before it is kept.
type logLook struct {
	FileName string
	Table    trace.Table
	Read     bool // it could be read and judged
	Result   trace.Result
	Picture  string
	Columns  []logColumn
	Says     string
	Level    string
}

// logColumn is one column of a log with what it is taken for.
type logColumn struct {
	No               int
	Name, Kind, Unit string
	Field            string
	Said             string // what a person said of it, "" for what was found
	Rows             []string
}

func (sv *Server) test(c *echo.Context) error { return sv.showTest(c, http.StatusOK, nil, nil, nil) }

func (sv *Server) showTest(c *echo.Context, code int, upload, hand *form, look *logLook) error {
	l, err := sv.s.Desk.Life(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	v := testView{Life: l, Upload: upload, Hand: hand, Look: look}
	if lay, ok, err := sv.s.Record.LayoutFor(c.Request().Context(), l.Module, l.Type); err != nil {
		return err
	} else if ok {
		v.Series = lay.Series
	}
	if upload == nil {
		v.Upload = blank("trace", "by", who(c))
	}
	if hand == nil {
		v.Hand = blank("hand", "by", who(c))
	}
	return sv.showAt(c, code, "test", "Test "+l.Module.Number, station.Test, v)
}

// saveTrace reads a log, shows it as it was read, and keeps it once a person says so.
func (sv *Server) saveTrace(c *echo.Context) error {
	f, err := read(c, "trace")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	in := bench.TraceInput{Number: number, FlipCurrent: f.Get("flip") != "", FloorVolts: f.opt("floor", 0), By: f.Get("by"), Token: f.once(), KeepHeld: f.Get("keep") == "held"}
	in.ReadAs = readAs(f)
	if in.FileName, in.Data, err = sv.logFile(c, f); err != nil {
		return err
	}
	in.Token = f.once() // with the file in it
	if f.Bad() {
		return sv.showTest(c, http.StatusUnprocessableEntity, f, nil, sv.look(c, f, in))
	}
	if f.Get("keep") == "" {
		if f.values["file_sha"], err = sv.keptFor(c, in); err != nil {
			return err
		}
		look := sv.look(c, f, in)
		code := http.StatusOK
		if f.Bad() {
			code = http.StatusUnprocessableEntity
		}
		return sv.showTest(c, code, f, nil, look)
	}
	_, _, err = sv.s.Bench.RecordTrace(ctx, in)
	if err == nil || again(err) {
		return saved(c, f, "/modules/"+number)
	}
	if err := f.take(err); err != nil {
		return err
	}
	if f.values["file_sha"], err = sv.keptFor(c, in); err != nil {
		return err
	}
	return sv.showTest(c, http.StatusUnprocessableEntity, f, nil, sv.look(c, f, in))
}

// keptFor puts a log aside for its second look.
func (sv *Server) keptFor(c *echo.Context, in bench.TraceInput) ([]string, error) {
	sha, err := sv.s.Record.PutAside(c.Request().Context(), in.Data)
	return []string{sha}, err
}

// logFile returns the log of a form: the file that was sent, or the one that was sent before and looked at.
func (sv *Server) logFile(c *echo.Context, f *form) (name string, data []byte, err error) {
	head, err := c.FormFile("file")
	switch {
	case err == nil && head.Size > 0 || err == nil && f.Get("file_sha") == "":
		name = clip(filepath.Base(head.Filename), 100)
		f.values.Set("file_name", name)
		src, err := head.Open()
		if err != nil {
			return name, nil, err
		}
		defer src.Close()
		if data, err = io.ReadAll(src); err == nil {
			f.attach("file", data)
		}
		return name, data, err
	case err != nil && !errors.Is(err, http.ErrMissingFile) && !errors.Is(err, http.ErrNotMultipart):
		return "", nil, err
	case f.Get("file_sha") == "":
		f.errs["file"] = "Choose a log file: CSV with time, volts and amps."
		return "", nil, nil
	}
	data, err = sv.s.Record.SetAside(c.Request().Context(), f.Get("file_sha"))
	if err := f.take(err); err != nil {
		return "", nil, err
	}
	return clip(filepath.Base(f.Get("file_name")), 100), data, nil
}

// readAs is what a person says of a log's columns, dates and end.
func readAs(f *form) trace.ReadAs {
	r := trace.ReadAs{DateOrder: f.Get("date_order"), EndedByGroup: f.whole("ended_group", 0), EndedAtVolts: f.opt("ended_v", 0)}
	for name := range f.values {
		no, ok := strings.CutPrefix(name, "col")
		n, err := strconv.Atoi(no)
		if !ok || err != nil || f.Get(name) == "" {
			continue
		}
		text := f.Get(name)
		if unit := strings.TrimSpace(f.Get("unit" + no)); unit != "" {
			text += ":" + unit
		}
		a, err := trace.ParseAssign(text)
		if err != nil {
			f.errs[name] = err.Error()
			continue
		}
		if r.Columns == nil {
			r.Columns = map[int]trace.Assign{}
		}
		r.Columns[n] = a
	}
	return r
}

// look reads a log for a person to see: what its columns were taken for, the first lines, the picture, and what
// would be kept. What cannot be read at all still shows its first lines, so that columns can be named.
func (sv *Server) look(c *echo.Context, f *form, in bench.TraceInput) *logLook {
	if len(in.Data) == 0 {
		return nil
	}
	v := &logLook{FileName: in.FileName}
	r, thin, table, series, err := sv.tryLog(c, in)
	if err != nil {
		if left := f.take(err); left != nil {
			f.errs["file"] = "the log could not be read"
		}
		if v.Table, err = trace.Peek(in.Data); err != nil {
			return nil
		}
		v.columns(f)
		v.Says, v.Level = "It cannot be judged as it was read: say what its columns hold.", "stop"
		return v
	}
	v.Read, v.Result, v.Table = true, r, table
	v.Picture = draw.Trace("Log "+in.FileName, thin, series, limiting(r.LimitingGroup))
	v.columns(f)
	switch {
	case r.Held != nil:
		v.Says, v.Level = "Held: "+r.Held.Text+" "+r.Held.Try, "stop"
	case r.Capacity == nil:
		v.Says, v.Level = "No discharge was found in it.", "caution"
	case r.Capacity.Complete:
		v.Says, v.Level = fmt.Sprintf("%.1f ± %.1f Ah, a complete discharge. Do the columns and the curve below look right?", r.Capacity.Ah, r.Capacity.UncertaintyAh), "ready"
	default:
		v.Says, v.Level = fmt.Sprintf("%.1f Ah, part of a discharge: no capacity follows. Do the columns and the curve below look right?", r.Capacity.Ah), "caution"
	}
	return v
}

func (sv *Server) tryLog(c *echo.Context, in bench.TraceInput) (r trace.Result, thin trace.Thin, table trace.Table, series int, err error) {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return r, thin, table, 0, err
	}
	lay, _, err := sv.s.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return r, thin, table, 0, err
	}
	r, thin, table, err = sv.s.Bench.TryTrace(ctx, in)
	return r, thin, table, max(1, lay.Series), err
}

func (v *logLook) columns(f *form) {
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

func (sv *Server) saveHand(c *echo.Context) error {
	f, err := read(c, "hand")
	if err != nil {
		return err
	}
	number := c.Param("number")
	in := bench.HandInput{Number: number, CapacityAh: f.num("capacity_ah"), EnergyWh: f.opt("energy_wh", 0), ResistanceMOhm: f.opt("resistance_mohm", 0), Amps: f.opt("amps", 0), TempC: f.maybe("temp_c"), EndVolts: f.opt("end_volts", 0),
		LowestEndVolts: f.opt("lowest_end_v", 0), FromFull: f.Get("from_full") != "", ChargeMoved: f.Get("moved") != "", Note: f.Get("note"), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		err := sv.s.Bench.RecordHandResult(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, "/modules/"+number)
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showTest(c, http.StatusUnprocessableEntity, nil, f, nil)
}

// original sends a log back as it was uploaded.
func (sv *Server) original(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	t, data, err := sv.s.Bench.OriginalFile(c.Request().Context(), id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": t.FileName}))
	return c.Blob(http.StatusOK, "text/csv; charset=utf-8", data)
}

func (sv *Server) saveGrade(c *echo.Context) error {
	f, err := read(c, "grade")
	if err != nil {
		return err
	}
	number := c.Param("number")
	_, err = sv.s.Bench.GradeModule(c.Request().Context(), number, f.Get("by"), f.once())
	if err == nil || again(err) {
		return saved(c, f, "/modules/"+number)
	}
	if err := f.take(err); err != nil {
		return err
	}
	return sv.showModule(c, http.StatusUnprocessableEntity, number, f)
}

// surveyLadder draws a survey on the layout of its module.
func (sv *Server) surveyLadder(c *echo.Context, m store.Module, t store.ModuleType, r survey.Result) (string, error) {
	lay, _, err := sv.s.Record.LayoutFor(c.Request().Context(), m, t)
	if err != nil {
		return "", err
	}
	return draw.SurveyLadder(r, lay).SVG(), nil
}
