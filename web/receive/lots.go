package receive

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/working"
	"pandrel/store"
	"pandrel/web/frame"
)

// lotView is a lot with its modules; Add and Edit are its forms.
type lotView struct {
	Lot     store.Lot
	Rows    []record.Row
	Page    kernel.Page
	Types   []store.ModuleType
	Costs   window.LotCost
	Strip   string
	Worked  []frame.Worked
	Figures []string         // how the results are distributed
	Claim   *finding.Finding // the seller's claim against what was tested, nil while nothing can be said
	Cover   record.Coverage
	Add     *frame.Form
	Edit    *frame.Form
	Works   []lotStep // what can be done for the whole lot at once
}

// lotStep is work that the modules of a lot wait for together.
type lotStep struct{ Page, Href, Says string }

func (sv *Room) lot(c *echo.Context, id int64) error {
	return sv.showLot(c, http.StatusOK, id, nil, nil)
}

// showLot shows a lot.
func (sv *Room) showLot(c *echo.Context, code int, id int64, add, edit *frame.Form) error {
	ctx := c.Request().Context()
	lots, err := sv.Shop.Desk.Lots(ctx)
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
	if v.Rows, v.Page, err = sv.Shop.Record.InLotPage(ctx, id, frame.PageNo(c), record.PageSize); err != nil {
		return err
	}
	if v.Types, err = sv.Shop.Desk.Types(ctx); err != nil {
		return err
	}
	if v.Strip, err = sv.Sketch.Strip(c, "lot", id); err != nil {
		return err
	}
	if v.Figures, err = sv.FigurePictures(ctx, "lot_id", id); err != nil {
		return err
	}
	if v.Worked, err = sv.WorkedAt(ctx, working.From{Kind: "lot", ID: id}); err != nil {
		return err
	}
	if f, ok, err := sv.Shop.Desk.LotClaim(ctx, v.Lot); err != nil {
		return err
	} else if ok {
		v.Claim = &f
	}
	if v.Cover, err = sv.Shop.Record.LotCoverage(ctx, id); err != nil {
		return err
	}
	if v.Works, err = sv.works(ctx, id); err != nil {
		return err
	}
	if add == nil {
		v.Add = frame.Blank("modules", "count", "1", "by", frame.Who(c), "type", frame.Query(c, "type"))
	}
	if edit == nil {
		l := v.Lot
		v.Edit = frame.Blank("lot", "version", strconv.Itoa(l.Version), "supplier", l.Supplier, "arrived_on",
			l.ArrivedOn, "price", fmt.Sprint(l.Price), "freight", fmt.Sprint(l.Freight), "note", l.Note, "by",
			frame.Who(c),
			"pallets", frame.Count(l.Pallets), "pallet_freight", frame.Known(l.PalletFreight), "pallet_holds",
			frame.Count(l.PalletHolds), "claims", l.Claims, "claimed_soh_pct", frame.Known(l.ClaimedSohPct), "papers",
			map[bool]string{true: "yes"}[l.Papers], "claim_about", map[bool]string{true: "yes"}[l.ClaimAbout])
	}
	return sv.ShowAt(c, code, "lot", "Lot from "+v.Lot.Supplier, station.Receive, v)
}

func (sv *Room) saveLot(c *echo.Context) error {
	id, err := frame.OptionalID(c)
	if err != nil {
		return err
	}
	return frame.Post(c, "lot", func(f *frame.Form) (frame.Act, error) {
		in := receive.LotInput{Version: f.Whole("version", 0), Supplier: f.Get("supplier"),
			ArrivedOn: f.Get("arrived_on"), Price: f.Opt("price", 0), Freight: f.Opt("freight", 0), Note: f.Get("note"),
			Token: f.Once(), Pallets: f.Whole("pallets", 0), PalletFreight: f.Opt("pallet_freight", 0),
			PalletHolds: f.Whole("pallet_holds", 0), Claims: f.Get("claims"), Papers: f.Get("papers") != "",
			ClaimAbout: f.Get("claim_about") != "",
			ClaimedSoHPct: f.Opt("claimed_soh_pct",
				0)}
		in.ID = id
		return func() (string, error) {
			lot, err := sv.Shop.Receive.SaveLot(c.Request().Context(), in)
			return frame.Made("/lots/", lot.ID, "/station/receive", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		if id > 0 {
			return sv.showLot(c, code, id, nil, f)
		}
		return sv.showLots(c, code, f)
	})
}

func (sv *Room) addModules(c *echo.Context, id int64) error {
	return frame.Post(c, "modules", func(f *frame.Form) (frame.Act, error) {
		in := receive.ModulesInput{LotID: id, TypeID: int64(f.Whole("type", 0)), First: f.Get("first"),
			Count: f.Whole("count", 1), PlateAh: f.Opt("plate_ah", 0), PlateNote: f.Get("plate_note"),
			History: f.Get("history"), HistoryNote: f.Get("history_note"), Token: f.Once()}
		return func() (string, error) {
			_, err := sv.Shop.Receive.AddModules(c.Request().Context(), in)
			return fmt.Sprintf("/lots/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showLot(c, code, id, f, nil)
	})
}

// lotsPage is the lots as they came, with the form for a new one.
type lotsPage struct {
	Lots     []desk.LotRow
	Form     *frame.Form
	Currency string
}

func (sv *Room) lots(c *echo.Context) error { return sv.showLots(c, http.StatusOK, nil) }

// showLots shows the lots; f is a form that failed there.
func (sv *Room) showLots(c *echo.Context, code int, f *frame.Form) error {
	lots, err := sv.Shop.Desk.Lots(c.Request().Context())
	if err != nil {
		return err
	}
	if f == nil {
		f = frame.Blank("lot", "arrived_on", sv.Shop.Today(), "by", frame.Who(c))
	}
	return sv.ShowAt(c, code, "receive", station.Receive.Name(), station.Receive,
		lotsPage{lots, f, sv.Shop.Policy.Currency})
}

// deleteLot takes an empty lot off the record.
func (sv *Room) deleteLot(c *echo.Context, id int64) error {
	return frame.Post(c, "lot", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return "/station/receive", sv.Shop.Undo.DeleteLot(c.Request().Context(), id, f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLot(c, code, id, nil, f) })
}
