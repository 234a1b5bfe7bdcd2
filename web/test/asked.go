package test

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/ask"
	"pandrel/core/base/station"
	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/shop/test"
	"pandrel/store"
	"pandrel/web/frame"
)

// askedView is the form of a kind of test, made from its fields.
type askedView struct {
	Kind   kind.Kind
	Module store.Module
	Series int // groups of the module, 0 not known
	Form   *frame.Form
}

// Asked are the kinds of test that have a form made from their fields.
func (v testView) Asked() (out []kind.Kind) {
	for _, k := range kind.All() {
		if len(k.Fields) > 0 {
			out = append(out, k)
		}
	}
	return out
}

func askedKind(c *echo.Context) (kind.Kind, error) {
	k, ok := kind.Of(kind.Source(c.Param("kind")))
	if !ok || len(k.Fields) == 0 {
		return k, kernel.Missing("kind of test")
	}
	return k, nil
}

func (sv *Room) asked(c *echo.Context) error { return sv.showAsked(c, http.StatusOK, nil) }

func (sv *Room) showAsked(c *echo.Context, code int, f *frame.Form) error {
	k, err := askedKind(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	m, t, err := sv.Shop.ModuleWithType(ctx, c.Param("number"))
	if err != nil {
		return err
	}
	v := askedView{Kind: k, Module: m, Form: f}
	lay, ok, err := sv.Shop.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return err
	}
	if ok {
		v.Series = lay.Series
	}
	if f == nil {
		v.Form = frame.Blank("asked", "by", frame.Who(c))
	}
	return sv.ShowAt(c, code, "asked", fmt.Sprintf("%s: %s", m.Number, k.Title), station.Test, v)
}

// saveAsked keeps a test of a kind that is asked.
func (sv *Room) saveAsked(c *echo.Context) error {
	k, err := askedKind(c)
	if err != nil {
		return err
	}
	number := c.Param("number")
	return frame.Post(c, "asked", func(f *frame.Form) (frame.Act, error) {
		in := test.AskedInput{Number: number, Kind: k, Values: ask.Values{}, From: f.Whole("from_group", 0),
			To: f.Whole("to_group", 0), Token: f.Once()}
		for _, x := range k.Fields {
			if text := f.Get(x.Key); text != "" {
				in.Values[x.Key] = text
			}
		}
		return func() (string, error) {
			return frame.ModulePath(number) + "#tests", sv.Shop.Tests.RecordAsked(c.Request().Context(), in)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showAsked(c, code, f) })
}
