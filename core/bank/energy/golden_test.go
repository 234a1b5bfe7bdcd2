package energy_test

import (
	"testing"

	"pandrel/core/bank/energy"
	"pandrel/golden"
)

func TestWhereHoursChange(t *testing.T) {
	cabin := energy.System{UsableKWh: 4.2, UsableLowKWh: 3.9, Efficiency: 0.9, StandbyW: 12, Loads: []energy.Load{
		{Name: "lamps", Watts: 30, Hours: 5}, {Name: "fridge", VA: 90, PowerFactor: 0.6, Hours: 8, AC: true},
		{Name: "pump", VA: 400, Hours: 0.5, AC: true}}, ChargeMaxW: 600, ChargeEff: 0.95, PanelW: 400,
		SunHours:   []float64{0.8, 1.4, 2.5, 3.8, 4.8, 5.2, 5, 4.4, 3.2, 1.9, 1, 0.7},
		FrostShare: []float64{0.5, 0.4, 0.1, 0, 0, 0, 0, 0, 0, 0, 0.2, 0.4}}
	outage := energy.System{UsableKWh: 9, Efficiency: 0.88, StandbyW: 25, Loads: []energy.Load{{Name: "all", Watts: 500,
		Hours: 24}}, OffHours: 6, OnHours: 4, ChargerW: 1500, ChargeMaxW: 1200, ChargeEff: 0.92}
	bike := energy.System{UsableKWh: 1.1, WhPerKm: 12}
	golden.Judged(t, "hours", []golden.Case[energy.System]{{Name: "cabin", In: cabin, Longest: 210}, {Name: "outages",
		In: outage}, {Name: "by the kilometre", In: bike}, {Name: "nothing draws", In: energy.System{UsableKWh: 2}}},
		func(s energy.System) (any, error) { return energy.Solve(s) })
	golden.Judged(t, "idle", []golden.Case[energy.Idle]{
		{Name: "two draws", In: energy.Idle{Ah: 100, Volts: 26, From: 0.5, Floor: 0.1, SelfPctMonth: 2,
			Draws: []energy.Draw{{Name: "BMS", MilliAmps: 12}, {Name: "router", Watts: 6}}}},
		{Name: "nothing draws", In: energy.Idle{Ah: 100, Volts: 26, From: 0.5, Floor: 0.1}},
		{Name: "at its floor", In: energy.Idle{Ah: 100, Volts: 26, From: 0.1, Floor: 0.1}}},
		func(i energy.Idle) (any, error) { return energy.Stand(i) })
	var names []string
	for m := -1; m < 15; m++ {
		names = append(names, energy.MonthName(m))
	}
	golden.Same(t, "months", golden.Text(names))
}
