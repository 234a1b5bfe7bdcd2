package receive

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/whole"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

func (sv *Room) lotSurvey(c *echo.Context, id int64) error {
	return sv.showLotSurvey(c, http.StatusOK, id, frame.Blank("lotsurvey", "by", frame.Who(c), "instrument",
		frame.Last(c, "instrument"), "accuracy_mv", frame.Last(c, "accuracy_mv")))
}

func cellName(row, group int) string { return fmt.Sprintf("%s%d", cellsOf(row), group) }

// cellsOf is what the names of all cells of a row begin with.
func cellsOf(row int) string { return fmt.Sprintf("v%d-", row) }

// totalName is the field of a row for its volts end to end, rowName what is wrong with a row as a whole.
func totalName(row int) string { return fmt.Sprintf("t%d", row) }
func rowName(row int) string   { return fmt.Sprintf("row%d", row) }

// withTyped adds to those that wait the modules of rows that came back with something typed in them and wait no more,
// since somebody else was quicker: their rows stay. The type of the rows that were typed comes first.
func (sv *Room) withTyped(ctx context.Context, f *frame.Form, waits []store.Module) ([]store.Module, error) {
	var gone []store.Module
	var of int64
	for row, number := range f.Values["number"] {
		some := strings.TrimSpace(f.Get(totalName(row))) != ""
		for name := range f.Values {
			some = some || strings.HasPrefix(name, cellsOf(row)) && strings.TrimSpace(f.Get(name)) != ""
		}
		if !some {
			continue
		}
		m, err := sv.Shop.Module(ctx, number)
		if err != nil {
			return nil, err
		}
		of = cmp.Or(of, m.TypeID)
		if !slices.ContainsFunc(waits, func(w store.Module) bool { return w.ID == m.ID }) {
			gone = append(gone, m)
		}
	}
	waits = slices.Clone(waits)
	slices.SortStableFunc(waits, func(a, b store.Module) int {
		return cmp.Compare(map[bool]int{true: 1}[a.TypeID != of], map[bool]int{true: 1}[b.TypeID != of])
	})
	return append(gone, waits...), nil
}

func (sv *Room) showLotSurvey(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	v, err := sv.waiting(ctx, id, station.Survey)
	if err != nil {
		return err
	}
	v.Form = f
	var waits []store.Module
	for _, r := range v.Rows {
		waits = append(waits, r.Module)
	}
	if waits, err = sv.withTyped(ctx, f, waits); err != nil {
		return err
	}
	all, err := sv.withTypes(ctx, waits)
	if err != nil {
		return err
	}
	sent := f.Values["number"]
	var rows []lotWorkRow
	for _, r := range all { // one type at a time: the columns are its groups
		if v.Type.ID == 0 {
			v.Type = r.Type
		}
		if r.Type.ID != v.Type.ID {
			if !slices.Contains(v.Others, r.Type.Name) {
				v.Others = append(v.Others, r.Type.Name)
			}
			continue
		}
		lay, _, err := sv.Shop.Record.LayoutFor(ctx, r.Module, r.Type)
		if err != nil {
			return err
		}
		v.Groups = max(v.Groups, lay.Series)
		was := slices.Index(sent, r.Module.Number) // rows that were kept wait no more: the others have moved up
		for g := range lay.Series {
			old := cellName(was, g+1)
			r.Cells = append(r.Cells, gridCell{cellName(len(rows), g+1), f.Get(old), f.Bads[old]})
		}
		r.Total = gridCell{totalName(len(rows)), f.Get(totalName(was)), f.Bads[totalName(was)]}
		r.Error = f.Bads[rowName(was)]
		rows = append(rows, r)
	}
	v.Rows, v.Monitor = rows, sv.Shop.MonitorAddress != ""
	return sv.ShowAt(c, code, "lotsurvey", "Survey the lot from "+v.Lot.Supplier, station.Survey, v)
}

// gridRow is a row that can be kept: a survey, or what was read in part; both where a total stands beside its groups.
type gridRow struct {
	row  int
	all  *measure.SurveyInput
	part *measure.ReadInput
}

// saveLotSurvey keeps the rows that are filled in and can be: each is a sitting of its own. The others stay, marked.
func (sv *Room) saveLotSurvey(c *echo.Context, id int64) error {
	return frame.Post(c, "lotsurvey", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		rows, bad, err := sv.gridRows(ctx, f)
		if err != nil {
			return nil, err
		}
		if len(rows)+len(bad) == 0 && !f.Bad() {
			f.Bads[""] = "expected the voltages of at least one module"
		}
		return func() (string, error) {
			kept, err := sv.keepGrid(ctx, f, rows, bad)
			switch {
			case err != nil && !frame.Again(err):
				return fmt.Sprintf("/lots/%d", id), err
			case len(bad) > 0:
				return "", marked(kept, bad)
			}
			if !slices.ContainsFunc(rows, func(r gridRow) bool { return r.all != nil }) { // they go on waiting
				return fmt.Sprintf("/lots/%d", id), err
			}
			where, failed := sv.after(ctx, id, station.Survey)
			return frame.Next(where, failed, err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLotSurvey(c, code, id, f) })
}

// marked says that rows of a grid stay, and how many were kept.
func marked(kept int, bad map[string]string) error {
	if kept > 0 {
		return kernel.Bad("", "%d of %d rows were kept, the others are marked", kept, kept+rowsOf(bad))
	}
	return kernel.Bad("", "what cannot be kept is marked. Nothing was saved")
}

// rowsOf counts the rows in which something is marked.
func rowsOf(bad map[string]string) int {
	rows := map[int]bool{}
	for name := range bad {
		var row int
		for _, form := range []string{"v%d-", "t%d", "row%d"} {
			if n, err := fmt.Sscanf(name, form, &row); n == 1 && err == nil {
				rows[row] = true
			}
		}
	}
	return len(rows)
}

// keepGrid keeps what can be kept of the rows, marks the others in bad and in the form, and takes what was kept out of
// the form.
func (sv *Room) keepGrid(ctx context.Context, f *frame.Form, rows []gridRow, bad map[string]string) (kept int,
	err error) {
	try := func(token string, save bool) error {
		var all []measure.SurveyInput
		var parts []measure.ReadInput
		var ofAll, ofPart []int
		for _, r := range rows {
			if r.all != nil {
				all, ofAll = append(all, *r.all), append(ofAll, r.row)
			}
			if r.part != nil {
				parts, ofPart = append(parts, *r.part), append(ofPart, r.row)
			}
		}
		if len(all) > 0 {
			_, errs, err := sv.Shop.Measure.ImportSurveys(ctx, all, token, save)
			if err != nil {
				return err
			}
			for i, text := range errs {
				bad[rowName(ofAll[i])] = text
			}
			token += "-ends"
		}
		if len(parts) == 0 {
			return nil
		}
		errs, err := sv.Shop.Measure.RecordReads(ctx, parts, token, save)
		for i, text := range errs {
			bad[rowName(ofPart[i])] = text
		}
		return err
	}
	if err := try("", false); err != nil {
		return 0, err
	}
	rows = slices.DeleteFunc(rows, func(r gridRow) bool { return bad[rowName(r.row)] != "" })
	token := f.Once()
	for name, text := range bad {
		f.Bads[name] = text
	}
	if len(rows) == 0 {
		return 0, nil
	}
	if err := try(token, true); err != nil {
		return 0, err
	}
	for _, r := range rows {
		for name := range f.Values {
			if name == totalName(r.row) || strings.HasPrefix(name, cellsOf(r.row)) {
				f.Values.Del(name)
			}
		}
	}
	return len(rows), nil
}

// readGrid fills one row from the cell monitor; the person still looks and saves.
func (sv *Room) readGrid(c *echo.Context, id int64) error {
	f, err := frame.Read(c, "lotsurvey")
	if err != nil {
		return err
	}
	number := f.Get("read")
	row := slices.Index(f.Values["number"], number)
	if row < 0 {
		return &kernel.NotFound{What: "module " + frame.Clip(number, 24)}
	}
	if by := f.Get("instrument"); by != measure.MonitorInstrument && typedBeside(f, row) {
		// One instrument stands over the whole grid: what a meter read must not be kept as the monitor's.
		f.Bads["instrument"] = "rows read with another instrument are not kept yet: keep them first, then read on"
		return sv.showLotSurvey(c, http.StatusUnprocessableEntity, id, f)
	}
	volts, temp, err := sv.Shop.Measure.ReadMonitor(c.Request().Context(), number, f.Get("alone"))
	if err != nil {
		if err := f.Take(err); err != nil {
			return err
		}
		return sv.showLotSurvey(c, http.StatusUnprocessableEntity, id, f)
	}
	for _, v := range volts {
		f.Values.Set(cellName(row, v.Group), v.AsTyped)
	}
	f.Values.Set("temp_c", fmt.Sprintf("%.1f", temp))
	f.Values.Set("instrument", measure.MonitorInstrument)
	return sv.showLotSurvey(c, http.StatusOK, id, f)
}

// typedBeside reports whether any row of the grid but one holds a reading.
func typedBeside(f *frame.Form, row int) bool {
	for name, v := range f.Values {
		var r, g int
		if n, err := fmt.Sscanf(name, "v%d-%d", &r, &g); n == 2 && err == nil && r != row && strings.Join(v, "") != "" {
			return true
		}
	}
	return false
}

// gridRows reads the rows of the grid that are filled in; bad marks what cannot be kept, by its cell.
func (sv *Room) gridRows(ctx context.Context, f *frame.Form) (rows []gridRow, bad map[string]string, err error) {
	bad = map[string]string{}
	doubted := false
	for row, number := range f.Values["number"] {
		m, err := sv.Shop.Module(ctx, number)
		if err != nil {
			return nil, nil, err
		}
		t, err := sv.Shop.Type(ctx, m.TypeID)
		if err != nil {
			return nil, nil, err
		}
		lay, _, err := sv.Shop.Record.LayoutFor(ctx, m, t)
		if err != nil {
			return nil, nil, err
		}
		here := map[string]string{}
		r := readRow(f, row, number, lay.Series, here)
		if r.all != nil && len(here) == 0 && f.Get("confirm") == "" {
			got, ok := sv.Shop.Measure.TrySurvey(ctx, m, t, lay.Series, *r.all)
			doubted = doubt(here, row, got, ok) || doubted
		}
		if len(here) == 0 && (r.all != nil || r.part != nil) {
			rows = append(rows, r)
		}
		for name, text := range here {
			bad[name] = text
		}
	}
	if doubted {
		f.Values.Set("confirm", "yes")
	}
	together(rows)
	return rows, bad, nil
}

// together makes rows of one sitting each other's siblings.
func together(rows []gridRow) {
	var in []measure.SurveyInput
	for _, r := range rows {
		if r.all != nil {
			in = append(in, *r.all)
		}
	}
	measure.Together(in)
	for _, r := range rows {
		if r.all != nil {
			*r.all, in = in[0], in[1:]
		}
	}
}

// readRow reads one row; here marks what cannot be, by its cell.
func readRow(f *frame.Form, row int, number string, series int, here map[string]string) (r gridRow) {
	r.row = row
	x := measure.SurveyInput{Number: number, Instrument: f.Get("instrument"), AccuracyVolts: f.Opt("accuracy_mv",
		0) / 1000, RestMinutes: f.Opt("rest_min", -1), TempC: f.Maybe("temp_c")}
	var what whole.Read
	var volts []float64
	read := func(name string) (float64, float64, string) {
		typed := strings.TrimSpace(f.Get(name))
		if typed == "" {
			return 0, 0, ""
		}
		n, err := numeral.ParseIn(typed, "V")
		if err != nil {
			here[name] = err.Error()
			return 0, 0, ""
		}
		return n.Value, n.LastDigit, frame.Clip(typed, 40)
	}
	for g := 1; g <= series; g++ {
		v, _, typed := read(cellName(row, g))
		if typed == "" {
			continue
		}
		x.Readings = append(x.Readings, record.TypedVolts{Group: g, Volts: v, AsTyped: typed})
		what.Groups = append(what.Groups, whole.GroupRead{Group: g, Volts: v})
		volts = append(volts, v)
	}
	var asTyped string
	what.TotalV, what.TotalDigit, asTyped = read(totalName(row))
	part := measure.ReadInput{Number: number, What: what, AsTyped: asTyped, Instrument: x.Instrument,
		AccuracyVolts: x.AccuracyVolts, RestMinutes: x.RestMinutes, TempC: x.TempC}
	gap := len(volts) > 0 && len(volts) < series
	switch {
	case gap && f.Get("gaps") == "":
		for g := 1; g <= series; g++ {
			if name := cellName(row, g); strings.TrimSpace(f.Get(name)) == "" {
				here[name] = "missing"
			}
		}
	case gap, len(volts) == 0 && asTyped != "":
		r.part = &part
	case len(volts) > 0:
		r.all = &x
		if asTyped == "" {
			return r
		}
		if _, text := what.Beside(volts); text != "" {
			here[totalName(row)] = text
			return r
		}
		part.What.Groups = nil
		r.part = &part
	}
	return r
}

// doubt asks about readings that cannot be right before they are kept for ever, as the survey of one module does. Sent
// once more as they are, they are kept.
func doubt(here map[string]string, row int, r survey.Result, ok bool) bool {
	if !ok || r.Verdict != survey.Reread {
		return false
	}
	for _, g := range r.Groups {
		if g.Verdict == survey.Reread {
			here[cellName(row, g.Group)] = "Read again? Or save once more to keep it"
		}
	}
	return true
}
