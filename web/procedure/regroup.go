package procedure

import (
	"cmp"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/procedure/gates"
	"pandrel/draw"
	"pandrel/shop/regroup"
	"pandrel/shop/steps"
	"pandrel/web/frame"
)

// regroupView is a module that is cut or has its links moved: one step large, or the ways that it could take.
type regroupView struct {
	regroup.Work
	Form        *frame.Form
	Next        *gates.State // nil when all are signed
	At, Left    int
	Found       []steps.Record // what was recorded of the step that is shown
	Possible    int
	Picture     string // the module as it is
	Says, Level string
}

func (sv *Room) regroup(c *echo.Context) error {
	return sv.showRegroup(c, http.StatusOK, frame.Blank("step", "by", frame.Who(c)))
}

func (sv *Room) showRegroup(c *echo.Context, code int, f *frame.Form) error {
	r, err := sv.Shop.Regroup.Of(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	v := regroupView{Work: r, Form: f}
	v.Next = gates.Next(r.States, cmp.Or(frame.Query(c, "step"), f.Get("step")))
	for i, st := range r.States {
		if v.Next != nil && st.Key == v.Next.Key {
			v.At = i + 1
		}
		if !st.Done {
			v.Left++
		}
	}
	for _, x := range r.Records {
		if v.Next != nil && x.Step == v.Next.Key {
			v.Found = append(v.Found, x)
		}
	}
	for _, w := range r.Ways {
		if w.Possible {
			v.Possible++
		}
	}
	if v.Way != nil {
		l, _, _ := draw.VariantLadder(r.AsIs, strings.Fields(r.Type.Posts))
		v.Picture = l.Read(r.Volts()).SVG()
	}
	v.sentence()
	return sv.ShowAt(c, code, "regroup", "Cut or regroup "+r.Module.Number, r.Module.Station, v)
}

// sentence is what the page says first.
func (v *regroupView) sentence() {
	m := v.Module
	switch {
	case m.Became != "":
		v.Says, v.Level = fmt.Sprintf("%s became %s.", m.Number, m.Became), "ok"
	case v.Way == nil && len(v.Not) > 0:
		v.Says, v.Level = fmt.Sprintf("%s cannot be cut or regrouped as things stand.", m.Number), "stop"
	case v.Way == nil:
		v.Says, v.Level = fmt.Sprintf("%d ways are possible. Nothing is loosened before it was read, and nothing is "+
			"opened with voltage across it.", v.Possible), "ready"
		if v.Possible == 1 {
			v.Says = strings.Replace(v.Says, "1 ways are", "One way is", 1)
		}
	case v.Next == nil:
		v.Says, v.Level = "Every step is signed: what it became is to be written down.", "ok"
	case v.Next.Failed:
		v.Says, v.Level = fmt.Sprintf("Stop: '%s' did not read as it should.", v.Next.Title), "stop"
	default:
		v.Says, v.Level = fmt.Sprintf("%s: %d of %d steps are signed. Now: %s.", v.Way.Title, len(v.States)-v.Left,
			len(v.States), v.Next.Title), "ready"
	}
}

// saveRegroup begins a way, leaves it, signs a step of it, or writes down what came of it.
func (sv *Room) saveRegroup(c *echo.Context) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		ctx, number := c.Request().Context(), c.Param("number")
		page := frame.ModulePath(number, "regroup")
		switch f.Get("do") {
		case "begin":
			return func() (string, error) {
				return page, sv.Shop.Regroup.Begin(ctx, number, f.Get("way"), f.Once())
			}, nil
		case "leave":
			return func() (string, error) { return page, sv.Shop.Regroup.Leave(ctx, number, f.Once()) }, nil
		case "made":
			return func() (string, error) {
				_, err := sv.Shop.Regroup.Made(ctx, number, f.Once())
				return page, err
			}, nil
		}
		v, err := sv.Shop.Regroup.Of(ctx, number)
		if err != nil {
			return nil, err
		}
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Regroup.Sign(ctx, v.Module.ID, in)
			return page, err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showRegroup(c, code, f) })
}
