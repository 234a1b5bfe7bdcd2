package types

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chem"
	"pandrel/core/base/station"
	"pandrel/core/module/variant"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// variantsView is what else a type could be.
type variantsView struct {
	Type     store.ModuleType
	Variants []variantView
	Joints   []jointView
	Form     *frame.Form
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

func (sv *Room) variants(c *echo.Context, id int64) error {
	return sv.showVariants(c, http.StatusOK, id, nil)
}

func (sv *Room) showVariants(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	t, err := sv.Shop.Type(ctx, id)
	if err != nil {
		return err
	}
	vs, in, err := sv.Shop.Types.VariantsOf(ctx, t)
	if err != nil {
		return err
	}
	v := variantsView{Type: t, Form: f}
	if f == nil {
		v.Form = frame.Blank("inside", "by", frame.Who(c), "version", strconv.Itoa(t.Version), "elements",
			strconv.Itoa(max(1, in.Elements)), "across", in.Across)
		for i, j := range in.Joints {
			v.Form.Values.Set(fmt.Sprintf("j%d", i+1), j)
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
	return sv.ShowAt(c, code, "variants", "What else "+t.Name+" could be", station.Map, v)
}

func (sv *Room) saveInside(c *echo.Context, id int64) error {
	return frame.Post(c, "inside", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		t, err := sv.Shop.Type(ctx, id)
		if err != nil {
			return nil, err
		}
		_, now, err := sv.Shop.Types.VariantsOf(ctx, t)
		if err != nil {
			return nil, err
		}
		in := variant.Told{Elements: f.Whole("elements", 1), Across: f.Get("across")}
		for i := range now.Joints {
			in.Joints = append(in.Joints, f.Get(fmt.Sprintf("j%d", i+1)))
		}
		return func() (string, error) {
			_, err := sv.Shop.Types.SaveInside(ctx, id, f.Whole("version", 0), in, f.Once())
			return fmt.Sprintf("/types/%d/variants", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showVariants(c, code, id, f)
	})
}

// curveView is a type's rest curve.
type curveView struct {
	Type    store.ModuleType
	Own     *chem.Points
	Picture string
	Typical string // the chemistry's name, "" where none is declared
	Form    *frame.Form
}

func (sv *Room) curve(c *echo.Context, id int64) error {
	return sv.showCurve(c, http.StatusOK, id, nil)
}

func (sv *Room) showCurve(c *echo.Context, code int, id int64, f *frame.Form) error {
	t, err := sv.Shop.Type(c.Request().Context(), id)
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
		v.Form = frame.Blank("curve", "by", frame.Who(c), "version", strconv.Itoa(t.Version))
		if p := v.Own; p != nil {
			var b strings.Builder
			for i := range p.SoCPct {
				fmt.Fprintf(&b, "%g %.3f\n", p.SoCPct[i], p.Volts[i])
			}
			v.Form.Values.Set("points", b.String())
			v.Form.Values.Set("source", p.Source)
		}
	}
	return sv.ShowAt(c, code, "curve", "Rest curve of "+t.Name, station.Survey, v)
}

func (sv *Room) saveCurve(c *echo.Context, id int64) error {
	return frame.Post(c, "curve", func(f *frame.Form) (frame.Act, error) {
		data, err := frame.Uploads(c, f, "file")
		if err != nil {
			return nil, err
		}
		if len(data) > 0 {
			text, err := frame.AsText(c.Request().Context(), data[0])
			if err != nil {
				f.Bads["points"] = err.Error()
			} else {
				f.Values.Set("points", text)
			}
		}
		p := chem.Points{Source: f.Get("source")}
		if f.Get("typical") == "" && !f.Bad() {
			if p.SoCPct, p.Volts, err = exchange.ReadCurve([]byte(f.Get("points"))); err != nil {
				f.Bads["points"] = err.Error()
			}
		}
		return func() (string, error) {
			_, err := sv.Shop.Types.SaveCurve(c.Request().Context(), id, f.Whole("version", 0), p, f.Once())
			return fmt.Sprintf("/types/%d/curve", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		if text := f.Bads["curve"]; text != "" {
			f.Bads["points"] = text
		}
		return sv.showCurve(c, code, id, f)
	})
}
