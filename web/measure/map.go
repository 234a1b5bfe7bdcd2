package measure

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/layout"
	"pandrel/draw"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/store"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// mapView is the map of one module: readings beside the ladder.
type mapView struct {
	Module store.Module
	Type   store.ModuleType
	Form   *frame.Form
	Map    *layout.Map
	Ladder string
	SetID  int64 // kept readings, 0 while they are only tried
	Set    store.ProbeSet
	Accept *frame.Form
	Kept   bool
	Next   *layout.Next // what to touch next; nil once nothing more is asked for
	Skip   string
	Face   sketch.FaceView
}

func (sv *Room) mapping(c *echo.Context) error {
	return sv.showMap(c, http.StatusOK, frame.Blank("map", "by", frame.Who(c)))
}

func (sv *Room) showMap(c *echo.Context, code int, f *frame.Form) error {
	v, err := sv.mapPage(c, f)
	if err != nil {
		return err
	}
	return sv.ShowAt(c, code, "map", "Map "+v.Module.Number, station.Map, v)
}

// mapPage is the whole page with the readings typed so far.
func (sv *Room) mapPage(c *echo.Context, f *frame.Form) (mapView, error) {
	v, err := sv.mapSoFar(c, f)
	if err != nil {
		return v, err
	}
	marks := draw.FaceMarks{Case: true}
	if v.Next != nil {
		marks.Red, marks.Black = v.Next.Red, v.Next.Black
	}
	v.Face = sv.Sketch.FaceBox(c, v.Type, frame.ModulePath(v.Module.Number, "map"), marks)
	return v, nil
}

// mapSoFar tries the readings typed so far, once. A line that cannot be read becomes the form's error.
func (sv *Room) mapSoFar(c *echo.Context, f *frame.Form) (mapView, error) {
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return mapView{}, err
	}
	v := mapView{Module: m, Type: t, Form: f, Skip: f.Get("skip")}
	var rs []layout.Reading
	if strings.TrimSpace(f.Get("readings")) != "" {
		if rs, _, err = exchange.ReadProbes([]byte(spaced(f.Get("readings")))); err == nil {
			var got layout.Map
			if got, err = measure.TryMap(t, rs); err == nil {
				v.Map, v.Ladder = &got, draw.MapLadder("Map of "+m.Number, got).SVG()
			}
		}
		if err != nil {
			f.Bads["readings"] = err.Error()
			return v, nil
		}
	}
	if next, done := measure.GuideMap(t, rs, strings.Fields(v.Skip), v.Map); !done {
		v.Next = &next
	}
	return v, nil
}

// meterView is what the meter shows, or why it cannot be asked.
type meterView struct{ Volts, Error string }

// readMeter reads the bench meter for two points and puts it into the field; the person still looks and takes the
// reading over.
func (sv *Room) readMeter(c *echo.Context) error {
	f, err := frame.SoFar(c, "meter")
	if err != nil {
		return err
	}
	volts, err := sv.Shop.Measure.ReadMeter(c.Request().Context(), c.Param("number"), f.Get("red"), f.Get("black"))
	switch {
	case kernel.Told(err):
		return c.Render(http.StatusUnprocessableEntity, "map#meter", meterView{Error: err.Error()})
	case err != nil:
		return err
	}
	return c.Render(http.StatusOK, "map#meter", meterView{Volts: fmt.Sprintf("%.3f", volts)})
}

// spaced lets readings be typed with blanks between: P1 P0 3,291.
func spaced(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		if strings.ContainsAny(l, ";\t") || strings.Count(l, ",") >= 2 {
			continue
		}
		if fs := strings.Fields(l); len(fs) == 3 || len(fs) == 4 {
			lines[i] = strings.Join(fs, ";")
		}
	}
	return strings.Join(lines, "\n")
}

// tryMap answers while readings are typed.
func (sv *Room) tryMap(c *echo.Context) error {
	f, err := frame.SoFar(c, "map")
	if err != nil {
		return err
	}
	page, err := sv.mapSoFar(c, f)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "map#live", page)
}

func (sv *Room) saveProbes(c *echo.Context) error {
	number := c.Param("number")
	return frame.Post(c, "map", func(f *frame.Form) (frame.Act, error) {
		rs, _, err := exchange.ReadProbes([]byte(spaced(f.Get("readings"))))
		if err != nil {
			f.Bads["readings"] = err.Error()
		}
		in := measure.ProbesInput{Number: number, Readings: rs, Instrument: f.Get("instrument"), Source: "typed",
			Token: f.Once()}
		return func() (string, error) {
			id, _, err := sv.Shop.Measure.RecordProbes(c.Request().Context(), in)
			return frame.Made("/readings/", id, frame.ModulePath(number), err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showMap(c, code, f) })
}

func (sv *Room) probeSet(c *echo.Context) error {
	return sv.showSet(c, http.StatusOK, frame.Blank("accept", "by", frame.Who(c)))
}

// showSet shows kept readings with their map, and the button that makes it the layout.
func (sv *Room) showSet(c *echo.Context, code int, accept *frame.Form) error {
	id, err := frame.IdParam(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	set, rs, err := sv.Shop.Measure.Probes(ctx, id)
	if err != nil {
		return err
	}
	m, t, err := sv.Shop.Measure.ModuleOfSet(ctx, set)
	if err != nil {
		return err
	}
	var b strings.Builder
	for _, r := range rs {
		fmt.Fprintf(&b, "%s %s %.3f\n", r.Red, r.Black, r.Volts)
	}
	v := mapView{Module: m, Type: t, Form: frame.Blank("map", "readings", b.String()), SetID: id, Set: set,
		Accept: accept, Kept: true}
	res, err := measure.TryMap(t, rs)
	if err != nil {
		return err
	}
	v.Map, v.Ladder = &res, draw.MapLadder("Map of "+m.Number, res).SVG()
	return sv.ShowAt(c, code, "map", "Map of "+m.Number, station.Map, v)
}

func (sv *Room) acceptLayout(c *echo.Context, id int64) error {
	return frame.Post(c, "accept", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			t, err := sv.Shop.Measure.AcceptLayout(c.Request().Context(), id, f.Get("own") != "", f.Once())
			if frame.Again(err) {
				return fmt.Sprintf("/readings/%d", id), err
			}
			return fmt.Sprintf("/types/%d", t.ID), err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showSet(c, code, f) })
}
