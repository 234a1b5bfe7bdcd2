package bench

import (
	"context"
	"math"

	"pandrel/core/test/condition"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Conditioning is the plan of slow cycles for a module, and what those on record came to.
type Conditioning struct {
	Plan   condition.Plan
	NoPlan string // what is missing for one
	Growth condition.Growth
	Logs   int // that cycles were read from
}

// ConditionWish is what a person says of slow cycles: months of storage, nil where nobody knows, how many cycles, and
// the window of a group's volts; 0 leaves it to the plan.
type ConditionWish struct {
	StoredMonths *float64
	Cycles       int
	LowV, HighV  float64
}

// Conditioning plans slow cycles for a module, by what is on record and what a person says.
func (s *Room) Conditioning(ctx context.Context, m store.Module, t store.ModuleType, wish ConditionWish) (
	out Conditioning, err error) {
	db := s.Store.DB.WithContext(ctx)
	if out.Growth, out.Logs, err = s.GrowthOf(ctx, m); err != nil {
		return out, err
	}
	x, why, err := s.Planned(db, m, t)
	if err != nil || why != "" {
		out.NoPlan = why
		return out, err
	}
	p, _, err := s.PlanOf(ctx, m, t, "")
	if err != nil {
		return out, err
	}
	if p.Refused {
		out.NoPlan = p.Findings[0].Text
		return out, nil
	}
	in := condition.Input{Name: m.Number, Chemistry: x.Chemistry, Curve: x.Curve, Series: x.Series, Ah: x.Ah,
		StoredMonths: wish.StoredMonths, Cycles: wish.Cycles, LowV: wish.LowV, HighV: wish.HighV, TestAmps: math.Inf(1)}
	for _, st := range p.Steps {
		if st.Amps > 0 {
			in.TestAmps = min(in.TestAmps, st.Amps)
		}
	}
	if out.Plan, err = condition.Make(in); err != nil {
		return out, kernel.Bad("", "%v", err)
	}
	return out, nil
}

// GrowthOf is what the cycles of a module's logs came to, in the order in which they were run.
func (s *Room) GrowthOf(ctx context.Context, m store.Module) (g condition.Growth, logs int, err error) {
	t, err := kernel.TypeByID(s.Store.DB.WithContext(ctx), m.TypeID)
	if err != nil {
		return g, 0, err
	}
	tests, err := record.TestsOf(s.Store.DB.WithContext(ctx), m, t)
	if err != nil {
		return g, 0, err
	}
	var done []condition.Done
	for _, x := range tests {
		if x.FromGroup == 0 && len(x.Cycles) > 0 {
			logs++
			done = append(done, x.Cycles...)
		}
	}
	return condition.GrowthOf(m.Number, done), logs, nil
}
