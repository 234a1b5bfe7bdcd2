package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chem"
	"pandrel/core/module/variant"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/store"
)

// variantsView is what else a type could be.
type variantsView struct {
	Type     store.ModuleType
	Variants []variantView
	Joints   []jointView
	Form     *form
	Possible int
}

type variantView struct {
	variant.Variant
	Ladder string
	Posts  string
	Taps   int
}

type jointView struct {
	Field, Label string
}

func (sv *Server) variants(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showVariants(c, http.StatusOK, id, nil)
}

func (sv *Server) showVariants(c *echo.Context, code int, id int64, f *form) error {
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, id)
	if err != nil {
		return err
	}
	vs, in, err := sv.s.Types.VariantsOf(ctx, t)
	if err != nil {
		return err
	}
	v := variantsView{Type: t, Form: f}
	if f == nil {
		v.Form = blank("inside", "by", who(c), "version", strconv.Itoa(t.Version), "elements", strconv.Itoa(max(1, in.Elements)), "across", in.Across)
		for i, j := range in.Joints {
			v.Form.values.Set(fmt.Sprintf("j%d", i+1), j)
		}
	}
	for i := range in.Joints {
		v.Joints = append(v.Joints, jointView{fmt.Sprintf("j%d", i+1), fmt.Sprintf("Groups %d and %d", i+1, i+2)})
	}
	for i, x := range vs {
		if x.Possible && i > 0 {
			v.Possible++
		}
		w := variantView{Variant: x}
		if x.Possible {
			var l draw.Ladder
			l, w.Posts, w.Taps = draw.VariantLadder(x, strings.Fields(t.Posts))
			w.Ladder = l.SVG()
		}
		v.Variants = append(v.Variants, w)
	}
	return sv.showAt(c, code, "variants", "What else "+t.Name+" could be", station.Map, v)
}

func (sv *Server) saveInside(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "inside")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, id)
	if err != nil {
		return err
	}
	_, now, err := sv.s.Types.VariantsOf(ctx, t)
	if err != nil {
		return err
	}
	in := variant.Told{Elements: f.whole("elements", 1), Across: f.Get("across")}
	for i := range now.Joints {
		in.Joints = append(in.Joints, f.Get(fmt.Sprintf("j%d", i+1)))
	}
	if !f.Bad() {
		_, err := sv.s.Types.SaveInside(ctx, id, f.whole("version", 0), in, f.Get("by"), f.once())
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/types/%d/variants", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showVariants(c, http.StatusUnprocessableEntity, id, f)
}

// curveView is a type's rest curve.
type curveView struct {
	Type    store.ModuleType
	Own     *chem.Points
	Picture string
	Typical string // the chemistry's name, "" where none is declared
	Form    *form
}

func (sv *Server) curve(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showCurve(c, http.StatusOK, id, nil)
}

func (sv *Server) showCurve(c *echo.Context, code int, id int64, f *form) error {
	t, err := sv.s.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := curveView{Type: t, Form: f}
	if v.Own, err = record.OwnCurve(t); err != nil {
		return err
	}
	lines := []draw.CurveLine{}
	if ch, err := chem.Lookup(t.Chemistry); err == nil {
		v.Typical = ch.Name
		soc, volts := ch.Curve.Points()
		lines = append(lines, draw.CurveLine{Name: "typical " + ch.Name, SoCPct: soc, Volts: volts})
	}
	if v.Own != nil {
		lines = append(lines, draw.CurveLine{Name: "own", SoCPct: v.Own.SoCPct, Volts: v.Own.Volts, Own: true})
	}
	if len(lines) > 0 {
		v.Picture = draw.Curve("Rest curve of "+t.Name, lines)
	}
	if f == nil {
		v.Form = blank("curve", "by", who(c), "version", strconv.Itoa(t.Version))
		if p := v.Own; p != nil {
			var b strings.Builder
			for i := range p.SoCPct {
				fmt.Fprintf(&b, "%g %.3f\n", p.SoCPct[i], p.Volts[i])
			}
			v.Form.values.Set("points", b.String())
			v.Form.values.Set("source", p.Source)
		}
	}
	return sv.showAt(c, code, "curve", "Rest curve of "+t.Name, station.Survey, v)
}

func (sv *Server) saveCurve(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "curve")
	if err != nil {
		return err
	}
	data, err := uploads(c, f, "file")
	if err != nil {
		return err
	}
	if len(data) > 0 {
		text, err := asText(data[0])
		if err != nil {
			f.errs["points"] = err.Error()
		} else {
			f.values.Set("points", text)
		}
	}
	p := chem.Points{Source: f.Get("source")}
	if f.Get("typical") == "" && !f.Bad() {
		if p.SoCPct, p.Volts, err = exchange.ReadCurve([]byte(f.Get("points"))); err != nil {
			f.errs["points"] = err.Error()
		}
	}
	if !f.Bad() {
		_, err := sv.s.Types.SaveCurve(c.Request().Context(), id, f.whole("version", 0), p, f.Get("by"), f.once())
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/types/%d/curve", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
		if text := f.errs["curve"]; text != "" {
			f.errs["points"] = text
		}
	}
	return sv.showCurve(c, http.StatusUnprocessableEntity, id, f)
}
