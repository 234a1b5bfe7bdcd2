package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/types"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/face"
	"pandrel/draw"
	"pandrel/store"
)

// faceView is a face as it lies now, with the ways to turn and flip it.
type faceView struct {
	SVG              string
	TurnHref, FlipTo string
}

// lie is how a type's modules lie on this bench: quarters of a turn, and whether on the other side.
type lie struct {
	turn int
	flip bool
}

func lieOf(c *echo.Context, typeID int64) lie {
	k, err := c.Cookie(fmt.Sprintf("pandrel_lie_%d", typeID))
	if err != nil {
		return lie{}
	}
	return parseLie(k.Value)
}

func parseLie(s string) lie {
	t, flip, _ := strings.Cut(s, "f")
	n, err := strconv.Atoi(t)
	if err != nil || n < 0 || n > 3 {
		n = 0
	}
	return lie{n, flip == "1"}
}

func (l lie) String() string {
	if l.flip {
		return fmt.Sprintf("%df1", l.turn)
	}
	return fmt.Sprintf("%df0", l.turn)
}

func (l lie) of(f face.Face) face.Face {
	if l.flip {
		f = f.Flipped()
	}
	return f.Turned(l.turn)
}

// lying returns a type's face as it lies on this bench.
func (sv *Server) lying(c *echo.Context, t store.ModuleType) face.Face {
	return lieOf(c, t.ID).of(types.FaceOf(t))
}

// faceBox draws a type's face as it lies, with marks; back is the page to come back to.
func (sv *Server) faceBox(c *echo.Context, t store.ModuleType, back string, m draw.FaceMarks) faceView {
	return faceAs(t, lieOf(c, t.ID), back, m)
}

func faceAs(t store.ModuleType, l lie, back string, m draw.FaceMarks) faceView {
	href := func(to lie) string {
		return fmt.Sprintf("/types/%d/lie?as=%s&back=%s", t.ID, to, url.QueryEscape(back))
	}
	return faceView{SVG: draw.Face("Face of "+t.Name, l.of(types.FaceOf(t)), m), TurnHref: href(lie{(l.turn + 1) % 4, l.flip}), FlipTo: href(lie{l.turn, !l.flip})}
}

// turnFace keeps in this browser how the modules of a type lie, and shows the face so.
func (sv *Server) turnFace(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	t, err := sv.s.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	l := parseLie(c.QueryParam("as"))
	c.SetCookie(&http.Cookie{Name: fmt.Sprintf("pandrel_lie_%d", id), Value: l.String(), Path: "/", MaxAge: 365 * 86400, SameSite: http.SameSiteStrictMode, HttpOnly: true})
	back := c.QueryParam("back")
	if !strings.HasPrefix(back, "/") || strings.HasPrefix(back, "//") || strings.ContainsAny(back, "\\\r\n") {
		back = fmt.Sprintf("/types/%d", id) // only pages of this workshop
	}
	if c.Request().Header.Get("HX-Request") == "" {
		return c.Redirect(http.StatusSeeOther, back)
	}
	return c.Render(http.StatusOK, "face#facebox", faceAs(t, l, back, draw.FaceMarks{Case: strings.HasSuffix(back, "/map")}))
}

// faceEditView is the face editor.
type faceEditView struct {
	Type store.ModuleType
	Face face.Face
	SVG  string
	Form *form
}

func (sv *Server) face(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showFace(c, http.StatusOK, id, nil)
}

func (sv *Server) showFace(c *echo.Context, code int, id int64, f *form) error {
	t, err := sv.s.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := faceEditView{Type: t, Face: types.FaceOf(t), Form: f}
	if f == nil {
		v.Form = blank("face", "by", who(c), "version", strconv.Itoa(t.Version), "new_pins", "26", "new_prefix", nextPrefix(v.Face), "new_rows", "2")
		v.fill()
	}
	v.SVG = draw.Face("Face of "+t.Name, v.Face, draw.FaceMarks{})
	return sv.showAt(c, code, "face", "Face of "+t.Name, station.Map, v)
}

// nextPrefix proposes a letter that no pin has yet.
func nextPrefix(f face.Face) string {
	_, pins := f.Names()
	for _, p := range []string{"X", "Y", "Z", "S", "T", "U"} {
		if !slices.ContainsFunc(pins, func(n string) bool { return strings.HasPrefix(n, p) }) {
			return p
		}
	}
	return "N"
}

// fill writes a face into the fields of its form.
func (v *faceEditView) fill() {
	set := func(name string, value any) { v.Form.values.Set(name, fmt.Sprint(value)) }
	for i, p := range v.Face.Points {
		set(fmt.Sprintf("p%d_name", i), p.Name)
		set(fmt.Sprintf("p%d_kind", i), p.Kind)
		set(fmt.Sprintf("p%d_x", i), p.X)
		set(fmt.Sprintf("p%d_y", i), p.Y)
	}
	for i, k := range v.Face.Connectors {
		set(fmt.Sprintf("c%d_pins", i), strings.Join(k.Pins, " "))
		set(fmt.Sprintf("c%d_rows", i), k.Rows)
		set(fmt.Sprintf("c%d_order", i), k.Order)
		set(fmt.Sprintf("c%d_key", i), k.Key)
		set(fmt.Sprintf("c%d_x", i), k.X)
		set(fmt.Sprintf("c%d_y", i), k.Y)
	}
}

// typedFace reads the face from the fields, in the shape of the one on record.
func typedFace(f *form, now face.Face) face.Face {
	out := face.Face{Upright: now.Upright}
	for i, p := range now.Points {
		if f.Get(fmt.Sprintf("p%d_off", i)) != "" {
			continue
		}
		p.Name, p.Kind = strings.TrimSpace(f.Get(fmt.Sprintf("p%d_name", i))), f.Get(fmt.Sprintf("p%d_kind", i))
		p.X, p.Y = f.num(fmt.Sprintf("p%d_x", i)), f.num(fmt.Sprintf("p%d_y", i))
		out.Points = append(out.Points, p)
	}
	for i, k := range now.Connectors {
		if f.Get(fmt.Sprintf("c%d_off", i)) != "" {
			continue
		}
		k.Pins = strings.Fields(f.Get(fmt.Sprintf("c%d_pins", i)))
		k.Rows = f.whole(fmt.Sprintf("c%d_rows", i), 1)
		k.Order, k.Key = f.Get(fmt.Sprintf("c%d_order", i)), f.Get(fmt.Sprintf("c%d_key", i))
		k.X, k.Y = f.num(fmt.Sprintf("c%d_x", i)), f.num(fmt.Sprintf("c%d_y", i))
		out.Connectors = append(out.Connectors, k)
	}
	return out
}

// saveFace keeps the face: as typed, with a connector or a post more, turned or flipped.
func (sv *Server) saveFace(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "face")
	if err != nil {
		return err
	}
	t, err := sv.s.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	placed := typedFace(f, types.FaceOf(t))
	switch f.Get("do") {
	case "connector":
		n, prefix := f.whole("new_pins", 0), strings.TrimSpace(f.Get("new_prefix"))
		if n < 1 || n > face.MaxPins {
			f.errs["new_pins"] = fmt.Sprintf("expected 1 to %d pins", face.MaxPins)
			break
		}
		placed.Connectors = append(placed.Connectors, face.Connector{Name: fmt.Sprintf("connector %s", prefix), Pins: face.Pins(prefix, n), Rows: f.whole("new_rows", 1), Order: f.Get("new_order"), Key: f.Get("new_key"), X: 50, Y: 72})
		if len(placed.Connectors) > 1 {
			placed.Connectors[len(placed.Connectors)-1].Y = 40
		}
	case "post":
		placed.Points = append(placed.Points, face.Point{Name: strings.TrimSpace(f.Get("new_post")), Kind: f.Get("new_kind"), X: 50, Y: 25})
	case "turn":
		placed = placed.Turned(1)
	case "flip":
		placed = placed.Flipped()
	}
	if !f.Bad() {
		_, err := sv.s.Types.SaveFace(c.Request().Context(), id, f.whole("version", 0), placed, f.Get("by"), f.once())
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/types/%d/face", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showFace(c, http.StatusUnprocessableEntity, id, f)
}
