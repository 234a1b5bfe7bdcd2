package web

import (
	"fmt"
	"net/http"
	"pandrel/core/base/chem"
	"strconv"

	"pandrel/core/base/station"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/types"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/draw"
	"pandrel/store"
)

// lotView is a lot with its modules; Add and Edit are its forms.
type lotView struct {
	Lot   store.Lot
	Rows  []record.Row
	Types []store.ModuleType
	Costs window.LotCost
	Strip string
	Claim *finding.Finding // the seller's claim against what was tested, nil while nothing can be said
	Cover record.Coverage
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
	lots, err := sv.s.Desk.Lots(ctx)
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
		return &kernel.NotFound{What: fmt.Sprintf("lot %d", id)}
	}
	if v.Rows, err = sv.s.Record.InLot(ctx, id); err != nil {
		return err
	}
	if v.Types, err = sv.s.Desk.Types(ctx); err != nil {
		return err
	}
	if v.Strip, err = sv.strip(c, "lot", id); err != nil {
		return err
	}
	if f, ok, err := sv.s.Desk.LotClaim(ctx, v.Lot); err != nil {
		return err
	} else if ok {
		v.Claim = &f
	}
	if v.Cover, err = sv.s.Record.LotCoverage(ctx, id); err != nil {
		return err
	}
	if add == nil {
		v.Add = blank("modules", "count", "1", "by", who(c))
	}
	if edit == nil {
		l := v.Lot
		v.Edit = blank("lot", "version", strconv.Itoa(l.Version), "supplier", l.Supplier, "arrived_on", l.ArrivedOn, "price", fmt.Sprint(l.Price), "freight", fmt.Sprint(l.Freight), "note", l.Note, "by", who(c),
			"pallets", count(l.Pallets), "pallet_freight", known(l.PalletFreight), "pallet_holds", count(l.PalletHolds), "claims", l.Claims, "claimed_soh_pct", known(l.ClaimedSohPct))
	}
	return sv.showAt(c, code, "lot", "Lot from "+v.Lot.Supplier, station.Receive, v)
}

func (sv *Server) saveLot(c *echo.Context) error {
	f, err := read(c, "lot")
	if err != nil {
		return err
	}
	in := receive.LotInput{Version: f.whole("version", 0), Supplier: f.Get("supplier"), ArrivedOn: f.Get("arrived_on"), Price: f.opt("price", 0), Freight: f.opt("freight", 0), Note: f.Get("note"), By: f.Get("by"), Token: f.once(),
		Pallets: f.whole("pallets", 0), PalletFreight: f.opt("pallet_freight", 0), PalletHolds: f.whole("pallet_holds", 0), Claims: f.Get("claims"), ClaimedSoHPct: f.opt("claimed_soh_pct", 0)}
	if c.Param("id") != "" {
		if in.ID, err = idParam(c); err != nil {
			return err
		}
	}
	if !f.Bad() {
		lot, err := sv.s.Receive.SaveLot(c.Request().Context(), in)
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
	return sv.showLots(c, http.StatusUnprocessableEntity, f)
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
	in := receive.ModulesInput{LotID: id, TypeID: int64(f.whole("type", 0)), First: f.Get("first"), Count: f.whole("count", 1), PlateAh: f.opt("plate_ah", 0), PlateNote: f.Get("plate_note"), History: f.Get("history"), HistoryNote: f.Get("history_note"), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		_, err := sv.s.Receive.AddModules(c.Request().Context(), in)
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
	ts, err := sv.s.Desk.Types(c.Request().Context())
	if err != nil {
		return err
	}
	if f == nil {
		f = blank("type", "by", who(c))
	}
	return sv.showAt(c, code, "types", "Module types", station.Receive, typesView{ts, f})
}

// typeView is a module type with its layout.
type typeView struct {
	Type   store.ModuleType
	Layout *layout.Map
	Ladder string
	Strip  string
	From   *store.Layout
	Face   faceView
	Opened int // steps written down for opening it
	Own    *chem.Points
	Doubts []layout.Doubt
	Ways   int // other ways to use it that are possible
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
	v := typeView{Type: t, Form: f, Doubts: measure.DoubtsOf(t)}
	m, ok, err := sv.s.Record.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if ok {
		v.Layout = &m
		v.Ladder = draw.MapLadder("Layout of "+t.Name, m).SVG()
		ls, err := sv.s.Desk.Layouts(ctx, id)
		if err != nil {
			return err
		}
		v.From = &ls[0]
	}
	if v.Strip, err = sv.strip(c, "type", id); err != nil {
		return err
	}
	v.Face = sv.faceBox(c, t, fmt.Sprintf("/types/%d", id), draw.FaceMarks{})
	_, steps, _, err := sv.s.Measure.TeardownOf(ctx, id)
	if err != nil {
		return err
	}
	v.Opened = len(steps)
	if v.Own, err = record.OwnCurve(t); err != nil {
		return err
	}
	vs, _, err := sv.s.Types.VariantsOf(ctx, t)
	if err != nil {
		return err
	}
	for i, x := range vs {
		if i > 0 && x.Possible {
			v.Ways++
		}
	}
	if f == nil {
		v.Form = blank("type", "version", strconv.Itoa(t.Version), "name", t.Name, "chemistry", string(t.Chemistry), "rated_ah", fmt.Sprint(t.RatedAh), "plate_series", strconv.Itoa(t.PlateSeries), "plate_volts", fmt.Sprint(t.PlateVolts),
			"posts", t.Posts, "pins", t.Pins, "tabs_seen", known(float64(t.TabsSeen)), "cell_ah", known(t.CellAh), "module_kg", known(t.ModuleKg), "cell_kg", known(t.CellKg), "note", t.Note, "by", who(c),
			"discharge_a", known(t.DischargeA), "peak_a", known(t.PeakA), "charge_a", known(t.ChargeA), "charge_peak_a", known(t.ChargePeakA), "full_v", known(t.FullVolts))
		if t.PointsInOrder {
			v.Form.values.Set("in_order", "yes")
		}
	}
	return sv.showAt(c, code, "type", "Module type "+t.Name, station.Map, v)
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
	in := types.TypeInput{Version: f.whole("version", 0), Name: f.Get("name"), Chemistry: f.Get("chemistry"), RatedAh: f.num("rated_ah"), PlateSeries: f.whole("plate_series", 0), PlateVolts: f.opt("plate_volts", 0),
		Posts: f.Get("posts"), Pins: f.Get("pins"), TabsSeen: f.whole("tabs_seen", 0), CellAh: f.opt("cell_ah", 0), ModuleKg: f.opt("module_kg", 0), CellKg: f.opt("cell_kg", 0), Note: f.Get("note"), By: f.Get("by"), Token: f.once(),
		DischargeA: f.opt("discharge_a", 0), PeakA: f.opt("peak_a", 0), ChargeA: f.opt("charge_a", 0), ChargePeakA: f.opt("charge_peak_a", 0), FullVolts: f.opt("full_v", 0), PointsInOrder: f.Get("in_order") != "", Sure: f.Get("sure") != "", Reason: f.Get("reason")}
	if c.Param("id") != "" {
		if in.ID, err = idParam(c); err != nil {
			return err
		}
	}
	if !f.Bad() {
		t, err := sv.s.Types.SaveType(c.Request().Context(), in)
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

// lotsPage is the lots as they came, with the form for a new one.
type lotsPage struct {
	Lots     []desk.LotRow
	Form     *form
	Currency string
}

func (sv *Server) lots(c *echo.Context) error { return sv.showLots(c, http.StatusOK, nil) }

// showLots shows the lots; f is a form that failed there.
func (sv *Server) showLots(c *echo.Context, code int, f *form) error {
	lots, err := sv.s.Desk.Lots(c.Request().Context())
	if err != nil {
		return err
	}
	if f == nil {
		f = blank("lot", "arrived_on", sv.s.Now().Format("2006-01-02"), "by", who(c))
	}
	return sv.showAt(c, code, "receive", station.Receive.Name(), station.Receive, lotsPage{lots, f, sv.s.Policy.Currency})
}
