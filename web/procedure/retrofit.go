package procedure

import (
	"fmt"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/shop/bank"
	"pandrel/shop/procedure"
	"pandrel/web/frame"
)

// boardView is a board of the chosen BMS with the form of its leads.
type boardView struct {
	procedure.BoardOf
	Form  *frame.Form
	Rows  []leadRow
	Top   string  // the point of the top lead
	TopV  float64 // what it must read against lead 0
	Blind int     // none: every group of it was read
}

// leadRow is one lead; its field shows what was typed now, or where nothing failed, what was measured before.
type leadRow struct {
	Input              int
	Point              string
	Expected           float64
	Name, Value, Error string
	Bad                bool
}

// fit fills in the forms of a BMS of its own; f is one of them that failed.
func (v *standingPage) fit(c *echo.Context, f *frame.Form) {
	v.FitF = frame.Blank("fit", "by", frame.Who(c), "version", strconv.Itoa(v.Standing.Version), "bms", v.Standing.BMS)
	if f != nil && f.Kind == "fit" {
		v.FitF = f
	}
	for _, b := range v.Fit.Boards {
		x := boardView{BoardOf: b, Form: frame.Blank("sense", "bms", b.BMS, "by", frame.Who(c), "instrument",
			"bench multimeter")}
		top := b.Leads[len(b.Leads)-1]
		x.Top, x.TopV = top.Point, top.ExpectedV
		failed := f != nil && f.Kind == "sense"
		if failed && f.Get("bms") == b.BMS {
			x.Form = f
		}
		for _, l := range b.Leads {
			r := leadRow{Input: l.Input, Point: l.Point, Expected: l.ExpectedV, Name: fmt.Sprintf("s%d", l.Input)}
			r.Value, r.Error = x.Form.Get(r.Name), x.Form.Bads[r.Name]
			if b.Check != nil && b.Check.Current {
				if r.Value == "" && !failed {
					r.Value = b.Check.Typed[l.Input]
				}
				r.Bad = slices.Contains(b.Check.Judged.Inputs, l.Input)
			}
			x.Rows = append(x.Rows, r)
		}
		v.Boards = append(v.Boards, x)
	}
}

// FitBMS writes down which BMS a bank that stands is to get.
func (sv *Room) FitBMS(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "fit", func(f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Procedure.FitBMS(c.Request().Context(), id, f.Whole("version", 0), f.Get("bms"), f.Once())
		}
	})
}

// SaveSense keeps what the leads of that BMS read.
func (sv *Room) SaveSense(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "sense", func(f *frame.Form) func() error {
		in := bank.SenseInput{BankID: id, BMS: f.Get("bms"), TopToZero: f.Maybe("top"), Instrument: f.Get("instrument"),
			Accuracy: f.Opt("accuracy_mv", 0) / 1000, Token: f.Once()}
		for _, n := range f.Numbered("s") {
			in.Volts = append(in.Volts, f.Volts("s", n, 1)...)
		}
		return func() error {
			_, err := sv.Shop.Procedure.RecordRetrofit(c.Request().Context(), in)
			return err
		}
	})
}
