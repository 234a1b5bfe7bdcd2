package receive

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/look"
	"pandrel/core/test/kind"
	"pandrel/core/test/pasted"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/test"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/frame"
)

// atOnce is how many modules of a lot one page takes.
const atOnce = 60

// lotWork is a lot with those of its modules that wait for one kind of work.
type lotWork struct {
	Lot   store.Lot
	Rows  []lotWorkRow
	More  int // that wait beside those shown
	Done  int // modules of the lot that have it behind them
	Form  *frame.Form
	Looks []look.OfType
	On    thread

	// of the survey grid
	Monitor bool // one is set up, and may fill a row
	Groups  int
	Type    store.ModuleType
	Others  []string // names of other types whose modules wait too
}

type lotWorkRow struct {
	Module store.Module
	Type   store.ModuleType
	Odd    bool
	Cells  []gridCell
	Total  gridCell // end to end
	Error  string
	Grade  grade.Grade
	Fails  string // why it cannot be graded
}

// gridCell is one group of a module in the grid.
type gridCell struct{ Name, Value, Error string }

// waiting lists the modules of a lot at a station that may be worked on.
func (sv *Room) waiting(ctx context.Context, id int64, at station.Station) (v lotWork, err error) {
	if v.Lot, err = sv.Shop.Record.Lot(ctx, id); err != nil {
		return v, err
	}
	rows, waiting, elsewhere, err := sv.Shop.Record.InLotAt(ctx, id, at, atOnce)
	if err != nil {
		return v, err
	}
	v.Done, v.More = elsewhere, waiting-len(rows)
	if v.Rows, err = sv.withTypes(ctx, rows); err != nil {
		return v, err
	}
	for _, b := range desk.Batches {
		if b.At == at {
			v.On, err = sv.threadOf(ctx, v.Lot, b.Page, len(rows) > 0)
		}
	}
	return v, err
}

// withTypes are modules with their types.
func (sv *Room) withTypes(ctx context.Context, mods []store.Module) (out []lotWorkRow, err error) {
	types := map[int64]store.ModuleType{}
	for _, m := range mods {
		t, ok := types[m.TypeID]
		if !ok {
			if t, err = sv.Shop.Type(ctx, m.TypeID); err != nil {
				return nil, err
			}
			types[m.TypeID] = t
		}
		out = append(out, lotWorkRow{Module: m, Type: t})
	}
	return out, nil
}

func (sv *Room) lotLook(c *echo.Context, id int64) error {
	return sv.showLotLook(c, http.StatusOK, id, frame.Blank("look", "by", frame.Who(c)))
}

func (sv *Room) showLotLook(c *echo.Context, code int, id int64, f *frame.Form) error {
	v, err := sv.waiting(c.Request().Context(), id, station.Inspect)
	if err != nil {
		return err
	}
	v.Form = f
	seen := map[string]bool{}
	for i, r := range v.Rows {
		v.Rows[i].Odd = f.On("odd", r.Module.Number)
		for _, l := range types.LooksOf(r.Type) {
			if !seen[l.Key] && !l.Note.Skip {
				seen[l.Key] = true
				v.Looks = append(v.Looks, l)
			}
		}
	}
	return sv.ShowAt(c, code, "lotlook", "Look at the lot from "+v.Lot.Supplier, station.Inspect, v)
}

// saveLotLook keeps a look at every module that was not marked as odd; with odd ones the first of them is opened.
func (sv *Room) saveLotLook(c *echo.Context, id int64) error {
	return frame.Post(c, "look", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		if f.Get("each") == "" {
			f.Bads["each"] = "expected that each of them was looked at: nothing was saved"
		}
		odd := f.Values["odd"]
		var clear []string
		for _, n := range f.Values["number"] {
			if !slices.Contains(odd, n) {
				clear = append(clear, n)
			}
		}
		return func() (string, error) {
			err := sv.Shop.Receive.LookAll(ctx, id, clear, f.Once())
			if err != nil && !frame.Again(err) {
				return "", err
			}
			if len(odd) > 0 {
				return frame.ModulePath(odd[0], "inspect"), nil
			}
			where, failed := sv.after(ctx, id, station.Inspect)
			return frame.Next(where, failed, err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLotLook(c, code, id, f) })
}

// after is where a lot goes when one kind of work is done: to the next that waits in it.
func (sv *Room) after(ctx context.Context, id int64, at station.Station) (string, error) {
	begun := false
	for _, b := range desk.Batches {
		begun = begun || b.At == at
		if !begun {
			continue
		}
		_, n, _, err := sv.Shop.Record.InLotAt(ctx, id, b.At, 1)
		if err != nil {
			return "", err
		}
		if n > 0 {
			return fmt.Sprintf("/lots/%d/%s", id, b.Page), nil
		}
	}
	return fmt.Sprintf("/lots/%d", id), nil
}

func (sv *Room) lotResults(c *echo.Context, id int64) error {
	return sv.showLotResults(c, http.StatusOK, id, frame.Blank("results", "by", frame.Who(c)), nil)
}

// logLine is what became of one file of several.
type logLine struct {
	File, Number, Says string
	Kept               bool
	Part               bool // no capacity: a part of a discharge, or none
}

type lotResultsView struct {
	lotWork
	Logs  []logLine
	Waits []waitsFor
}

// waitsFor is a module with a result that is no capacity yet, and why.
type waitsFor struct {
	Number string
	Ah     float64
	Lacks  string
}

func (sv *Room) showLotResults(c *echo.Context, code int, id int64, f *frame.Form, logs []logLine) error {
	v, err := sv.waiting(c.Request().Context(), id, station.Test)
	if err != nil {
		return err
	}
	v.Form = f
	view := lotResultsView{v, logs, nil}
	for _, r := range v.Rows {
		ah, lacks, err := sv.Shop.Record.Waits(c.Request().Context(), r.Module)
		if err != nil {
			return err
		}
		if lacks != "" {
			view.Waits = append(view.Waits, waitsFor{r.Module.Number, ah, lacks})
		}
	}
	return sv.ShowAt(c, code, "lotresults", "Results of the lot from "+v.Lot.Supplier, station.Test, view)
}

// saveLotResults keeps a pasted table of results: a module and its amp hours in each line, then what is known more.
// Lines that cannot be kept stay in the field, each with why; the others are kept.
func (sv *Room) saveLotResults(c *echo.Context, id int64) error {
	return frame.Post(c, "results", func(f *frame.Form) (frame.Act, error) {
		lines := pasted.Read(f.Get("grid"))
		if len(lines) == 0 {
			f.Bads["grid"] = "expected a line for each module: its label number and its amp hours"
		}
		beside := test.TypedInput{Checked: f.Get("checked") != "", Result: kind.Result{Amps: f.Opt("amps", 0),
			TempC: f.Maybe("temp_c"), FromFull: f.Get("from_full") != "", ChargeMoved: true,
			LowestEndVolts: f.Opt("lowest_end_v", 0), Note: "from a table of the lot"}}
		return func() (string, error) {
			left, kept, err := sv.keepLines(c.Request().Context(), lines, beside, f.Once())
			if err != nil && !frame.Again(err) {
				return "", err
			}
			if len(left) > 0 {
				return "", someLeft(f, left, kept)
			}
			where, failed := sv.after(c.Request().Context(), id, station.Test)
			return frame.Next(where, failed, err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLotResults(c, code, id, f, nil) })
}

// keepLines keeps the lines that can be kept; left are the others, with why.
func (sv *Room) keepLines(ctx context.Context, lines []pasted.Line, beside test.TypedInput, token string) (
	left []pasted.Line, kept int, err error) {
	var in []test.TypedInput
	var of []int // which line each result is from
	for i, l := range lines {
		for k, p := range l.Parts {
			x := beside
			x.Number, x.FromGroup, x.ToGroup, x.Half = l.Number, p.From, p.To, p.Half
			x.CapacityAh, x.EnergyWh, x.ResistanceMOhm, x.Word = p.Ah, p.Wh, p.MilliOhm, p.Word
			if p.Word != "" {
				x.Note += ", written as '" + p.Word + "'"
			}
			if k == 0 { // it is the module's, and said once
				x.ApartMV = l.ApartMV
			}
			x.LowestEndVolts = cmp.Or(p.LowestV, beside.LowestEndVolts)
			if l.Err == "" {
				in, of = append(in, x), append(of, i)
			}
		}
	}
	errs, err := sv.Shop.Tests.TryTyped(ctx, in)
	if err != nil {
		return nil, 0, err
	}
	for k, text := range errs {
		lines[of[k]].Err = text
	}
	var good []test.TypedInput
	for k, x := range in {
		if lines[of[k]].Err == "" {
			good = append(good, x)
		}
	}
	for _, l := range lines {
		if l.Err != "" {
			left = append(left, l)
		}
	}
	if len(good) == 0 {
		return left, 0, nil
	}
	errs, err = sv.Shop.Tests.RecordTypedAll(ctx, good, token)
	for _, text := range errs { // somebody else changed one of them just now: none was kept
		return nil, 0, kernel.Bad("grid", "nothing was saved: %s", text)
	}
	return left, len(lines) - len(left), err
}

// someLeft leaves in the field what was not kept, and says why.
func someLeft(f *frame.Form, left []pasted.Line, kept int) error {
	var rows, kinds []string
	of := map[string][]string{} // which modules each kind of reason is about
	for _, l := range left {
		rows = append(rows, l.Text)
		kind := strings.ReplaceAll(strings.TrimPrefix(l.Err, "capacity_ah: "), l.Number, "it")
		if of[kind] = append(of[kind], l.Number); len(of[kind]) == 1 {
			kinds = append(kinds, kind)
		}
	}
	var why []string
	for _, kind := range kinds {
		why = append(why, fmt.Sprintf("%s: %s", finding.Names(of[kind], "modules"), kind))
	}
	f.Values.Set("grid", strings.Join(rows, "\n"))
	said := "nothing was saved"
	if kept > 0 {
		said = fmt.Sprintf("%d of %d lines were kept, what stays here was not", kept, kept+len(left))
	}
	for i, x := range why { // what came from the rules ends with a full stop of its own
		why[i] = strings.TrimSuffix(x, ".")
	}
	return kernel.Bad("grid", "%s. %s", said, strings.Join(why, ". "))
}

// maxLogs is how many logs are taken at once.
const maxLogs = 30

// saveLotLogs takes several logs and gives each to the module whose label number stands in its file name. What cannot
// be told or is held is named, and kept by nobody: it is brought in on the page of its module.
func (sv *Room) saveLotLogs(c *echo.Context, id int64) error {
	f, err := frame.Read(c, "results")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	files, err := frame.NamedUploads(c, f, "logs", maxLogs)
	if err != nil {
		return err
	}
	if len(files) == 0 && !f.Bad() {
		f.Bads["logs"] = "expected one log or more"
	}
	if f.Bad() {
		return sv.showLotResults(c, http.StatusUnprocessableEntity, id, f, nil)
	}
	rows, err := sv.Shop.Record.InLot(ctx, id)
	if err != nil {
		return err
	}
	var lines []logLine
	for i, x := range files {
		line := logLine{File: x.Name}
		switch found := named(x.Name, rows); len(found) {
		case 1:
			line.Number = found[0]
			_, r, err := sv.Shop.Tests.RecordLog(ctx, test.LogInput{Number: line.Number, FileName: x.Name,
				Data: x.Data, Token: fmt.Sprintf("%s-%d", f.Once(), i)})
			switch {
			case err == nil && r.Capacity != nil:
				line.Kept, line.Says = true, r.Capacity.Text()
				switch {
				case r.Capacity.Gapped():
					line.Part, line.Says = true, line.Says+", with gaps"
				case !r.Capacity.Complete:
					line.Part, line.Says = true, fmt.Sprintf("part of a discharge, at least %.1f Ah", r.Capacity.Ah)
				}
			case err == nil:
				line.Kept, line.Part, line.Says = true, true, "kept, without a capacity"
			case frame.Again(err):
				line.Kept, line.Says = true, "was kept before"
			default:
				if err = f.Take(err); err != nil {
					return err
				}
				line.Says = said(f)
			}
		case 0:
			line.Says = "no label number of this lot stands in its name"
		default:
			line.Says = "its name could be " + finding.Names(found, "modules")
		}
		lines = append(lines, line)
	}
	f.Bads, f.Stops = map[string]string{}, nil
	return sv.showLotResults(c, http.StatusOK, id, frame.Blank("results", "by", frame.Who(c)), lines)
}

// said is what is wrong with a form in one line, and clears it.
func said(f *frame.Form) string {
	var parts []string
	for _, t := range f.Bads {
		parts = append(parts, t)
	}
	for _, b := range f.Stops {
		parts = append(parts, b.Text)
	}
	slices.Sort(parts)
	f.Bads, f.Stops = map[string]string{}, nil
	return strings.Join(parts, "; ")
}

var wordSigns = regexp.MustCompile(`[^0-9a-z]+`)

// named lists the modules whose label number stands in a file's name, the longest alone where one holds another: K-1 is
// not meant by K-11.
func named(file string, rows []record.Row) (out []string) {
	plain := func(s string) string { return " " + wordSigns.ReplaceAllString(strings.ToLower(s), " ") + " " }
	text := plain(file)
	for _, r := range rows {
		if strings.Contains(text, plain(r.Number)) {
			out = append(out, r.Number)
		}
	}
	if len(out) < 2 {
		return out
	}
	return slices.DeleteFunc(slices.Clone(out), func(n string) bool {
		return slices.ContainsFunc(out, func(m string) bool {
			return len(m) > len(n) && strings.Contains(plain(m), plain(n))
		})
	})
}

func (sv *Room) lotGrade(c *echo.Context, id int64) error {
	return sv.showLotGrade(c, http.StatusOK, id, frame.Blank("grade", "by", frame.Who(c)))
}

func (sv *Room) showLotGrade(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	v, err := sv.waiting(ctx, id, station.Grade)
	if err != nil {
		return err
	}
	v.Form = f
	for i, r := range v.Rows {
		g, err := sv.Shop.Grade.PreviewGrade(ctx, r.Module, r.Type)
		if err != nil {
			v.Rows[i].Fails = err.Error()
			continue
		}
		if v.Rows[i].Grade = g; g.Class == grade.Open {
			v.Rows[i].Fails = "cannot be graded yet"
			if len(g.Reasons) > 0 {
				v.Rows[i].Fails = g.Reasons[0].Text
			}
		}
	}
	return sv.ShowAt(c, code, "lotgrade", "Grade the lot from "+v.Lot.Supplier, station.Grade, v)
}

// saveLotGrade grades what is listed with one confirmation.
func (sv *Room) saveLotGrade(c *echo.Context, id int64) error {
	return frame.Post(c, "grade", func(f *frame.Form) (frame.Act, error) {
		numbers := f.Values["number"]
		if len(numbers) == 0 {
			f.Bads[""] = "nothing of this lot can be graded now"
		}
		return func() (string, error) {
			err := sv.Shop.Grade.GradeAll(c.Request().Context(), numbers, f.Once())
			return fmt.Sprintf("/lots/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLotGrade(c, code, id, f) })
}

// floorOf is the floor of a type's chemistry, for a hint; 0 where it is not declared.
func floorOf(id chem.ID) float64 {
	c, err := chem.Lookup(id)
	if err != nil {
		return 0
	}
	return c.FloorVolts
}

// Floor is the voltage at which the lot's first type counts as empty.
func (v lotResultsView) Floor() float64 {
	if len(v.Rows) == 0 {
		return 0
	}
	return floorOf(v.Rows[0].Type.Chemistry)
}
