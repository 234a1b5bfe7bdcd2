package shop

import (
	"slices"
	"strings"

	"pandrel/core/layout"
	"pandrel/store"
)

// Pin is one pin of a type's connector on the map. Node is −1 for a pin that no reading placed.
// Use is the sense lead that takes it, counted in groups above the main negative, −1 for a pin that
// is left free.
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
