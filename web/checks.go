package web

import (
	"fmt"
	"net/http"
	"slices"

	"pandrel/core/base/station"
	"pandrel/shop/desk"
	"pandrel/shop/measure"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/layout"
	"pandrel/draw"
	"pandrel/store"
)

// checkView is the quick check of a module against its type.
type checkView struct {
	Module store.Module
	Type   store.ModuleType
	Rows   []checkRow
	Form   *form
	Blind  string
}

type checkRow struct {
	layout.CheckPair
	Name, Value, Error string
}

func (sv *Server) check(c *echo.Context) error {
	return sv.showCheck(c, http.StatusOK, blank("check", "by", who(c)))
}

func (sv *Server) showCheck(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	plan, err := sv.s.Measure.CheckPlan(ctx, t)
	if err != nil {
		return err
	}
	v := checkView{Module: m, Type: t, Form: f, Blind: layout.CheckBlind}
	for i, p := range plan {
		name := fmt.Sprintf("c%d", i)
		v.Rows = append(v.Rows, checkRow{p, name, f.Get(name), f.errs[name]})
	}
	return sv.showAt(c, code, "check", "Check "+m.Number, station.Map, v)
}

func (sv *Server) saveCheck(c *echo.Context) error {
	f, err := read(c, "check")
	if err != nil {
		return err
	}
	ctx, number := c.Request().Context(), c.Param("number")
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	plan, err := sv.s.Measure.CheckPlan(ctx, t)
	if err != nil {
		return err
	}
	in := measure.CheckInput{Number: number, Volts: f.volts("c", 0, len(plan)), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		_, err := sv.s.Measure.RecordCheck(ctx, in)
		if err == nil || again(err) {
			return saved(c, f, "/modules/"+m.Number)
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showCheck(c, http.StatusUnprocessableEntity, f)
}

// isolationView is the measurement against the case.
type isolationView struct {
	Module store.Module
	Type   store.ModuleType
	Form   *form
	Ohms   float64 // the known resistor to use, and its watts
	Watts  float64
	Last   *measure.Isolated
}

func (sv *Server) isolation(c *echo.Context) error {
	return sv.showIsolation(c, http.StatusOK, blank("isolation", "by", who(c), "meter_mohm", "10"))
}

func (sv *Server) showIsolation(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	m, t, err := sv.moduleOf(c)
	if err != nil {
		return err
	}
	v := isolationView{Module: m, Type: t, Form: f}
	v.Ohms, v.Watts = layout.KnownResistor(max(t.PlateVolts, 1))
	if _, v.Last, err = sv.s.Measure.LastChecks(ctx, m.ID); err != nil {
		return err
	}
	return sv.showAt(c, code, "isolation", "Isolation of "+m.Number, station.Inspect, v)
}

func (sv *Server) saveIsolation(c *echo.Context) error {
	f, err := read(c, "isolation")
	if err != nil {
		return err
	}
	number := c.Param("number")
	in := measure.IsolationInput{Number: number, By: f.Get("by"), Token: f.once(), Readings: f.againstCase()}
	in.Readings.PackVolts, in.Readings.PositiveVolts, in.Readings.NegativeVolts = f.num("pack_v"), f.num("pos_v"), f.num("neg_v") // all three must be there
	if !f.Bad() {
		_, _, err := sv.s.Measure.RecordIsolation(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, "/modules/"+number)
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showIsolation(c, http.StatusUnprocessableEntity, f)
}

// againstCase reads a form's readings against the case; empty fields are zero.
func (f *form) againstCase() layout.CaseReadings {
	return layout.CaseReadings{PackVolts: f.opt("pack_v", 0), PositiveVolts: f.opt("pos_v", 0), NegativeVolts: f.opt("neg_v", 0), MeterOhms: f.opt("meter_mohm", 10) * 1e6, MeterAccuracyVolts: f.opt("accuracy_mv", 0) / 1000,
		WorkingVolts: f.opt("working_v", 0), KnownOhms: f.opt("known_ohm", 0), KnownVolts: f.opt("known_v", 0)}
}

// driftPicture draws the offsets of a module's surveys over time, "" for fewer than two.
func driftPicture(l desk.Life) string {
	var d draw.Drift
	for _, s := range slices.Backward(l.Surveys) {
		p := draw.DriftPoint{At: s.TakenAt}
		for _, g := range s.Result.Groups {
			if g.OffsetPct == nil {
				p.Offsets = nil
				break
			}
			p.Offsets = append(p.Offsets, *g.OffsetPct)
		}
		if p.Offsets != nil {
			d.Points = append(d.Points, p)
		}
	}
	if len(d.Points) < 2 {
		return ""
	}
	d.Title = "Offsets of " + l.Module.Number + " over its surveys"
	return d.SVG()
}
