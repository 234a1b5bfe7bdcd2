package web

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/face"
	"pandrel/draw"
	"pandrel/shop"
	"pandrel/store"
)

// pinsView is the pin sheet of a type's connectors.
type pinsView struct {
	Type       store.ModuleType
	Pins       []pinRow
	Connectors []connectorView
	Series     int
}

// connectorView is a connector from both sides.
type connectorView struct{ Name, Mating, Wire string }

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
	v := pinsView{Type: t}
	m, ok, err := sv.s.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if ok {
		v.Series = m.Series
		all := shop.PinMap(t, m)
		for _, p := range all {
			v.Pins = append(v.Pins, pinRow{p, pinSays(p)})
		}
		for _, con := range shop.FaceOf(t).Connectors {
			v.Connectors = append(v.Connectors, drawConnector(con, all))
		}
	}
	return sv.showAt(c, http.StatusOK, "pins", "Pins of "+t.Name, shop.Map, v)
}

// pinSays is what a pin is for, in words.
func pinSays(p shop.Pin) string {
	switch {
	case p.Node < 0:
		return "dead, or not read: use for nothing"
	case p.Use >= 0:
		return fmt.Sprintf("sense lead %d", p.Use)
	}
	return fmt.Sprintf("doubles node %d: leave free", p.Node)
}

// drawConnector draws a connector with what its pins carry.
func drawConnector(con face.Connector, all []shop.Pin) connectorView {
	drawn := make([]draw.ConnectorPin, len(con.Pins))
	for i, name := range con.Pins {
		d := draw.ConnectorPin{Name: name, Node: "–", Dead: true}
		for _, p := range all {
			if p.Name == name && p.Node >= 0 {
				d = draw.ConnectorPin{Name: name, Node: fmt.Sprint(p.Node), Used: p.Use >= 0}
				if p.Use >= 0 {
					d.Node = fmt.Sprint(p.Use)
				}
			}
		}
		drawn[i] = d
	}
	title := fmt.Sprintf("%d-pin %s", len(con.Pins), con.Name)
	return connectorView{title, draw.Connector(title+", mating side", con, drawn, false), draw.Connector(title+", wire side", con, drawn, true)}
}
