package types

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/mount"
	"pandrel/core/base/chem"
	"pandrel/core/base/station"
	"pandrel/core/module/layout"
	"pandrel/core/module/plate"
	"pandrel/draw"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

type typesView struct {
	Types []store.ModuleType
	Form  *frame.Form
}

func (sv *Room) types(c *echo.Context) error { return sv.showTypes(c, http.StatusOK, nil) }

func (sv *Room) showTypes(c *echo.Context, code int, f *frame.Form) error {
	ts, err := sv.Shop.Desk.Types(c.Request().Context())
	if err != nil {
		return err
	}
	if f == nil {
		f = frame.Asked(c, "type", "lot")
		f.Values.Set("by", frame.Who(c))
	}
	return sv.ShowAt(c, code, "types", "Module types", station.Receive, typesView{ts, f})
}

// typeView is a module type with its layout.
type typeView struct {
	Figures []string // how the results are distributed
	Type    store.ModuleType
	Layout  *layout.Map
	Ladder  string
	Strip   string
	From    *store.Layout
	Face    sketch.FaceView
	Opened  int // steps written down for opening it
	Own     *chem.Points
	Doubts  []plate.Doubt
	Ways    int // other ways to use it that are possible
	Form    *frame.Form

	Declare *frame.Form // of a layout that is seen, not mapped
	Size    *frame.Form
	On      []onward // the work that it is wanted for, the next first
}

// onward is work that a type is wanted for.
type onward struct{ Href, Says string }

// onwards are where the work goes on: to the map of one of its modules, else to the check and the survey of those that
// came with it.
func (sv *Room) onwards(ctx context.Context, t store.ModuleType) (out []onward, err error) {
	if t.LayoutID == nil {
		n, err := sv.Shop.Desk.First(ctx, station.Map, 0, t.ID)
		if err == nil && n != "" {
			out = append(out, onward{frame.ModulePath(n, "map"), "Map " + n})
		}
		return out, err
	}
	lots, err := sv.Shop.Desk.LotsOfType(ctx, t.ID, station.Survey)
	if err != nil {
		return nil, err
	}
	for _, l := range lots[:min(len(lots), mostLots)] {
		unlike, _, err := sv.Shop.Measure.ToCheck(ctx, l.LotID)
		if err != nil {
			return nil, err
		}
		unlike = slices.DeleteFunc(unlike, func(m store.Module) bool { return m.TypeID != t.ID })
		if len(unlike) > 0 {
			out = append(out, onward{fmt.Sprintf("/lots/%d/check", l.LotID), fmt.Sprintf("Check %d from %s against it",
				len(unlike), l.Supplier)})
		}
		if l.Waiting > 0 {
			out = append(out, onward{fmt.Sprintf("/lots/%d/survey", l.LotID),
				fmt.Sprintf("Survey %d from %s", l.Waiting, l.Supplier)})
		}
	}
	return out, nil
}

// mostLots are how many lots of a type are led to.
const mostLots = 3

func (sv *Room) typ(c *echo.Context, id int64) error {
	return sv.showType(c, http.StatusOK, id, nil)
}

func (sv *Room) showType(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	t, err := sv.Shop.Type(ctx, id)
	if err != nil {
		return err
	}
	v := typeView{Type: t, Doubts: measure.DoubtsOf(t)}
	m, ok, err := sv.Shop.Record.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if ok {
		v.Layout = &m
		v.Ladder = draw.MapLadder("Layout of "+t.Name, m).SVG()
		ls, err := sv.Shop.Desk.Layouts(ctx, id)
		if err != nil {
			return err
		}
		v.From = &ls[0]
	}
	if v.Strip, err = sv.Sketch.Strip(c, "type", id); err != nil {
		return err
	}
	v.Face = sv.Sketch.FaceBox(c, t, fmt.Sprintf("/types/%d", id), draw.FaceMarks{})
	_, steps, _, err := sv.Shop.Measure.TeardownOf(ctx, id)
	if err != nil {
		return err
	}
	v.Opened = len(steps)
	if v.Own, err = record.OwnCurve(t); err != nil {
		return err
	}
	vs, _, err := sv.Shop.Types.VariantsOf(ctx, t)
	if err != nil {
		return err
	}
	for i, x := range vs {
		if i > 0 && x.Possible {
			v.Ways++
		}
	}
	if v.Figures, err = sv.FigurePictures(ctx, "type_id", id); err != nil {
		return err
	}
	if v.On, err = sv.onwards(ctx, t); err != nil {
		return err
	}
	v.fill(c, f)
	return sv.ShowAt(c, code, "type", "Module type "+t.Name, station.Map, v)
}

// fill fills in the forms of the page; f is one of them that failed.
func (v *typeView) fill(c *echo.Context, f *frame.Form) {
	t := v.Type
	if v.Form = f; f == nil || f.Kind != "type" {
		v.Form = frame.Blank("type", "version", strconv.Itoa(t.Version), "name", t.Name, "chemistry",
			string(t.Chemistry), "rated_ah", frame.Rated(t.RatedAh, t.RatedWh), "plate_series",
			frame.Count(t.PlateSeries),
			"plate_volts", frame.Known(t.PlateVolts), "posts", t.Posts, "pins", t.Pins, "tabs_seen",
			frame.Known(float64(t.TabsSeen)), "cell_ah", frame.Known(t.CellAh), "module_kg", frame.Known(t.ModuleKg),
			"cell_kg", frame.Known(t.CellKg), "note", t.Note, "by", frame.Who(c), "discharge_a",
			frame.Known(t.DischargeA), "peak_a", frame.Known(t.PeakA), "charge_a", frame.Known(t.ChargeA),
			"charge_peak_a", frame.Known(t.ChargePeakA), "full_v", frame.Known(t.FullVolts), "switch_v",
			frame.Known(t.SwitchVolts), "closed", map[bool]string{true: "yes"}[t.Closed])
		if t.PostsJoined {
			v.Form.Values.Set("posts_joined", "yes")
		}
		if t.PointsInOrder {
			v.Form.Values.Set("in_order", "yes")
		}
	}
	if v.Size = f; f == nil || f.Kind != "size" {
		v.Size = frame.Blank("size", "version", strconv.Itoa(t.Version), "by", frame.Who(c), "width_mm",
			frame.Known(t.WidthMM), "depth_mm", frame.Known(t.DepthMM), "height_mm", frame.Known(t.HeightMM), "thread",
			t.Thread)
		if m, err := t.Mounted(); err == nil {
			for name, x := range map[string]float64{"thread_mm": m.ThreadMM, "hole_mm": m.HoleMM,
				"torque_nm": m.TorqueNm,
				"press_kn":  m.PressKN} {
				v.Size.Values.Set(name, frame.Known(x))
			}
			for name, x := range map[string]string{"post": m.Post, "metal": m.Metal, "cells": m.Cells, "held": m.Held} {
				v.Size.Values.Set(name, x)
			}
		}
	}
	v.Declare = frame.Blank("declare", "by", frame.Who(c), "version", strconv.Itoa(t.Version), "series",
		frame.Count(t.PlateSeries), "posts", t.Posts, "pins", t.Pins)
	if f != nil && f.Kind == "declare" {
		v.Declare = f
	}
}

// PostKinds are what a joint may go on.
func (typeView) PostKinds() []choice.Of { return choices(mount.Posts) }

// Metals are what a hole may be in.
func (typeView) Metals() []choice.Of { return choices(mount.Metals) }

// CellForms are how cells may be made.
func (typeView) CellForms() []choice.Of { return choices(mount.Forms) }

func choices(list [][2]string) (out []choice.Of) {
	for _, x := range list {
		out = append(out, choice.Of{Value: x[0], Text: x[1]})
	}
	return out
}

// saveSize keeps what a module of the type measures.
func (sv *Room) saveSize(c *echo.Context, id int64) error {
	return frame.Post(c, "size", func(f *frame.Form) (frame.Act, error) {
		in := types.SizeInput{Version: f.Whole("version", 0), WidthMM: f.Opt("width_mm", 0),
			DepthMM: f.Opt("depth_mm", 0), HeightMM: f.Opt("height_mm", 0), Thread: f.Get("thread"), Token: f.Once()}
		if f.Get("mount") != "" {
			in.Mount = &mount.Mount{Post: f.Get("post"), ThreadMM: f.Opt("thread_mm", 0), HoleMM: f.Opt("hole_mm", 0),
				Metal: f.Get("metal"), TorqueNm: f.Opt("torque_nm", 0), Cells: f.Get("cells"),
				PressKN: f.Opt("press_kn", 0), Held: strings.TrimSpace(f.Get("held"))}
		}
		where := fmt.Sprintf("/types/%d#plate", id)
		if bank := f.Whole("plan", 0); bank > 0 { // it was asked for where a bank is drawn
			where = fmt.Sprintf("/banks/%d/floor", bank)
		}
		return func() (string, error) {
			_, err := sv.Shop.Types.SaveSize(c.Request().Context(), id, in)
			return where, err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showType(c, code, id, f) })
}

func (sv *Room) saveType(c *echo.Context) error {
	id, err := frame.OptionalID(c)
	if err != nil {
		return err
	}
	return frame.Post(c, "type", func(f *frame.Form) (frame.Act, error) {
		ah, wh := f.Rating("rated_ah")
		in := types.TypeInput{Version: f.Whole("version", 0), Name: f.Get("name"), Chemistry: f.Get("chemistry"),
			RatedAh: ah, RatedWh: wh, PlateSeries: f.Whole("plate_series", 0), PlateVolts: f.Opt("plate_volts", 0),
			Posts: f.Get("posts"), Pins: f.Get("pins"), TabsSeen: f.Whole("tabs_seen", 0), CellAh: f.Opt("cell_ah", 0),
			ModuleKg: f.Opt("module_kg", 0), CellKg: f.Opt("cell_kg", 0), Note: f.Get("note"), Token: f.Once(),
			DischargeA: f.Opt("discharge_a", 0), PeakA: f.Opt("peak_a", 0), ChargeA: f.Opt("charge_a", 0),
			ChargePeakA: f.Opt("charge_peak_a", 0), FullVolts: f.Opt("full_v", 0), Closed: f.Get("closed") != "",
			SwitchVolts:   f.Opt("switch_v", 0),
			PointsInOrder: f.Get("in_order") != "", PostsJoined: f.Get("posts_joined") != "", Sure: f.Get("sure") != "",
			Reason: f.Get("reason"), Anew: f.Get("anew") != ""}
		in.ID = id
		return func() (string, error) {
			t, err := sv.Shop.Types.SaveType(c.Request().Context(), in)
			if lot := f.Whole("lot", 0); lot > 0 && t.ID > 0 { // back to where it was missing
				return fmt.Sprintf("/lots/%d?type=%d#add", lot, t.ID), err
			}
			return frame.Made("/types/", t.ID, "/types", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		if id > 0 {
			return sv.showType(c, code, id, f)
		}
		return sv.showTypes(c, code, f)
	})
}

// deleteType takes a type off the record that nothing is of.
func (sv *Room) deleteType(c *echo.Context, id int64) error {
	return frame.Post(c, "type", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return "/types", sv.Shop.Types.DeleteType(c.Request().Context(), id, f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showType(c, code, id, f) })
}

// declareLayout keeps a layout that somebody sees and says, with a reading or two that confirm it.
func (sv *Room) declareLayout(c *echo.Context, id int64) error {
	return frame.Post(c, "declare", func(f *frame.Form) (frame.Act, error) {
		in := types.DeclareInput{TypeID: id, Version: f.Whole("version", 0), Series: f.Whole("series", 0),
			Posts: f.Get("posts"), Pins: f.Get("pins"), Total: f.Maybe("total_v"), Middle: f.Maybe("middle_v"),
			Token: f.Once()}
		return func() (string, error) {
			_, err := sv.Shop.Types.DeclareLayout(c.Request().Context(), in)
			return fmt.Sprintf("/types/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showType(c, code, id, f) })
}
