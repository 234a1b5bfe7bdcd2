package receive

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/check"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// lotCheckView is a lot whose modules are checked against their type: a row for each, a column for each reading.
type lotCheckView struct {
	Lot    store.Lot
	Type   store.ModuleType
	Plan   []check.Pair
	Rows   []lotWorkRow
	More   int
	Others []string // names of other types whose modules wait too
	Done   []measure.CheckedModule
	Form   *frame.Form
	Blind  string
	On     thread
}

func (sv *Room) lotCheck(c *echo.Context, id int64) error {
	return sv.showLotCheck(c, http.StatusOK, id, frame.Blank("lotcheck", "by", frame.Who(c)))
}

func (sv *Room) showLotCheck(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	v := lotCheckView{Form: f, Blind: check.Blind}
	var err error
	if v.Lot, err = sv.Shop.Record.Lot(ctx, id); err != nil {
		return err
	}
	waits, more, err := sv.Shop.Measure.ToCheck(ctx, id)
	if err != nil {
		return err
	}
	v.More = more
	if waits, err = sv.withTyped(ctx, f, waits); err != nil {
		return err
	}
	sent := f.Values["number"]
	for _, m := range waits { // one type at a time: the columns are its readings
		t, err := sv.Shop.Type(ctx, m.TypeID)
		if err != nil {
			return err
		}
		if v.Type.ID == 0 {
			v.Type = t
			if v.Plan, err = sv.Shop.Measure.CheckPlan(ctx, t); err != nil {
				return err
			}
		}
		if t.ID != v.Type.ID {
			if !slices.Contains(v.Others, t.Name) {
				v.Others = append(v.Others, t.Name)
			}
			continue
		}
		r := lotWorkRow{Module: m, Type: t}
		was := slices.Index(sent, m.Number) // rows that were kept wait no more: the others have moved up
		for i := range v.Plan {
			old := cellName(was, i+1)
			r.Cells = append(r.Cells, gridCell{cellName(len(v.Rows), i+1), f.Get(old), f.Bads[old]})
		}
		r.Error = f.Bads[rowName(was)]
		v.Rows = append(v.Rows, r)
	}
	if v.Done, err = sv.Shop.Measure.CheckedIn(ctx, id); err != nil {
		return err
	}
	if v.On, err = sv.threadOf(ctx, v.Lot, "check", len(v.Rows) > 0); err != nil {
		return err
	}
	return sv.ShowAt(c, code, "lotcheck", "Check the lot from "+v.Lot.Supplier, station.Map, v)
}

// saveLotCheck keeps the rows in which every reading stands; the others stay, marked.
func (sv *Room) saveLotCheck(c *echo.Context, id int64) error {
	return frame.Post(c, "lotcheck", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		rows, bad, err := sv.checkRows(ctx, f)
		if err != nil {
			return nil, err
		}
		if len(rows)+len(bad) == 0 && !f.Bad() {
			f.Bads[""] = "expected the readings of at least one module"
		}
		return func() (string, error) {
			kept := 0
			for _, row := range slices.Sorted(maps.Keys(rows)) {
				in := rows[row]
				in.Token = fmt.Sprintf("%s-%s", f.Once(), in.Number)
				_, err := sv.Shop.Measure.RecordCheck(ctx, in)
				if text, cannot := kernel.Refused(err); cannot {
					bad[rowName(row)] = text
					continue
				}
				if err != nil && !frame.Again(err) {
					return "", err
				}
				kept++
				for name := range f.Values {
					if strings.HasPrefix(name, cellsOf(row)) {
						f.Values.Del(name)
					}
				}
			}
			for name, text := range bad {
				f.Bads[name] = text
			}
			if len(bad) > 0 {
				return "", marked(kept, bad)
			}
			return fmt.Sprintf("/lots/%d/check", id), nil
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLotCheck(c, code, id, f) })
}

// checkRows reads the rows in which all readings stand; bad marks what is missing or is no number, by its cell.
func (sv *Room) checkRows(ctx context.Context, f *frame.Form) (rows map[int]measure.CheckInput, bad map[string]string,
	err error) {
	rows, bad = map[int]measure.CheckInput{}, map[string]string{}
	for row, number := range f.Values["number"] {
		m, err := sv.Shop.Module(ctx, number)
		if err != nil {
			return nil, nil, err
		}
		t, err := sv.Shop.Type(ctx, m.TypeID)
		if err != nil {
			return nil, nil, err
		}
		plan, err := sv.Shop.Measure.CheckPlan(ctx, t)
		if err != nil {
			return nil, nil, err
		}
		in := measure.CheckInput{Number: number}
		var gaps []string
		wrong := false
		for i := range plan {
			name := cellName(row, i+1)
			typed := strings.TrimSpace(f.Get(name))
			if typed == "" {
				gaps = append(gaps, name)
				continue
			}
			n, err := numeral.ParseIn(typed, "V")
			if err != nil {
				bad[name], wrong = err.Error(), true
			}
			in.Volts = append(in.Volts, record.TypedVolts{Group: i + 1, Volts: n.Value, AsTyped: frame.Clip(typed, 40)})
		}
		switch {
		case len(gaps) == len(plan): // an empty row waits on
		case len(gaps) > 0:
			for _, name := range gaps {
				bad[name] = "expected a reading here too: each point stands in one of them"
			}
		case !wrong:
			rows[row] = in
		}
	}
	return rows, bad, nil
}
