package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"pandrel/core/module/look"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/types"

	"github.com/labstack/echo/v5"

	"pandrel/exchange"
	"pandrel/store"
)

// inspectView is the guided look.
type inspectView struct {
	Module store.Module
	Type   store.ModuleType
	Looks  []look.OfType
	Last   *measure.Isolated
	Form   *form
}

func (sv *Server) inspect(c *echo.Context) error {
	return sv.showInspect(c, http.StatusOK, blank("inspect", "by", who(c)))
}

func (sv *Server) showInspect(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	v := inspectView{Module: m, Type: t, Looks: types.LooksOf(t), Form: f}
	if _, v.Last, err = sv.s.Measure.LastChecks(ctx, m.ID); err != nil {
		return err
	}
	return sv.showAt(c, code, "inspect", "Look at "+m.Number, station.Inspect, v)
}

func (sv *Server) saveInspection(c *echo.Context) error {
	f, err := read(c, "inspect")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	in := receive.InspectInput{Number: number, Mended: f.Get("mended") != "", ThicknessMM: f.opt("thickness_mm", 0), Note: f.Get("note"), By: f.Get("by"), Token: f.once()}
	in.Nothing = f.Get("clear") != ""
	unanswered := 0
	_, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	// What is chosen counts whichever button was pressed: a sign is never dropped.
	for _, l := range types.LooksOf(t) {
		switch got := f.Get("look-" + l.Key); got {
		case "":
			if !l.Note.Skip && !in.Nothing {
				unanswered++
				f.errs["look-"+l.Key] = "not looked at yet"
			}
		case "fine":
		default:
			in.Signs = append(in.Signs, got)
		}
	}
	// One hard sign is enough to stop: the rest need not be looked at.
	if unanswered > 0 && !hardSign(in.Signs) {
		f.errs[""] = fmt.Sprintf("%d not looked at yet: they are marked. Nothing was saved.", unanswered)
	} else {
		for k := range f.errs {
			if strings.HasPrefix(k, "look-") {
				delete(f.errs, k)
			}
		}
	}
	if in.Pictures, err = uploads(c, f, "picture"); err != nil {
		return err
	}
	in.Token = f.once() // with the pictures in it
	if !f.Bad() {
		_, err := sv.s.Receive.RecordInspection(ctx, in)
		if err == nil || again(err) {
			return sv.goOn(c, f, station.Inspect, number)
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showInspect(c, http.StatusUnprocessableEntity, f)
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

// maxPictures is how many pictures one form takes.
const maxPictures = 6

// uploads reads uploaded files of a field. Too many or too large ones become the form's error.
func uploads(c *echo.Context, f *form, field string) ([][]byte, error) {
	mf, err := c.MultipartForm()
	if errors.Is(err, http.ErrNotMultipart) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	heads := mf.File[field]
	if len(heads) > maxPictures {
		f.errs[field] = fmt.Sprintf("%d pictures: expected at most %d at a time", len(heads), maxPictures)
		return nil, nil
	}
	var out [][]byte
	for _, h := range heads {
		if h.Size == 0 {
			continue
		}
		data, err := readFile(h)
		if err != nil {
			return nil, err
		}
		f.attach(field, data)
		out = append(out, data)
	}
	return out, nil
}

func readFile(h *multipart.FileHeader) ([]byte, error) {
	src, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	return io.ReadAll(io.LimitReader(src, exchange.MaxPictureBytes+1))
}

// picture sends a kept picture.
func (sv *Server) picture(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	p, data, err := sv.s.Record.PictureData(c.Request().Context(), id)
	if err != nil {
		return err
	}
	// A picture never changes under its number.
	c.Response().Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	c.Response().Header().Set("ETag", strconv.Quote(p.Sha256))
	return c.Blob(http.StatusOK, "image/jpeg", data)
}

// addPicture keeps a picture of a module: of itself, or of an instrument's screen to type from.
func (sv *Server) addPicture(c *echo.Context) error {
	f, err := read(c, "picture")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	kind := record.PictureModule
	if f.Get("kind") == record.PictureScreen {
		kind = record.PictureScreen
	}
	data, err := uploads(c, f, "picture")
	if err != nil {
		return err
	}
	if len(data) == 0 && !f.Bad() {
		f.errs["picture"] = "Choose or take a picture: JPEG, PNG or WebP."
	}
	var last store.Picture
	for i, d := range data {
		if f.Bad() {
			break
		}
		last, err = sv.s.Record.AddPicture(ctx, record.PictureInput{Kind: kind, Module: number, Caption: f.Get("caption"), Data: d, By: f.Get("by"), Token: fmt.Sprintf("%s-%d", f.once(), i)})
		if err != nil && !again(err) {
			if err := f.take(err); err != nil {
				return err
			}
		}
	}
	switch {
	case f.Bad() && kind == record.PictureScreen:
		sf := blank("survey", "by", who(c), "instrument", "photograph of a screen", "accuracy_mv", "4")
		sf.errs["picture"] = f.errs["picture"] + f.errs["caption"]
		return sv.showSurvey(c, http.StatusUnprocessableEntity, sf)
	case f.Bad():
		return sv.showModule(c, http.StatusUnprocessableEntity, number, f)
	case kind == record.PictureScreen && last.ID > 0:
		return saved(c, f, fmt.Sprintf("/modules/%s/survey?picture=%d", number, last.ID))
	}
	return saved(c, f, "/modules/"+number)
}

// looksView is where to look on a type.
type looksView struct {
	Type  store.ModuleType
	Looks []look.OfType
	Form  *form
}

func (sv *Server) looks(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showLooks(c, http.StatusOK, id, nil)
}

func (sv *Server) showLooks(c *echo.Context, code int, id int64, f *form) error {
	t, err := sv.s.Type(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := looksView{Type: t, Looks: types.LooksOf(t), Form: f}
	if f == nil {
		v.Form = blank("looks", "by", who(c), "version", strconv.Itoa(t.Version), "thickness_mm", known(t.ThicknessMM))
		for _, l := range v.Looks {
			v.Form.values.Set("where-"+l.Key, l.Where)
			if l.Note.Skip {
				v.Form.values.Set("skip-"+l.Key, "yes")
			}
		}
	}
	return sv.showAt(c, code, "looks", "Where to look on "+t.Name, station.Inspect, v)
}

func (sv *Server) saveLooks(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "looks")
	if err != nil {
		return err
	}
	notes := map[string]look.Note{}
	for _, l := range types.LooksOf(store.ModuleType{}) {
		notes[l.Key] = look.Note{Where: clip(strings.TrimSpace(f.Get("where-"+l.Key)), 200), Skip: f.Get("skip-"+l.Key) != ""}
	}
	mm := f.opt("thickness_mm", 0)
	if !f.Bad() {
		_, err := sv.s.Types.SaveLooks(c.Request().Context(), id, f.whole("version", 0), notes, mm, f.Get("by"), f.once())
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/types/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showLooks(c, http.StatusUnprocessableEntity, id, f)
}
