package web

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"

	"pandrel/core/base/station"
	"pandrel/shop/procedure"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/store"
)

type servicesView struct {
	Services []store.Service
	Form     *form
}

func (sv *Server) services(c *echo.Context) error {
	return sv.showServices(c, http.StatusOK, blank("service", "by", who(c), "strings", "1", "plug", "yes"))
}

func (sv *Server) showServices(c *echo.Context, code int, f *form) error {
	all, err := sv.s.Procedure.Services(c.Request().Context())
	if err != nil {
		return err
	}
	return sv.showAt(c, code, "services", "Owners' banks", station.Keep, servicesView{all, f})
}

func (sv *Server) saveService(c *echo.Context) error {
	f, err := read(c, "service")
	if err != nil {
		return err
	}
	in := procedure.ServiceInput{Name: f.Get("name"), Owner: f.Get("owner"), Note: f.Get("note"), By: f.Get("by"), Token: f.once(), Bank: standing.Bank{
		NominalVolts: f.num("nominal_v"), FullVolts: f.num("full_v"), Strings: f.whole("strings", 1), Solar: f.Get("solar") != "", Mains: f.Get("mains") != "", Plug: f.Get("plug") != "", WetPlace: f.Get("wet") != "",
		CapacitanceMF: f.opt("capacitance_mf", 0), PrechargeOhms: f.opt("precharge_ohm", 0)}}
	if !f.Bad() {
		row, err := sv.s.Procedure.SaveService(c.Request().Context(), in)
		if err == nil {
			return saved(c, f, fmt.Sprintf("/services/%d", row.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/services")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showServices(c, http.StatusUnprocessableEntity, f)
}

// serviceView is one owner's bank: what to do now, and what was done.
type serviceView struct {
	procedure.ServiceView
	Findings []finding.Finding
	Next     *gates.State // the step whose form is shown, nil when all is done
	Open     string       // its key
	Says     string
	Level    string
	Form     *form
}

func (sv *Server) service(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showService(c, http.StatusOK, id, blank("step", "by", who(c)))
}

func (sv *Server) showService(c *echo.Context, code int, id int64, f *form) error {
	s, err := sv.s.Procedure.ServiceByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := serviceView{ServiceView: s, Findings: s.Bank.Findings(), Form: f}
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
			v.Says, v.Level = "Out of work: survey it now. When that is done, it goes back by the steps on the right.", "caution"
		}
	}
	return sv.showAt(c, code, "service", s.Service.Name, station.Keep, v)
}

// step reads a step of work with gates. What was left empty was not measured: it is nil, never zero.
func (f *form) step() procedure.StepInput {
	in := procedure.StepInput{Step: f.Get("step"), Reading: f.maybe("reading"), Confirm: f.Get("confirm") != "", Name: f.Get("name"), Override: f.Get("override"), By: f.Get("by"), Token: f.once()}
	if f.Get("pack_v")+f.Get("pos_v")+f.Get("neg_v") != "" {
		c := f.againstCase()
		c.PackVolts, c.PositiveVolts, c.NegativeVolts = f.num("pack_v"), f.num("pos_v"), f.num("neg_v") // all three must be there
		in.Case = &c
	}
	return in
}

func (sv *Server) saveServiceStep(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "step")
	if err != nil {
		return err
	}
	in := f.step()
	if !f.Bad() {
		_, err := sv.s.Procedure.RecordServiceStep(c.Request().Context(), id, in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/services/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showService(c, http.StatusUnprocessableEntity, id, f)
}
