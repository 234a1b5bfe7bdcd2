package module

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/shop/record"
	"pandrel/web/frame"
)

// picture sends a kept picture.
func (sv *Room) picture(c *echo.Context, id int64) error {
	p, data, err := sv.Shop.Record.PictureData(c.Request().Context(), id)
	if err != nil {
		return err
	}
	// A picture never changes under its number.
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	c.Response().Header().Set("ETag", strconv.Quote(p.Sha256))
	return c.Blob(http.StatusOK, "image/jpeg", data)
}

// addPicture keeps a picture of a module: of itself, or of an instrument's screen to type from.
func (sv *Room) addPicture(c *echo.Context) error {
	number := c.Param("number")
	kind := record.PictureModule
	return frame.Post(c, "picture", func(f *frame.Form) (frame.Act, error) {
		if f.Get("kind") == record.PictureScreen {
			kind = record.PictureScreen
		}
		in := record.PictureInput{Kind: kind, Module: number, Caption: f.Get("caption")}
		keep, err := sv.KeepPictures(c, f, "picture", in)
		return func() (string, error) {
			last, err := keep()
			if kind == record.PictureScreen && last.ID > 0 {
				return fmt.Sprintf("/modules/%s/survey?picture=%d", number, last.ID), err
			}
			return frame.ModulePath(number), err
		}, err
	}, func(code int, f *frame.Form) error {
		if kind != record.PictureScreen {
			return sv.showModule(c, code, number, f)
		}
		sf := frame.Blank("survey", "by", frame.Who(c), "instrument", "photograph of a screen", "accuracy_mv", "4")
		sf.Bads["picture"] = f.Bads["picture"] + f.Bads["caption"]
		return sv.Measure.ShowSurvey(c, code, sf)
	})
}
