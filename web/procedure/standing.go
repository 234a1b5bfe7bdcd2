package procedure

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/procedure"
	"pandrel/store"
	"pandrel/web/frame"
)

type standingsView struct {
	Services []store.StandingBank
	Form     *frame.Form
}

func (sv *Room) services(c *echo.Context) error {
	return sv.showServices(c, http.StatusOK, frame.Blank("service", "by", frame.Who(c), "strings", "1", "plug", "yes"))
}

func (sv *Room) showServices(c *echo.Context, code int, f *frame.Form) error {
	all, err := sv.Shop.Procedure.StandingBanks(c.Request().Context())
	if err != nil {
		return err
	}
	return sv.ShowAt(c, code, "services", "Owners' banks", station.Keep, standingsView{all, f})
}

func (sv *Room) saveService(c *echo.Context) error {
	return frame.Post(c, "service", func(f *frame.Form) (frame.Act, error) {
		in := procedure.StandingInput{Name: f.Get("name"), Owner: f.Get("owner"), Note: f.Get("note"),
			By: f.Get("by"), Token: f.Once(), Bank: standing.Bank{
				NominalVolts: f.Num("nominal_v"), FullVolts: f.Num("full_v"), Strings: f.Whole("strings", 1),
				Solar: f.Get("solar") != "", Mains: f.Get("mains") != "", Plug: f.Get("plug") != "",
				WetPlace:      f.Get("wet") != "",
				CapacitanceMF: f.Opt("capacitance_mf", 0), PrechargeOhms: f.Opt("precharge_ohm", 0)}}
		return func() (string, error) {
			row, err := sv.Shop.Procedure.SaveStanding(c.Request().Context(), in)
			return frame.Made("/services/", row.ID, "/services", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showServices(c, code, f)
	})
}

// standingPage is one owner's bank: what to do now, and what was done.
type standingPage struct {
	procedure.StandingView
	Findings []finding.Finding
	Next     *gates.State // the step whose form is shown, nil when all is done
	Open     string       // its key
	Says     string
	Level    string
	Form     *frame.Form
}

func (sv *Room) service(c *echo.Context, id int64) error {
	return sv.showService(c, http.StatusOK, id, frame.Blank("step", "by", frame.Who(c)))
}

func (sv *Room) showService(c *echo.Context, code int, id int64, f *frame.Form) error {
	s, err := sv.Shop.Procedure.StandingByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := standingPage{StandingView: s, Findings: s.Bank.Findings(), Form: f}
	next := gates.Next(s.Steps(), cmp.Or(c.QueryParam("step"), f.Get("step")))
	v.Says, v.Level = "Back in work: every step is recorded.", "ok"
	if next != nil {
		v.Next, v.Open = next, next.Key
		v.Says, v.Level = fmt.Sprintf("Being taken out of work. Next: %s.", next.Title), "ready"
		if slices.ContainsFunc(s.Up, func(st gates.State) bool { return st.Done }) {
			v.Says = fmt.Sprintf("Going back into work. Next: %s.", next.Title)
		}
		if next.Failed {
			v.Says, v.Level = fmt.Sprintf("Stop: '%s' did not pass.", next.Title), "stop"
		} else if len(s.Up) > 0 && next.Key == s.Up[0].Key {
			v.Says,
				v.Level = "Out of work: survey it now. When that is done, it goes back by the steps on the right.",
				"caution"
		}
	}
	return sv.ShowAt(c, code, "service", s.Standing.Name, station.Keep, v)
}

func (sv *Room) saveServiceStep(c *echo.Context, id int64) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Standing, id, in)
			return fmt.Sprintf("/services/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showService(c, code, id, f)
	})
}
