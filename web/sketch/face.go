package sketch

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/face"
	"pandrel/draw"
	"pandrel/store"
	"pandrel/web/frame"
)

// FaceView is a face as it lies now, with the ways to turn and flip it.
type FaceView struct {
	SVG              string
	TurnHref, FlipTo string
}

// lie is how a type's modules lie on this bench: quarters of a turn, and whether on the other side.
type lie struct {
	turn int
	flip bool
}

func lieOf(c *echo.Context, typeID int64) lie {
	return ParseLie(frame.Cookie(c, fmt.Sprintf("pandrel_lie_%d", typeID)))
}

func ParseLie(s string) lie {
	t, flip, _ := strings.Cut(s, "f")
	n, err := strconv.Atoi(t)
	if err != nil || n < 0 || n > 3 {
		n = 0
	}
	return lie{n, flip == "1"}
}

// Lying returns a type's face as it lies on this bench.
func (sv *Room) Lying(c *echo.Context, t store.ModuleType) face.Face {
	return lieOf(c, t.ID).of(t.Lies())
}

// FaceBox draws a type's face as it lies, with marks; back is the page to come back to.
func (sv *Room) FaceBox(c *echo.Context, t store.ModuleType, back string, m draw.FaceMarks) FaceView {
	return FaceAs(t, lieOf(c, t.ID), back, m)
}

func FaceAs(t store.ModuleType, l lie, back string, m draw.FaceMarks) FaceView {
	href := func(to lie) string {
		return fmt.Sprintf("/types/%d/lie?as=%s&back=%s", t.ID, to, url.QueryEscape(back))
	}
	return FaceView{SVG: draw.Face("Face of "+t.Name, l.of(t.Lies()), m),
		TurnHref: href(lie{(l.turn + 1) % 4, l.flip}), FlipTo: href(lie{l.turn, !l.flip})}
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
