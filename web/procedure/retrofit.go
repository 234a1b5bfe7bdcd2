package procedure

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/sense"
	"pandrel/shop/bank"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
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

// SenseInput reads the leads of one BMS as they are typed; inputs without a lead are not asked for.
func SenseInput(id int64, f *frame.Form) bank.SenseInput {
	in := bank.SenseInput{BankID: id, BMS: f.Get("bms"), TopToZero: f.Maybe("top"), Instrument: f.Get("instrument"),
		Accuracy: f.Opt("accuracy_mv", 0) / 1000, Token: f.Once()}
	for _, n := range f.Numbered("s") {
		in.Volts = append(in.Volts, f.Volts("s", n, 1)...)
	}
	return in
}

// SaveSense keeps what the leads of that BMS read.
func (sv *Room) SaveSense(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "sense", func(f *frame.Form) func() error {
		in := SenseInput(id, f)
		return func() error {
			_, err := sv.Shop.Procedure.RecordRetrofit(c.Request().Context(), in)
			return err
		}
	})
}

// soFarView is what is odd about the leads that were read up to now.
type soFarView struct {
	Odd  []oddLead
	Left int
}

type oddLead struct {
	sense.Odd
	Field string
}

// Lead is what was read, in words.
func (o oddLead) Lead() string {
	if o.Input < 0 {
		return "The top lead against lead 0"
	}
	return fmt.Sprintf("Input %d", o.Input)
}

// trySense answers while leads are read, of a bank of either origin. What is no number yet is not judged.
func (sv *Room) trySense(c *echo.Context, id int64) error {
	f, err := frame.SoFar(c, "sense")
	if err != nil {
		return err
	}
	in := SenseInput(id, f)
	expected, err := sv.Shop.Procedure.Expected(c.Request().Context(), id, in.BMS)
	if err != nil {
		return err
	}
	in.Volts = slices.DeleteFunc(in.Volts, func(x record.TypedVolts) bool { return x.Group >= len(expected) })
	odd, left, err := in.SoFar(expected)
	if err != nil {
		return err
	}
	v := soFarView{Left: left}
	for _, o := range odd {
		field := fmt.Sprintf("%s-s%d", in.BMS, o.Input)
		if o.Input < 0 {
			field = in.BMS + "-top"
		}
		v.Odd = append(v.Odd, oddLead{o, field})
	}
	return c.Render(http.StatusOK, "service#sofar", v)
}
