package test

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/chart"
	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/store"
	"pandrel/web/frame"
)

// mostLaid bounds how many curves are told apart in one picture.
const mostLaid = 8

// curvesView lays the discharges of a type's modules over each other.
type curvesView struct {
	Type    store.ModuleType
	All     []desk.ModuleCurve
	Shown   map[string]bool
	Picture string
	More    int
}

// curves shows the modules that were asked for; without a word the ends and the middle of those that were tested.
func (sv *Room) curves(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	t, err := sv.Shop.Type(ctx, id)
	if err != nil {
		return err
	}
	v := curvesView{Type: t, Shown: map[string]bool{}}
	if v.All, err = sv.Shop.Desk.CurvesOfType(ctx, id); err != nil {
		return err
	}
	asked := frame.QueryList(c, "module")
	if len(asked) == 0 {
		asked = spread(v.All)
	}
	ch := chart.Chart{Title: "Discharges of " + t.Name, X: "Ah", Y: "V of a group"}
	for _, m := range v.All {
		if !slices.Contains(asked, m.Number) {
			continue
		}
		if len(ch.Curves) == mostLaid {
			v.More++
			continue
		}
		v.Shown[m.Number] = true
		p := m.Thin.Discharged(m.Series, m.Result.Capacity.StartS, m.Result.Capacity.EndS)
		if len(p) > 1 {
			ch.Curves = append(ch.Curves, chart.Curve{Name: fmt.Sprintf("%s: %.1f Ah", m.Number, m.Ah), Points: p})
		}
	}
	v.Picture = draw.Chart(ch)
	return sv.ShowAt(c, http.StatusOK, "curves", "Discharges of "+t.Name, station.Test, v)
}

// spread picks modules from the weakest to the strongest.
func spread(all []desk.ModuleCurve) (numbers []string) {
	sorted := slices.SortedFunc(slices.Values(all), func(a, b desk.ModuleCurve) int {
		switch {
		case a.Ah < b.Ah:
			return -1
		case a.Ah > b.Ah:
			return 1
		}
		return 0
	})
	n := min(len(sorted), mostLaid)
	for i := range n {
		numbers = append(numbers, sorted[i*(len(sorted)-1)/max(1, n-1)].Number)
	}
	return numbers
}
