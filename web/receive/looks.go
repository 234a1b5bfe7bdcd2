package receive

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/frame"
)

// inspectView is the guided look.
type inspectView struct {
	Module store.Module
	Type   store.ModuleType
	Looks  []look.OfType
	Last   *measure.Isolated
	Form   *frame.Form
}

func (sv *Room) inspect(c *echo.Context) error {
	return sv.showInspect(c, http.StatusOK, frame.Blank("inspect", "by", frame.Who(c)))
}

func (sv *Room) showInspect(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return err
	}
	v := inspectView{Module: m, Type: t, Looks: types.LooksOf(t), Form: f}
	if _, v.Last, err = sv.Shop.Measure.LastChecks(ctx, m.ID); err != nil {
		return err
	}
	return sv.ShowAt(c, code, "inspect", "Look at "+m.Number, station.Inspect, v)
}

func (sv *Room) saveInspection(c *echo.Context) error {
	return frame.Post(c, "inspect", func(f *frame.Form) (frame.Act, error) {
		ctx, number := c.Request().Context(), c.Param("number")
		in := receive.InspectInput{Number: number, Mended: f.Get("mended") != "",
			ThicknessMM: f.Opt("thickness_mm", 0), Note: f.Get("note"), Token: f.Once()}
		in.Nothing = f.Get("clear") != ""
		unanswered := 0
		_, t, err := sv.ModuleOf(c)
		if err != nil {
			return nil, err
		}
		// What is chosen counts whichever button was pressed: a sign is never dropped.
		for _, l := range types.LooksOf(t) {
			switch got := f.Get("look-" + l.Key); got {
			case "":
				if !l.Note.Skip && !in.Nothing {
					unanswered++
					f.Bads["look-"+l.Key] = "not looked at yet"
				}
			case "fine":
			default:
				in.Signs = append(in.Signs, got)
			}
		}
		// One hard sign is enough to stop: the rest need not be looked at.
		if unanswered > 0 && !hardSign(in.Signs) {
			f.Bads[""] = fmt.Sprintf("%d not looked at yet: they are marked. Nothing was saved.", unanswered)
		} else {
			for k := range f.Bads {
				if strings.HasPrefix(k, "look-") {
					delete(f.Bads, k)
				}
			}
		}
		if in.Pictures, err = frame.Uploads(c, f, "picture"); err != nil {
			return nil, err
		}
		in.Token = f.Once() // with the pictures in it
		return func() (string, error) {
			_, err := sv.Shop.Receive.RecordInspection(ctx, in)
			if err != nil && !frame.Again(err) {
				return "", err
			}
			where, failed := sv.GoOn(c, f, station.Inspect, number)
			// Of one that stands in a bank what is to be done comes before the next module.
			if m, at := sv.Shop.Module(c.Request().Context(), number); at == nil && m.Quarantined && m.BankID != nil {
				where = frame.ModulePath(number)
			}
			return frame.Next(where, failed, err)
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showInspect(c, code, f)
	})
}

// hardSign reports whether one of the signs sends a module away whatever else is fine.
func hardSign(words []string) bool {
	for _, w := range words {
		if look.Hard(w) {
			return true
		}
	}
	return false
}
