package web

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank"
	"pandrel/core/layout"
	"pandrel/draw"
	"pandrel/shop"
	"pandrel/store"
)

// lotView is a lot with its modules; Add and Edit are its forms.
type lotView struct {
	Lot   store.Lot
	Rows  []shop.Row
	Types []store.ModuleType
	Costs bank.LotCost
	Strip string
	Add   *form
	Edit  *form
}

func (sv *Server) lot(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showLot(c, http.StatusOK, id, nil, nil)
}

func (sv *Server) showLot(c *echo.Context, code int, id int64, add, edit *form) error {
	ctx := c.Request().Context()
	lots, err := sv.s.Lots(ctx)
	if err != nil {
		return err
	}
	v := lotView{Add: add, Edit: edit}
	found := false
	for _, l := range lots {
		if l.ID == id {
			v.Lot, v.Costs, found = l.Lot, l.Costs, true
		}
	}
	if !found {
		return &shop.NotFound{What: fmt.Sprintf("lot %d", id)}
	}
	if v.Rows, err = sv.s.InLot(ctx, id); err != nil {
		return err
	}
	if v.Types, err = sv.s.Types(ctx); err != nil {
		return err
	}
	if v.Strip, err = sv.strip(c, "lot", id, "Newest survey of every module of this lot"); err != nil {
		return err
	}
	if add == nil {
		v.Add = blank("modules", "count", "1", "by", who(c))
	}
	if edit == nil {
		l := v.Lot
		v.Edit = blank("lot", "version", strconv.Itoa(l.Version), "supplier", l.Supplier, "arrived_on", l.ArrivedOn, "price", fmt.Sprint(l.Price), "freight", fmt.Sprint(l.Freight), "note", l.Note, "by", who(c))
	}
	return sv.showAt(c, code, "lot", "Lot from "+v.Lot.Supplier, shop.Receive, v)
}

// strip draws the newest surveys of a lot, type or bank, "" where there are none.
func (sv *Server) strip(c *echo.Context, where string, id int64, title string) (string, error) {
	volts, verdicts, order, err := sv.s.Strip(c.Request().Context(), where, id)
	if err != nil || len(order) == 0 {
		return "", err
	}
	var mods []draw.StripModule
	for _, n := range order {
		mods = append(mods, draw.StripModule{Name: n, Volts: volts[n], Verdict: verdicts[n]})
	}
	return draw.Strip(title, mods), nil
}

func (sv *Server) saveLot(c *echo.Context) error {
	f, err := read(c, "lot")
	if err != nil {
		return err
	}
	in := shop.LotInput{Version: f.whole("version", 0), Supplier: f.get("supplier"), ArrivedOn: f.get("arrived_on"), Price: f.opt("price", 0), Freight: f.opt("freight", 0), Note: f.get("note"), By: f.get("by"), Token: f.Token()}
	if c.Param("id") != "" {
		if in.ID, err = idParam(c); err != nil {
			return err
		}
	}
	if !f.Bad() {
		lot, err := sv.s.SaveLot(c.Request().Context(), in)
		if err == nil {
			return saved(c, f, fmt.Sprintf("/lots/%d", lot.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/station/receive")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	if in.ID > 0 {
		return sv.showLot(c, http.StatusUnprocessableEntity, in.ID, nil, f)
	}
	return sv.showStation(c, http.StatusUnprocessableEntity, shop.Receive, f)
}

func (sv *Server) addModules(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "modules")
	if err != nil {
		return err
	}
	in := shop.ModulesInput{LotID: id, TypeID: int64(f.whole("type", 0)), First: f.get("first"), Count: f.whole("count", 1), PlateAh: f.opt("plate_ah", 0), PlateNote: f.get("plate_note"), FloodOrRecall: f.get("flood") != "", By: f.get("by"), Token: f.Token()}
	if !f.Bad() {
		_, err := sv.s.AddModules(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/lots/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showLot(c, http.StatusUnprocessableEntity, id, f, nil)
}

type typesView struct {
	Types []store.ModuleType
	Form  *form
}

func (sv *Server) types(c *echo.Context) error { return sv.showTypes(c, http.StatusOK, nil) }

func (sv *Server) showTypes(c *echo.Context, code int, f *form) error {
	ts, err := sv.s.Types(c.Request().Context())
	if err != nil {
		return err
	}
	if f == nil {
		f = blank("type", "by", who(c))
	}
	return sv.showAt(c, code, "types", "Module types", shop.Receive, typesView{ts, f})
}

// typeView is a module type with its layout.
type typeView struct {
	Type   store.ModuleType
	Layout *layout.Map
	Ladder string
	Strip  string
	From   *store.Layout
	Form   *form
}

func (sv *Server) typ(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showType(c, http.StatusOK, id, nil)
}

func (sv *Server) showType(c *echo.Context, code int, id int64, f *form) error {
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, id)
	if err != nil {
		return err
	}
	v := typeView{Type: t, Form: f}
	m, ok, err := sv.s.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if ok {
		v.Layout = &m
		v.Ladder = mapLadder("Layout of "+t.Name, m).SVG()
		ls, err := sv.s.Layouts(ctx, id)
		if err != nil {
			return err
		}
		v.From = &ls[0]
	}
	if v.Strip, err = sv.strip(c, "type", id, "Newest survey of every "+t.Name); err != nil {
		return err
	}
	if f == nil {
		v.Form = blank("type", "version", strconv.Itoa(t.Version), "name", t.Name, "chemistry", t.Chemistry, "rated_ah", fmt.Sprint(t.RatedAh), "plate_series", strconv.Itoa(t.PlateSeries), "plate_volts", fmt.Sprint(t.PlateVolts),
			"posts", t.Posts, "pins", t.Pins, "tabs_seen", known(float64(t.TabsSeen)), "cell_ah", known(t.CellAh), "module_kg", known(t.ModuleKg), "cell_kg", known(t.CellKg), "note", t.Note, "by", who(c))
	}
	return sv.showAt(c, code, "type", "Module type "+t.Name, shop.Map, v)
}

// known writes a value for a form, empty where it is not known.
func known(v float64) string {
	if v == 0 {
		return ""
	}
	return fmt.Sprint(v)
}

func (sv *Server) saveType(c *echo.Context) error {
	f, err := read(c, "type")
	if err != nil {
		return err
	}
	in := shop.TypeInput{Version: f.whole("version", 0), Name: f.get("name"), Chemistry: f.get("chemistry"), RatedAh: f.num("rated_ah"), PlateSeries: f.whole("plate_series", 0), PlateVolts: f.opt("plate_volts", 0),
		Posts: f.get("posts"), Pins: f.get("pins"), TabsSeen: f.whole("tabs_seen", 0), CellAh: f.opt("cell_ah", 0), ModuleKg: f.opt("module_kg", 0), CellKg: f.opt("cell_kg", 0), Note: f.get("note"), By: f.get("by"), Token: f.Token()}
	if c.Param("id") != "" {
		if in.ID, err = idParam(c); err != nil {
			return err
		}
	}
	if !f.Bad() {
		t, err := sv.s.SaveType(c.Request().Context(), in)
		if err == nil {
			return saved(c, f, fmt.Sprintf("/types/%d", t.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/types")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	if in.ID > 0 {
		return sv.showType(c, http.StatusUnprocessableEntity, in.ID, f)
	}
	return sv.showTypes(c, http.StatusUnprocessableEntity, f)
}
