package test

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chart"
	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/bench"
	"pandrel/shop/kernel"
	"pandrel/store"
	"pandrel/web/frame"
)

// conditionView is the plan of slow cycles for a module, with what those so far came to.
type conditionView struct {
	bench.Conditioning
	Module  store.Module
	Form    *frame.Form
	Says    string
	Level   string
	Picture string
}

func (sv *Room) conditioning(c *echo.Context) error {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return err
	}
	f := frame.Asked(c, "condition", "stored", "cycles", "low_v", "high_v")
	v := conditionView{Module: m, Form: f}
	code := http.StatusOK
	v.Conditioning, err = sv.Shop.Bench.Conditioning(ctx, m, t, bench.ConditionWish{StoredMonths: f.Maybe("stored"),
		Cycles: f.Whole("cycles", 0), LowV: f.Opt("low_v", 0), HighV: f.Opt("high_v", 0)})
	var inv *kernel.Invalid
	if errors.As(err, &inv) {
		_ = f.Take(err)
		err, code = nil, http.StatusUnprocessableEntity
	}
	if err != nil {
		return err
	}
	if f.Bad() {
		code = http.StatusUnprocessableEntity
	}
	v.say()
	ch := chart.Chart{Title: "What each complete cycle gave", X: "cycle", Y: "Ah", Curves: []chart.Curve{{Name: "Ah"}}}
	for i, ah := range v.Growth.PerCycle {
		ch.Curves[0].Points = append(ch.Curves[0].Points, [2]float64{float64(i + 1), ah})
	}
	if len(v.Growth.PerCycle) > 1 {
		v.Picture = draw.Chart(ch)
	}
	return sv.ShowAt(c, code, "condition", "Conditioning "+m.Number, station.Test, v)
}

func (v *conditionView) say() {
	g := v.Growth
	switch {
	case v.NoPlan != "" && g.Cycles == 0:
		v.Says, v.Level = "No plan: "+v.NoPlan, "stop"
	case len(g.Findings) > 0:
		v.Says, v.Level = g.Findings[0].Text+" "+g.Findings[0].Do, g.Findings[0].Level.String()
		if g.Settled {
			v.Level = "ok"
		}
	case len(v.Plan.Cycles) > 0:
		v.Says, v.Level = fmt.Sprintf("%d cycles in %.1f days, %.1f kWh from the wall. %s", len(v.Plan.Cycles),
			v.Plan.Days, v.Plan.WallKWh, v.Plan.Why), "ready"
	default:
		v.Says, v.Level = "No plan: "+v.NoPlan, "stop"
	}
}
