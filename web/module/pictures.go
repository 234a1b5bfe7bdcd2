package module

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// picture sends a kept picture.
func (sv *Room) picture(c *echo.Context) error {
	id, err := frame.IdParam(c)
	if err != nil {
		return err
	}
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
	f, err := frame.Read(c, "picture")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	kind := record.PictureModule
	if f.Get("kind") == record.PictureScreen {
		kind = record.PictureScreen
	}
	data, err := frame.Uploads(c, f, "picture")
	if err != nil {
		return err
	}
	if len(data) == 0 && !f.Bad() {
		f.Bads["picture"] = "Choose or take a picture: JPEG, PNG or WebP."
	}
	var last store.Picture
	for i, d := range data {
		if f.Bad() {
			break
		}
		last, err = sv.Shop.Record.AddPicture(ctx, record.PictureInput{Kind: kind, Module: number, Caption: f.Get("caption"), Data: d, By: f.Get("by"), Token: fmt.Sprintf("%s-%d", f.Once(), i)})
		if err != nil && !frame.Again(err) {
			if err := f.Take(err); err != nil {
				return err
			}
		}
	}
	switch {
	case f.Bad() && kind == record.PictureScreen:
		sf := frame.Blank("survey", "by", frame.Who(c), "instrument", "photograph of a screen", "accuracy_mv", "4")
		sf.Bads["picture"] = f.Bads["picture"] + f.Bads["caption"]
		return sv.Measure.ShowSurvey(c, http.StatusUnprocessableEntity, sf)
	case f.Bad():
		return sv.showModule(c, http.StatusUnprocessableEntity, number, f)
	case kind == record.PictureScreen && last.ID > 0:
		return frame.Saved(c, f, fmt.Sprintf("/modules/%s/survey?picture=%d", number, last.ID))
	}
	return frame.Saved(c, f, "/modules/"+number)
}
