package types

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/frame"
)

// looksView is where to look on a type.
type looksView struct {
	Type  store.ModuleType
	Looks []look.OfType
	Form  *frame.Form
}

func (sv *Room) looks(c *echo.Context, id int64) error {
	return sv.showLooks(c, http.StatusOK, id, nil)
}

func (sv *Room) showLooks(c *echo.Context, code int, id int64, f *frame.Form) error {
	t, err := sv.Shop.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := looksView{Type: t, Looks: types.LooksOf(t), Form: f}
	if f == nil {
		v.Form = frame.Blank("looks", "by", frame.Who(c), "version", strconv.Itoa(t.Version), "thickness_mm",
			frame.Known(t.ThicknessMM))
		for _, l := range v.Looks {
			v.Form.Values.Set("where-"+l.Key, l.Where)
			if l.Note.Skip {
				v.Form.Values.Set("skip-"+l.Key, "yes")
			}
		}
	}
	return sv.ShowAt(c, code, "looks", "Where to look on "+t.Name, station.Inspect, v)
}

func (sv *Room) saveLooks(c *echo.Context, id int64) error {
	return frame.Post(c, "looks", func(f *frame.Form) (frame.Act, error) {
		notes := map[string]look.Note{}
		for _, l := range types.LooksOf(store.ModuleType{}) {
			notes[l.Key] = look.Note{Where: frame.Clip(strings.TrimSpace(f.Get("where-"+l.Key)), 200),
				Skip: f.Get("skip-"+l.Key) != ""}
		}
		mm := f.Opt("thickness_mm", 0)
		return func() (string, error) {
			_, err := sv.Shop.Types.SaveLooks(c.Request().Context(), id, types.LooksInput{Version: f.Whole("version",
				0), Notes: notes, ThicknessMM: mm, Token: f.Once()})
			return fmt.Sprintf("/types/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showLooks(c, code, id, f)
	})
}
