package bank

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/shop/bank"
	"pandrel/web/choice"
	"pandrel/web/frame"
)

// needOf reads what is asked of a bank.
func needOf(f *frame.Form) plan.Need {
	n := plan.Need{Need: window.Need{Class: f.Whole("class", 0), Series: f.Whole("series", 0),
		AbsMaxVolts: f.Opt("abs_max_v", 0), ChargeMaxVolts: f.Opt("charge_max_v", 0), CutoffVolts: f.Opt("cutoff_v", 0),
		StartVolts: f.Opt("start_v", 0), WantedKWh: f.Opt("kwh", 0), WetPlace: f.Get("wet") != "",
		ChargeAmps: f.Opt("charge_a", 0), PeakAmps: f.Opt("peak_a", 0)}, FreezesHere: f.Get("freezes") == "yes",
		FrostAsked: f.Get("freezes") != ""}
	var err error
	if n.LoadWatts, n.LoadA, err = numeral.Load(f.Get("load_w")); err != nil {
		f.Bads["load_w"] = err.Error()
	}
	n.LoadText = numeral.LoadTyped(f.Get("load_w"))
	return n
}

// needAnswer is what a need comes to while it is typed: nothing is kept of it.
type needAnswer struct {
	Says, Level string
	Fits        []window.Fit
}

// askedOf are the fields of a need that change what it comes to.
var askedOf = []string{"class", "series", "load_w", "kwh", "cutoff_v", "charge_max_v", "abs_max_v", "start_v",
	"charge_a", "peak_a"}

// answer works out what was typed of a need so far, nil where that is nothing.
func (sv *Room) answer(f *frame.Form, shelf bank.Shelf) *needAnswer {
	some := false
	for _, k := range askedOf {
		some = some || f.Get(k) != ""
	}
	if !some || f.Bad() {
		return nil
	}
	n := needOf(f)
	for _, k := range askedOf {
		if f.Err(k) != "" {
			return &needAnswer{Says: "Not all of it can be read yet.", Level: "unknown"}
		}
	}
	var a needAnswer
	var advice []window.Advice
	ways, err := sv.Shop.Bank.Candidates(n, shelf)
	if err == nil && (len(ways) == 0 || ways[0].Refused) {
		advice, err = sv.Shop.Bank.Advice(n, shelf)
	}
	if err == nil {
		a.Fits, err = window.Fits(n.Need)
	}
	if err != nil { // of what was typed: nothing else is read
		return &needAnswer{Says: err.Error(), Level: "caution"}
	}
	a.Says, a.Level = candidateSentence(ways, advice)
	return &a
}

// plan is the address of the room in which a bank is drawn; until it has one of its own it is the first screen.
func (sv *Room) plan(c *echo.Context, id int64) error {
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/banks/%d#stands", id))
}

func (sv *Room) needs(c *echo.Context) error { return sv.showNeeds(c, http.StatusOK, nil) }

// showNeeds shows the banks that wait for a design, with what is in stock; f is a form that failed there. What stands
// in the address is a need that is being typed: it is answered, and not kept.
func (sv *Room) showNeeds(c *echo.Context, code int, f *frame.Form) error {
	v, err := sv.banksAt(c, station.Design)
	if err != nil {
		return err
	}
	shelf, err := sv.Shop.Bank.Shelf(c.Request().Context(), nil)
	if err != nil {
		return err
	}
	for _, st := range shelf.Tested {
		if mean, least, n := st.Summary(); n > 0 {
			v.Stock = append(v.Stock, stockView{st.Type, choice.Chemistry(st.Chemistry), n, mean, least})
		}
	}
	if v.Form = f; f == nil {
		v.Form = frame.Asked(c, "need", append([]string{"name", "client", "freezes", "wet"}, askedOf...)...)
		v.Form.Values.Set("by", frame.Who(c))
	}
	v.Answer = sv.answer(v.Form, shelf)
	return sv.ShowAt(c, code, "design", station.Design.Name(), station.Design, v)
}
