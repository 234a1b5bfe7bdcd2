package web

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/draw"
	"pandrel/shop"
	"pandrel/store"
)

// pinsView is the pin sheet of a type's connector.
type pinsView struct {
	Type   store.ModuleType
	Pins   []pinRow
	Rows   int
	Mating string
	Wire   string
	Series int
}

type pinRow struct {
	shop.Pin
	Says string
}

// pins shows which pin carries which tap, from both sides.
func (sv *Server) pins(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, id)
	if err != nil {
		return err
	}
	v := pinsView{Type: t, Rows: 1}
	if n, err := strconv.Atoi(c.QueryParam("rows")); err == nil && n >= 1 && n <= 6 {
		v.Rows = n
	}
	m, ok, err := sv.s.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if ok {
		v.Series = m.Series
		var drawn []draw.ConnectorPin
		for _, p := range shop.PinMap(t, m) {
			row := pinRow{Pin: p}
			d := draw.ConnectorPin{Name: p.Name, Used: p.Use >= 0}
			switch {
			case p.Node < 0:
				row.Says, d.Node, d.Dead = "dead, or not read: use for nothing", "–", true
			case p.Use >= 0:
				row.Says = fmt.Sprintf("sense lead %d", p.Use)
				d.Node = fmt.Sprint(p.Use)
			default:
				row.Says = fmt.Sprintf("doubles node %d: leave free", p.Node)
				d.Node = fmt.Sprint(p.Node)
			}
			v.Pins = append(v.Pins, row)
			drawn = append(drawn, d)
		}
		v.Mating = draw.Connector("Connector of "+t.Name+", mating side", drawn, v.Rows, false)
		v.Wire = draw.Connector("Connector of "+t.Name+", wire side", drawn, v.Rows, true)
	}
	return sv.showAt(c, http.StatusOK, "pins", "Pins of "+t.Name, shop.Map, v)
}
