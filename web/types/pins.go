package types

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/face"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/store"
	"pandrel/web/frame"
)

// pinsView is the pin sheet of a type's connectors.
type pinsView struct {
	Type       store.ModuleType
	Pins       []pinRow
	Connectors []connectorView
	Series     int
	Module     string // the module whose own pins these are, "" for the type's
	Dead       []string
	Others     []measure.DeadPin // dead on single modules
}

// connectorView is a connector from both sides.
type connectorView struct{ Name, Mating, Wire string }

type pinRow struct {
	measure.Pin
	Says string
}

// pins shows which pin carries which tap, from both sides.
func (sv *Room) pins(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	t, err := sv.Shop.Type(ctx, id)
	if err != nil {
		return err
	}
	v := pinsView{Type: t}
	m, ok, err := sv.Shop.Record.LayoutOf(ctx, t)
	if err != nil {
		return err
	}
	if v.Others, err = sv.Shop.Measure.DeadPins(ctx, t); err != nil {
		return err
	}
	if ok {
		all := measure.PinMap(t, m)
		if number := frame.Query(c, "module"); number != "" {
			if all, err = sv.modulePins(c, &v, number); err != nil {
				return err
			}
		}
		v.Series = m.Series
		for _, p := range all {
			v.Pins = append(v.Pins, pinRow{p, pinSays(p)})
		}
		for _, con := range t.Lies().Connectors {
			v.Connectors = append(v.Connectors, drawConnector(con, all))
		}
	}
	title := "Pins of " + t.Name
	if v.Module != "" {
		title = "Pins of " + v.Module
	}
	return sv.ShowAt(c, http.StatusOK, "pins", title, station.Map, v)
}

// modulePins are the pins of one module, its dead ones left out.
func (sv *Room) modulePins(c *echo.Context, v *pinsView, number string) ([]measure.Pin, error) {
	ctx := c.Request().Context()
	mod, err := sv.Shop.Module(ctx, number)
	if err != nil {
		return nil, err
	}
	if mod.TypeID != v.Type.ID {
		return nil, &kernel.NotFound{What: fmt.Sprintf("module %s of type %s", frame.Clip(number, 24), v.Type.Name)}
	}
	own, _, err := sv.Shop.Record.LayoutFor(ctx, mod, v.Type)
	if err != nil {
		return nil, err
	}
	v.Module = mod.Number
	all, dead, err := sv.Shop.Measure.PinMapOf(ctx, mod, v.Type, own)
	v.Dead = dead
	return all, err
}

// pinSays is what a pin is for, in words.
func pinSays(p measure.Pin) string {
	switch {
	case p.Node < 0:
		return "dead, or not read: use for nothing"
	case p.Use >= 0:
		return fmt.Sprintf("sense lead %d", p.Use)
	}
	return fmt.Sprintf("doubles node %d: leave free", p.Node)
}

// drawConnector draws a connector with what its pins carry.
func drawConnector(con face.Connector, all []measure.Pin) connectorView {
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
	return connectorView{title, draw.Connector(title+", mating side", con, drawn, false),
		draw.Connector(title+", wire side", con, drawn, true)}
}
