package record

import (
	"fmt"
	"strings"

	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/store"
)

// PlanType is what a design needs to know of a module type.
func PlanType(t store.ModuleType) (plan.Type, error) {
	own, err := CurveOf(t)
	if err != nil {
		return plan.Type{}, err
	}
	m, err := t.Mounted()
	return plan.Type{ID: t.ID, Name: t.Name, Posts: strings.Fields(t.Posts), Pins: strings.Fields(t.Pins),
		ModuleKg: t.ModuleKg, Closed: t.Closed, SwitchVolts: t.SwitchVolts, Limits: TypeLimits(t), Curve: own,
		Mount: m}, err
}

// TypeLimits is what a type's modules give and take, as far as it was written down.
func TypeLimits(t store.ModuleType) window.Limits {
	return window.Limits{DischargeAmps: t.DischargeA, PeakAmps: t.PeakA, ChargeAmps: t.ChargeA,
		ChargePeak: t.ChargePeakA}
}

// OwnCurve returns a type's own rest curve, nil where the chemistry's typical one holds.
func OwnCurve(t store.ModuleType) (*chem.Points, error) {
	if !t.Curve.Set() {
		return nil, nil
	}
	p, err := t.Curve.Get()
	return &p, err
}

// CurveOf returns the curve for the core; nil for the typical one.
func CurveOf(t store.ModuleType) (*chem.Curve, error) {
	p, err := OwnCurve(t)
	if err != nil || p == nil {
		return nil, err
	}
	c, err := p.Curve(t.Chemistry)
	if err != nil {
		return nil, fmt.Errorf("rest curve of %s: %w", t.Name, err)
	}
	return c, nil
}
