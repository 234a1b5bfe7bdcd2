package procedure

import (
	"cmp"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/procedure/gates"
	"pandrel/shop/procedure"
	"pandrel/web/frame"
)

// peopleView is the gates of people of a module above the limit of touch.
type peopleView struct {
	procedure.PeopleView
	Form        *frame.Form
	Next        *gates.State // the step whose form is shown, nil when all are done
	Open        string       // its key
	Says, Level string
}

func (sv *Room) people(c *echo.Context) error {
	return sv.showPeople(c, http.StatusOK, frame.Blank("step", "by", frame.Who(c)))
}

func (sv *Room) showPeople(c *echo.Context, code int, f *frame.Form) error {
	pv, err := sv.Shop.Procedure.PeopleOf(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	v := peopleView{PeopleView: pv, Form: f}
	if v.Next = gates.Next(pv.States, cmp.Or(frame.Query(c, "step"), f.Get("step"))); v.Next != nil {
		v.Open = v.Next.Key
	}
	switch {
	case len(pv.States) == 0:
		v.Says, v.Level = fmt.Sprintf("%s stays below the limit of touch by what is known of it.",
			pv.Module.Number), "ok"
	case v.Next == nil:
		v.Says, v.Level = "Every gate is recorded.", "ok"
	default:
		v.Says, v.Level = fmt.Sprintf("%s can stand at %.1f V DC, above the limit of touch: a licensed person's work. "+
			"Before it is opened, charged or discharged, these are recorded. No written reason passes them.",
			pv.Module.Number, pv.FullVolts), "stop"
	}
	return sv.ShowAt(c, code, "people", "Gates of people of "+pv.Module.Number, pv.Module.Station, v)
}

func (sv *Room) savePeople(c *echo.Context) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		v, err := sv.Shop.Procedure.PeopleOf(c.Request().Context(), c.Param("number"))
		if err != nil {
			return nil, err
		}
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Module, v.Module.ID, in)
			return frame.ModulePath(v.Module.Number, "people"), err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showPeople(c, code, f) })
}
