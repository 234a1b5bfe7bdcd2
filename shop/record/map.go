package record

import (
	"context"
	"math"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/module/capacity"
	"pandrel/core/module/layout"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// roles returns what the type declares of its points. A post whose name ends in a sign is declared
// main negative or main positive, as the label on the case says. Where the points were listed in their
// physical order, that is declared too.
func roles(t store.ModuleType) (out []layout.Role) {
	order := map[string]int{}
	if t.PointsInOrder {
		for i, p := range AllPoints(t) {
			order[p] = i + 1
		}
	}
	defer func() {
		for i := range out {
			out[i].Order = order[out[i].Point]
		}
	}()
	for _, p := range strings.Fields(t.Posts) {
		role := layout.RolePost
		switch {
		case strings.HasSuffix(p, "+"):
			role = layout.RoleMainPositive
		case strings.HasSuffix(p, "-"), strings.HasSuffix(p, "−"):
			role = layout.RoleMainNegative
		}
		out = append(out, layout.Role{Point: p, Role: role})
	}
	for _, p := range strings.Fields(t.Pins) {
		out = append(out, layout.Role{Point: p, Role: layout.RolePin})
	}
	return out
}

// PointsInOrder returns the type's posts, a marked negative first, and its pins as they lie.
func PointsInOrder(t store.ModuleType) (posts, pins []string) {
	posts, pins = strings.Fields(t.Posts), strings.Fields(t.Pins)
	for i, p := range posts {
		if strings.HasSuffix(p, "-") || strings.HasSuffix(p, "−") {
			posts[0], posts[i] = posts[i], posts[0]
			break
		}
	}
	return posts, pins
}

// AllPoints lists a type's points in the order in which they lie: the marked negative post, the pins, the other posts.
func AllPoints(t store.ModuleType) []string {
	posts, pins := PointsInOrder(t)
	if len(posts) == 0 {
		return pins
	}
	return append(append(posts[:1:1], pins...), posts[1:]...)
}

func SolveFor(t store.ModuleType, readings []layout.Reading) (layout.Map, error) {
	return layout.Solve(readings, MapOptions(t))
}

// MapOptions is what a type says to the map of one of its modules.
func MapOptions(t store.ModuleType) layout.Options {
	return layout.Options{Chemistry: t.Chemistry, Roles: roles(t), Points: AllPoints(t), PlateSeries: t.PlateSeries,
		PlateVolts: t.PlateVolts, PostsJoined: t.PostsJoined}
}

// LayoutFor returns the layout of one module: its own, or its type's.
func (s *Room) LayoutFor(ctx context.Context, m store.Module, t store.ModuleType) (layout.Map, bool, error) {
	return LayoutFor(s.Store.DB.WithContext(ctx), m, t)
}

func LayoutFor(db *gorm.DB, m store.Module, t store.ModuleType) (layout.Map, bool, error) {
	if m.LayoutID != nil {
		t.LayoutID = m.LayoutID
	}
	return LayoutOf(db, t)
}

// Rated is what the label of a type comes to in amp hours once so many groups are known in series: as it was, where its
// label says amp hours.
func Rated(t store.ModuleType, series int) float64 {
	if ah, ok := capacity.OfEnergy(t.RatedWh, series, t.Chemistry); ok {
		return math.Round(ah*100) / 100
	}
	return t.RatedAh
}

// LayoutOf returns the accepted layout of a type; ok is false where there is none.
func (s *Room) LayoutOf(ctx context.Context, t store.ModuleType) (m layout.Map, ok bool, err error) {
	return LayoutOf(s.Store.DB.WithContext(ctx), t)
}

func LayoutOf(db *gorm.DB, t store.ModuleType) (m layout.Map, ok bool, err error) {
	if t.LayoutID == nil {
		return m, false, nil
	}
	row, err := kernel.ByID[store.Layout](db, *t.LayoutID, "layout")
	if err != nil {
		return m, false, err
	}
	m, err = row.Map.Get()
	return m, err == nil, err
}
