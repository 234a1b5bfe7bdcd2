package receive

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// What can be imported, and what its columns may be.
var importTargets = map[string][]exchange.Target{
	"modules": {
		{Key: "number", Text: "Label number", Words: []string{"number", "module", "label", "no", "no.", "id"},
			Required: true},
		{Key: "type", Text: "Module type", Words: []string{"type", "model", "kind"}},
		{Key: "plate_ah", Text: "Plate capacity, Ah", Unit: "Ah", Words: []string{"plate_ah", "plate", "rated",
			"rated_ah", "nominal_ah", "rated capacity", "nominal capacity", "plate capacity"},
			Asked: []string{"nominal", "capacity", "ah", "cap", "kapazität"}},
		{Key: "capacity_ah", Text: "Measured capacity, Ah: kept as somebody's word, not as a test", Unit: "Ah",
			Words: []string{"capacity_ah", "measured_ah", "tested_ah", "measured capacity", "tested capacity"},
			Asked: []string{"capacity", "ah", "cap", "kapazität"}},
		{Key: "resistance_mohm", Text: "Measured resistance, mΩ", Unit: "mΩ", Words: []string{"resistance_mohm",
			"resistance", "mohm", "ir"}},
		{Key: "history", Text: "History: unknown, clean, flood, crash or recall", Words: []string{"history", "origin"}},
		{Key: "note", Text: "Other plate values", Words: []string{"note", "remark", "comment"}},
	},
	"results": {
		{Key: "number", Text: "Label number", Words: []string{"number", "module", "label", "no", "no.", "id", "cell"},
			Required: true},
		{Key: "capacity_ah", Text: "Capacity, Ah", Unit: "Ah", Words: []string{"capacity_ah", "capacity", "ah",
			"measured_ah"}, Required: true},
		{Key: "energy_wh", Text: "Energy, Wh", Unit: "Wh", Words: []string{"energy_wh", "energy", "wh"}},
		{Key: "resistance_mohm", Text: "Resistance, mΩ", Unit: "mΩ", Words: []string{"resistance_mohm", "resistance",
			"mohm", "mω", "ir", "ri"}},
		{Key: "amps", Text: "Current, A", Unit: "A", Words: []string{"amps", "current", "a", "load"}},
		{Key: "temp_c", Text: "Temperature, °C", Unit: "°C", Words: []string{"temp_c", "temp", "temperature", "°c"}},
		{Key: "end_v", Text: "Volts in all at the end", Unit: "V", Words: []string{"end_v", "end volts",
			"end voltage", "cutoff"}},
		{Key: "lowest_v", Text: "Lowest group's volts at the end", Unit: "V", Words: []string{"lowest_v",
			"lowest_end_v", "lowest", "lowest group"}},
		{Key: "from_full", Text: "Began full: yes or no", Words: []string{"from_full", "full", "began full"}},
		{Key: "from_group", Text: "First group, where a part was tested", Words: []string{"from_group", "from"}},
		{Key: "to_group", Text: "Last group of the part", Words: []string{"to_group", "to"}},
		{Key: "note", Text: "How it was measured", Words: []string{"note", "remark", "comment", "how"}},
	},
	"surveys": {
		{Key: "number", Text: "Label number", Words: []string{"number", "module", "label", "no", "no.", "id"},
			Required: true},
		{Key: "group", Text: "Group, where each line is one group", Words: []string{"group", "cell group"}},
		{Key: "volts", Text: "Volts of that group", Words: []string{"volts", "voltage", "v"}},
		{Key: "reason", Text: "Why groups were read together", Words: []string{"reason", "why"}},
		{Key: "taken_at", Text: "When it was taken", Words: []string{"taken_at", "taken", "time", "timestamp", "date"}},
		{Key: "rest_min", Text: "Minutes at rest", Words: []string{"rest_min", "rest"}},
		{Key: "accuracy_v", Text: "Accuracy, V", Words: []string{"accuracy_v", "accuracy"}},
	},
}

// groupColumn recognises the columns of a table with a column for each group.
var groupColumn = regexp.MustCompile(
	`(?i)^(?:g|group|cell|u|v)?[ _#-]*0*(\d{1,3})(?:[ _]*(?:v|volts?)| ?[\[(]m?v[\])])?$`)

// importView is a table before it is saved: its columns matched, every row with what is wrong.
type importView struct {
	Kind     string
	Lot      *store.Lot
	Types    []store.ModuleType
	Form     *frame.Form
	Grid     *exchange.Grid
	Targets  []targetView
	Rows     []importRow
	Bad      int
	Groups   int
	Doubtful []string // columns that may be more than one thing
	Unknown  []string // columns that are not used, named so that nothing is dropped in silence
}

type targetView struct {
	exchange.Target
	Column int
}

type importRow struct {
	Where   string
	Fields  []string
	Error   string
	Verdict string
}

func (sv *Room) importPage(c *echo.Context) error {
	return sv.showImport(c, http.StatusOK, frame.Blank("import", "by", frame.Who(c), "kind", frame.Query(c, "kind"),
		"lot", frame.Query(c, "lot")), false)
}

// showImport reads what was sent, matches columns and tries the import. With save it keeps it when no row is wrong.
func (sv *Room) showImport(c *echo.Context, code int, f *frame.Form, save bool) error {
	ctx := c.Request().Context()
	v := importView{Kind: f.Get("kind"), Form: f}
	if _, ok := importTargets[v.Kind]; !ok {
		return &kernel.NotFound{What: "import of " + frame.Clip(v.Kind, 20)}
	}
	if v.Kind == "modules" {
		lot, err := sv.Shop.Record.Lot(ctx, int64(f.Whole("lot", 0)))
		if err != nil {
			return err
		}
		v.Lot = &lot
		if v.Types, err = sv.Shop.Desk.Types(ctx); err != nil {
			return err
		}
	}
	at := map[string]station.Station{"modules": station.Receive, "surveys": station.Survey,
		"results": station.Test}[v.Kind]
	if f.Get("data") == "" {
		return sv.ShowAt(c, code, "import", "Import", at, v)
	}
	g, err := exchange.ReadGrid(c.Request().Context(), []byte(f.Get("data")))
	if err != nil {
		f.Bads["data"] = err.Error()
		return sv.ShowAt(c, http.StatusUnprocessableEntity, "import", "Import", at, v)
	}
	v.Grid = &g
	columns := g.Match(importTargets[v.Kind])
	for _, t := range importTargets[v.Kind] {
		if s := f.Get("col_" + t.Key); s != "" {
			if k, err := strconv.Atoi(s); err == nil && k >= -1 && k < len(g.Header) {
				columns[t.Key] = k
			}
		}
		v.Targets = append(v.Targets, targetView{t, columns[t.Key]})
	}
	v.Unknown = unknown(v.Kind, g, columns)
	v.Doubtful = g.Doubtful(importTargets[v.Kind], columns)
	v.Unknown = slices.DeleteFunc(v.Unknown, func(quoted string) bool {
		return slices.ContainsFunc(v.Doubtful, func(d string) bool { return strings.HasPrefix(d, quoted+" ") })
	})
	done, err := sv.tryImport(c, &v, g, columns, save)
	if err != nil && !frame.Again(err) {
		if err := f.Take(err); err != nil {
			return err
		}
	}
	if done || frame.Again(err) {
		if v.Lot != nil {
			return frame.Saved(c, f, fmt.Sprintf("/lots/%d", v.Lot.ID))
		}
		return frame.Saved(c, f, map[string]string{"results": "/station/grade", "surveys": "/station/survey"}[v.Kind])
	}
	return sv.ShowAt(c, code, "import", "Import", at, v)
}

// plated writes what a row says of a module's capacity, by its plate and by somebody's word; nothing where it says
// nothing.
func plated(r measure.ModuleRow) string {
	var parts []string
	if r.PlateAh > 0 {
		parts = append(parts, numeral.Text(r.PlateAh)+" Ah plate")
	}
	if r.CapacityAh > 0 {
		parts = append(parts, numeral.Text(r.CapacityAh)+" Ah measured")
	}
	return strings.Join(parts, ", ")
}

// inUnit reads a number of a column, with its unit behind it, or in the unit that the column's name bears.
func inUnit(g exchange.Grid, column int, s, unit string) (numeral.Number, error) {
	n, err := numeral.ParseIn(s, unit)
	if err != nil {
		return n, err
	}
	if own := g.HeadUnit(column); own != "" && !strings.EqualFold(own, unit) {
		if last := s[len(s)-1]; last >= '0' && last <= '9' { // the cell bears none of its own
			return numeral.ParseIn(s+" "+own, unit)
		}
	}
	return n, nil
}

// unknown names the columns of a table that are used for nothing.
func unknown(kind string, g exchange.Grid, columns map[string]int) (out []string) {
	used := map[int]bool{}
	for _, k := range columns {
		used[k] = true
	}
	wide := kind == "surveys" && (columns["group"] < 0 || columns["volts"] < 0)
	for i, h := range g.Header {
		if !used[i] && !(wide && groupColumn.MatchString(h)) {
			out = append(out, strconv.Quote(h))
		}
	}
	return out
}

// tryImport turns the rows into what the shop takes, and asks it.
func (sv *Room) tryImport(c *echo.Context, v *importView, g exchange.Grid, columns map[string]int,
	save bool) (done bool, err error) {
	if columns["number"] < 0 {
		return false, kernel.Bad("col_number", "say which column holds the label number")
	}
	switch v.Kind {
	case "modules":
		return sv.tryModules(c, v, g, columns, save)
	case "results":
		return sv.tryResults(c, v, g, columns, save)
	}
	return sv.trySurveys(c, v, g, columns, save)
}

func (sv *Room) tryModules(c *echo.Context, v *importView, g exchange.Grid, columns map[string]int, save bool) (bool,
	error) {
	var rows []measure.ModuleRow
	bad := map[int]string{}
	for i := range g.Rows {
		r := measure.ModuleRow{Number: g.At(i, columns["number"]), Type: g.At(i, columns["type"]),
			Note: g.At(i, columns["note"]), History: g.At(i, columns["history"])}
		if columns["type"] < 0 {
			r.Type = v.Form.Get("type")
		}
		for _, x := range []struct {
			key, what, unit string
			into            *float64
		}{{"plate_ah", "plate capacity", "Ah", &r.PlateAh}, {"capacity_ah", "capacity", "Ah", &r.CapacityAh},
			{"resistance_mohm", "resistance", "mΩ", &r.ResistanceMOhm}} {
			if s := g.At(i, columns[x.key]); s != "" {
				n, err := inUnit(g, columns[x.key], s, x.unit)
				if err != nil {
					bad[i] = joined(bad[i], x.what+" "+err.Error())
				}
				*x.into = n.Value
			}
		}
		rows = append(rows, r)
	}
	var errs map[int]string
	err := v.Form.Sent(func(token string) (err error) {
		errs, err = sv.Shop.Measure.ImportModules(c.Request().Context(), v.Lot.ID, rows, token, save && len(bad) == 0)
		return err
	})
	if err != nil {
		return false, err
	}
	for i, e := range errs {
		bad[i] = joined(bad[i], e)
	}
	for i, r := range rows {
		v.Rows = append(v.Rows, importRow{Where: g.Where(i), Fields: []string{r.Number, r.Type, plated(r), r.History,
			r.Note}, Error: bad[i]})
	}
	v.Bad = len(bad)
	return save && len(bad) == 0, nil
}

func (sv *Room) trySurveys(c *echo.Context, v *importView, g exchange.Grid, columns map[string]int, save bool) (bool,
	error) {
	in, where, bad := surveysOf(g, columns, v.Form.Get("by"), sv.Shop.Zone)
	if len(in) == 0 {
		return false, kernel.Bad("data", "no column for each group, and none of group and volts: expected module, "+
			"g1, g2, … or module, group, volts")
	}
	var verdicts []string
	var errs map[int]string
	err := v.Form.Sent(func(token string) (err error) {
		verdicts, errs, err = sv.Shop.Measure.ImportSurveys(c.Request().Context(), in, token, save && len(bad) == 0)
		return err
	})
	if err != nil {
		return false, err
	}
	for i, e := range errs {
		bad[i] = joined(bad[i], e)
	}
	for i, x := range in {
		row := importRow{Where: where[i], Fields: []string{x.Number}, Error: bad[i], Verdict: verdicts[i]}
		for _, r := range x.Readings {
			row.Fields = append(row.Fields, r.AsTyped+" V")
		}
		v.Groups = max(v.Groups, len(x.Readings))
		v.Rows = append(v.Rows, row)
	}
	v.Bad = len(bad)
	return save && len(bad) == 0, nil
}

// joined adds one more thing that is wrong with a row.
func joined(a, b string) string {
	if a == "" || a == b {
		return b
	}
	return a + "; " + b
}

// groupsOf reads a group's number, or the neighbours that were read together: 3-4.
func groupsOf(text string) (first, last int, err error) {
	a, b, two := strings.Cut(text, "-")
	if first, err = strconv.Atoi(strings.TrimSpace(a)); err != nil {
		return 0, 0, err
	}
	if !two {
		return first, first, nil
	}
	if last, err = strconv.Atoi(strings.TrimSpace(b)); err == nil && last <= first {
		err = strconv.ErrRange
	}
	return first, last, err
}

// surveysOf makes a survey of each module and time in a table, with what is wrong by the index of the survey. The table
// is long, a group a line, or wide, a column for each group.
func surveysOf(g exchange.Grid, columns map[string]int, by string, zone *time.Location) (
	in []measure.SurveyInput, where []string, bad map[int]string) {
	s := &sittings{grid: g, columns: columns, by: by, bad: map[int]string{}, at: map[string]int{}, zone: zone}
	if columns["group"] >= 0 && columns["volts"] >= 0 {
		s.long()
	} else {
		s.wide()
	}
	return s.in, s.where, s.bad
}

// sittings collects the surveys of a table.
type sittings struct {
	grid    exchange.Grid
	columns map[string]int
	by      string
	in      []measure.SurveyInput
	where   []string
	bad     map[int]string
	at      map[string]int // module and time → index
	zone    *time.Location // of times that name none
}

func (s *sittings) wrong(k int, format string, args ...any) {
	s.bad[k] = joined(s.bad[k], fmt.Sprintf(format, args...))
}

// of is the survey of a row. A module that was read at two times has two surveys.
func (s *sittings) of(row int) int {
	n, when := s.grid.At(row, s.columns["number"]), s.grid.At(row, s.columns["taken_at"])
	key := strings.ToLower(n) + "\x00" + when
	k, ok := s.at[key]
	if ok {
		return k
	}
	k = len(s.in)
	s.at[key] = k
	x := measure.SurveyInput{Number: n, Instrument: "imported", RestMinutes: -1}
	if when != "" {
		if x.TakenAt, ok = exchange.ParseTime(when, s.zone); !ok {
			s.wrong(k, "%s, taken %q: expected a time such as 2026-11-20T09:30", s.grid.Where(row),
				frame.Clip(when, 30))
		}
	}
	for _, f := range []struct {
		key  string
		into *float64
	}{{"rest_min", &x.RestMinutes}, {"accuracy_v", &x.AccuracyVolts}} {
		text := s.grid.At(row, s.columns[f.key])
		if text == "" {
			continue
		}
		v, err := numeral.Parse(text)
		if err != nil || v.Value < 0 {
			s.wrong(k, "%s, %s %q: expected 0 or more", s.grid.Where(row), f.key, frame.Clip(text, 30))
		}
		*f.into = v.Value
	}
	s.in = append(s.in, x)
	s.where = append(s.where, s.grid.Where(row))
	return k
}

// put adds a reading, of one group or of several read together.
func (s *sittings) put(row, group, last int, text string) {
	k := s.of(row)
	x, err := numeral.Parse(text)
	if err != nil {
		s.wrong(k, "%s, group %d: %v", s.grid.Where(row), group, err)
	}
	v := record.TypedVolts{Group: group, Volts: x.Value, AsTyped: frame.Clip(text, 40)}
	if last > group {
		v.Span, v.Reason = last-group+1, s.grid.At(row, s.columns["reason"])
	}
	s.in[k].Readings = append(s.in[k].Readings, v)
}

func (s *sittings) long() {
	for i := range s.grid.Rows {
		text := s.grid.At(i, s.columns["group"])
		n, last, err := groupsOf(text)
		if err != nil {
			s.wrong(s.of(i), "%s: group %q: expected a whole number, or 3-4 for groups read together",
				s.grid.Where(i), text)
			continue
		}
		s.put(i, n, last, s.grid.At(i, s.columns["volts"]))
	}
}

func (s *sittings) wide() {
	for col, h := range s.grid.Header {
		m := groupColumn.FindStringSubmatch(h)
		known := slices.ContainsFunc([]string{"number", "taken_at", "rest_min", "accuracy_v"}, func(key string) bool {
			return s.columns[key] == col
		})
		if m == nil || known {
			continue
		}
		group, _ := strconv.Atoi(m[1])
		for i := range s.grid.Rows {
			if text := s.grid.At(i, col); text != "" {
				s.put(i, group, group, text)
			}
		}
	}
}

// saveImport takes the pasted table or the file; a sheet becomes text, so that what is shown is what is saved.
func (sv *Room) saveImport(c *echo.Context) error {
	f, err := frame.Read(c, "import")
	if err != nil {
		return err
	}
	head, err := c.FormFile("file")
	if err == nil && head.Size > 0 {
		src, err := head.Open()
		if err != nil {
			return err
		}
		data, err := io.ReadAll(src)
		_ = src.Close()
		if err != nil {
			return err
		}
		text, err := frame.AsText(c.Request().Context(), data)
		if err != nil {
			f.Bads["data"] = frame.Clip(head.Filename, 60) + ": " + err.Error()
			return sv.showImport(c, http.StatusUnprocessableEntity, f, false)
		}
		f.Values.Set("data", text)
	} else if err != nil && !errors.Is(err, http.ErrMissingFile) && !errors.Is(err, http.ErrNotMultipart) {
		return err
	}
	if strings.TrimSpace(f.Get("data")) == "" {
		f.Bads["data"] = "Paste a table or choose a file: expected a line of column names and the rows under it."
		return sv.showImport(c, http.StatusUnprocessableEntity, f, false)
	}
	return sv.showImport(c, http.StatusOK, f, f.Get("save") != "")
}

// exportLot sends a lot's modules with their newest figures, as CSV or XLSX.
func (sv *Room) exportLot(c *echo.Context, id int64) error {
	lot, err := sv.Shop.Record.Lot(c.Request().Context(), id)
	if err != nil {
		return err
	}
	header, rows, err := sv.Shop.Measure.LotExport(c.Request().Context(), lot.ID)
	if err != nil {
		return err
	}
	return frame.SendTable(c, fmt.Sprintf("lot-%d", lot.ID), "Modules", header, rows, frame.Query(c, "as"))
}
