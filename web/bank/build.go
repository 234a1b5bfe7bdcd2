package bank

import (
	"cmp"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/build"
	"pandrel/core/procedure/assembly"
	"pandrel/core/procedure/gates"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
	"pandrel/web/frame"
)

// buildView is a bank that is put together: one step large, the others beside it.
type buildView struct {
	procedure.Assembly
	Next      *gates.State // nil when all are signed
	Step      build.Step   // what it is in the order of the build
	Form      *frame.Form
	Judgement string
	Level     string
	Passed    []gates.State // passed over in writing: they stay in sight
	Failed    []gates.State // read out of range, and not mended
	Found     []steps.Record
	Turn      bool // it is done out of its turn
	Picture   string
	Left      int
	Leads     bool // the step is answered by the table of sense leads
}

func (sv *Room) build(c *echo.Context, id int64) error {
	return sv.showBuild(c, http.StatusOK, id, nil)
}

func (sv *Room) showBuild(c *echo.Context, code int, id int64, f *frame.Form) error {
	a, err := sv.Shop.Procedure.AssemblyOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := buildView{Assembly: a, Form: f}
	if f == nil {
		v.Form = frame.Blank("step", "by", frame.Who(c))
	}
	first := assembly.Next(a.States, "")
	v.Next = assembly.Next(a.States, cmp.Or(frame.Query(c, "step"), v.Form.Get("step")))
	v.Judgement, v.Level = assembly.Said(a.States, v.Next), "ready"
	if v.Next == nil {
		v.Level = "ok"
	}
	for _, st := range a.States {
		switch {
		case st.Overridden != "":
			v.Passed = append(v.Passed, st)
		case st.Failed:
			v.Failed = append(v.Failed, st)
		}
		if !st.Done {
			v.Left++
		}
	}
	if v.Next != nil {
		v.Leads = strings.HasPrefix(v.Next.Key, build.MeasureLeads)
		v.Turn = first != nil && first.Key != v.Next.Key && !v.Next.Done
		for _, s := range a.Wiring.Steps {
			if s.Key == v.Next.Key {
				v.Step = s
			}
		}
		for _, r := range a.Records {
			if r.Step == v.Next.Key {
				v.Found = append(v.Found, r)
			}
		}
		if v.Next.Failed {
			v.Judgement, v.Level = "Stop: "+v.Next.Title+" did not read as it should. "+v.Judgement, "stop"
		}
	}
	_, _, d, err := sv.Shop.Bank.ByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if v.Picture, err = pictured("Bank "+a.Bank.Name, *d, a.Wiring); err != nil {
		return err
	}
	return sv.ShowAt(c, code, "build", "Build "+a.Bank.Name, a.Bank.Station, v)
}

// signStep keeps one step of the build, as it was read and by whom.
func (sv *Room) signStep(c *echo.Context, id int64) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Build, id, in)
			return fmt.Sprintf("/banks/%d/build", id), err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showBuild(c, code, id, f) })
}
