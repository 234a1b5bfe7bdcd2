package measure

import (
	"context"
	"slices"
	"strings"

	"pandrel/core/module/layout"
	"pandrel/core/module/plate"
	"pandrel/shop/record"
	"pandrel/store"
)

// Pin is one pin of a type's connector on the map. Node is −1 for a pin that no reading placed. Use is the sense lead
// that takes it, counted in groups above the main negative, −1 for a pin that is left free.
type Pin struct {
	Name  string
	Node  int
	Use   int
	Volts float64
}

// PinMap places the connector's pins on the layout: which node each is on, which are doubled, and
// which to use. Of doubled pins the first is used; the others stay free.
func PinMap(t store.ModuleType, m layout.Map) []Pin {
	var out []Pin
	used := map[int]bool{}
	below := m.GroupsBelow()
	for _, name := range strings.Fields(t.Pins) {
		p := Pin{Name: name, Node: -1, Use: -1}
		for i, n := range m.Nodes {
			if slices.Contains(n.Points, name) {
				p.Node, p.Volts = i, n.Volts
			}
		}
		if p.Node >= 0 && !used[p.Node] {
			p.Use = below[p.Node]
			used[p.Node] = true
		}
		out = append(out, p)
	}
	return out
}

// PinMapOf is PinMap for one module: of its own layout, without the pins that its own readings found dead.
func (s *Room) PinMapOf(ctx context.Context, m store.Module, t store.ModuleType, lay layout.Map) ([]Pin, []string,
	error) {
	own, ok, err := record.OwnMap(s.Store.DB.WithContext(ctx), m, t)
	if err != nil || !ok {
		return PinMap(t, lay), nil, err
	}
	lay.Nodes = slices.Clone(lay.Nodes)
	for i, n := range lay.Nodes {
		lay.Nodes[i].Points = slices.DeleteFunc(slices.Clone(n.Points),
			func(p string) bool { return slices.Contains(own.Floating, p) })
	}
	return PinMap(t, lay), own.Floating, nil
}

// DeadPin is a pin that one module's own readings found dead.
type DeadPin struct{ Number, Pin string }

// DeadPins lists the pins of a type's modules that are dead by their own readings.
func (s *Room) DeadPins(ctx context.Context, t store.ModuleType) (out []DeadPin, err error) {
	db := s.Store.DB.WithContext(ctx)
	var mods []store.Module
	if err := db.Raw("SELECT * FROM modules WHERE type_id = ? AND id IN (SELECT module_id FROM counting_probe_sets) "+
		"ORDER BY number", t.ID).Scan(&mods).Error; err != nil {
		return nil, err
	}
	for _, m := range mods {
		own, ok, err := record.OwnMap(db, m, t)
		if err != nil {
			return nil, err
		}
		if ok {
			for _, p := range own.Floating {
				out = append(out, DeadPin{m.Number, p})
			}
		}
	}
	return out, nil
}

// DoubtsOf lists where what is written of a type does not agree with itself: plate, tabs, cells and mass.
func DoubtsOf(t store.ModuleType) []plate.Doubt {
	return plate.Doubts(plate.Plate{Chemistry: t.Chemistry, Series: t.PlateSeries, Volts: t.PlateVolts,
		RatedAh: t.RatedAh, TabsSeen: t.TabsSeen, CellAh: t.CellAh, ModuleKg: t.ModuleKg, CellKg: t.CellKg})
}
