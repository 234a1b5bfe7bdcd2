package types

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/face"
	"pandrel/draw"
	"pandrel/store"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// turnFace keeps in this browser how the modules of a type lie, and shows the face so.
func (sv *Room) turnFace(c *echo.Context, id int64) error {
	t, err := sv.Shop.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	l := sketch.ParseLie(frame.Query(c, "as"))
	c.SetCookie(&http.Cookie{Name: fmt.Sprintf("pandrel_lie_%d", id), Value: l.String(), Path: "/",
		MaxAge: 365 * 86400, SameSite: http.SameSiteStrictMode, HttpOnly: true})
	back := frame.Query(c, "back")
	if !strings.HasPrefix(back, "/") || strings.HasPrefix(back, "//") || strings.ContainsAny(back, "\\\r\n") {
		back = fmt.Sprintf("/types/%d", id) // only pages of this workshop
	}
	if !frame.ForPart(c) {
		return c.Redirect(http.StatusSeeOther, back)
	}
	return c.Render(http.StatusOK, "face#facebox",
		sketch.FaceAs(t, l, back, draw.FaceMarks{Case: strings.HasSuffix(back, "/map")}))
}

// faceEditView is the face editor.
type faceEditView struct {
	Type store.ModuleType
	Face face.Face
	SVG  string
	Form *frame.Form
}

func (sv *Room) face(c *echo.Context, id int64) error {
	return sv.showFace(c, http.StatusOK, id, nil)
}

func (sv *Room) showFace(c *echo.Context, code int, id int64, f *frame.Form) error {
	t, err := sv.Shop.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := faceEditView{Type: t, Face: t.Lies(), Form: f}
	if f == nil {
		v.Form = frame.Blank("face", append(proposed(v.Face), "by", frame.Who(c), "version",
			strconv.Itoa(t.Version))...)
		v.fill()
	}
	v.SVG = draw.Face("Face of "+t.Name, v.Face, draw.FaceMarks{})
	return sv.ShowAt(c, code, "face", "Face of "+t.Name, station.Map, v)
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

// proposed is what the fields of a new connector begin with.
func proposed(f face.Face) []string {
	return []string{"new_pins", "26", "new_prefix", nextPrefix(f), "new_rows", "2"}
}

// typedConnector reports whether somebody typed into the fields of a new connector, whatever was pressed then.
func typedConnector(f *frame.Form, now face.Face) bool {
	p := proposed(now)
	for i := 0; i < len(p); i += 2 {
		if x := strings.TrimSpace(f.Get(p[i])); x != "" && x != p[i+1] {
			return true
		}
	}
	return false
}

// fill writes a face into the fields of its form.
func (v *faceEditView) fill() {
	set := func(name string, value any) { v.Form.Values.Set(name, fmt.Sprint(value)) }
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
func typedFace(f *frame.Form, now face.Face) face.Face {
	out := face.Face{Upright: now.Upright}
	for i, p := range now.Points {
		if f.Get(fmt.Sprintf("p%d_off", i)) != "" {
			continue
		}
		p.Name, p.Kind = strings.TrimSpace(f.Get(fmt.Sprintf("p%d_name", i))), f.Get(fmt.Sprintf("p%d_kind", i))
		p.X, p.Y = f.Num(fmt.Sprintf("p%d_x", i)), f.Num(fmt.Sprintf("p%d_y", i))
		out.Points = append(out.Points, p)
	}
	for i, k := range now.Connectors {
		if f.Get(fmt.Sprintf("c%d_off", i)) != "" {
			continue
		}
		k.Pins = strings.Fields(f.Get(fmt.Sprintf("c%d_pins", i)))
		k.Rows = f.Whole(fmt.Sprintf("c%d_rows", i), 1)
		k.Order, k.Key = f.Get(fmt.Sprintf("c%d_order", i)), f.Get(fmt.Sprintf("c%d_key", i))
		k.X, k.Y = f.Num(fmt.Sprintf("c%d_x", i)), f.Num(fmt.Sprintf("c%d_y", i))
		out.Connectors = append(out.Connectors, k)
	}
	return out
}

// saveFace keeps the face: as typed, with a connector or a post more, turned or flipped.
func (sv *Room) saveFace(c *echo.Context, id int64) error {
	return frame.Post(c, "face", func(f *frame.Form) (frame.Act, error) {
		t, err := sv.Shop.Type(c.Request().Context(), id)
		if err != nil {
			return nil, err
		}
		now := t.Lies()
		placed := typedFace(f, now)
		if f.Get("do") == "connector" || typedConnector(f, now) {
			n, prefix := f.Whole("new_pins", 0), strings.TrimSpace(f.Get("new_prefix"))
			if n < 1 || n > face.MaxPins {
				f.Bads["new_pins"] = cmp.Or(f.Bads["new_pins"], fmt.Sprintf("expected 1 to %d pins", face.MaxPins))
				n = 1
			}
			placed.Connectors = append(placed.Connectors, face.Connector{Name: fmt.Sprintf("connector %s", prefix),
				Pins: face.Pins(prefix, n), Rows: f.Whole("new_rows", 1), Order: f.Get("new_order"),
				Key: f.Get("new_key"), X: 50, Y: 72})
			if len(placed.Connectors) > 1 {
				placed.Connectors[len(placed.Connectors)-1].Y = 40
			}
		}
		if f.Get("do") == "post" || strings.TrimSpace(f.Get("new_post")) != "" {
			placed.Points = append(placed.Points, face.Point{Name: strings.TrimSpace(f.Get("new_post")),
				Kind: f.Get("new_kind"), X: 50, Y: 25})
		}
		switch f.Get("do") {
		case "turn":
			placed = placed.Turned(1)
		case "flip":
			placed = placed.Flipped()
		}
		return func() (string, error) {
			_, err := sv.Shop.Types.SaveFace(c.Request().Context(), id, f.Whole("version", 0), placed, f.Once())
			return fmt.Sprintf("/types/%d/face", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showFace(c, code, id, f)
	})
}
