package shop_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/test/kind"
	"pandrel/shop/receive"
	"pandrel/shop/test"
)

// What was typed of a discharge that was none to the end is a lower bound; a figure alone is somebody's word; the word
// on a half bounds its module; and of halves the energy that counts is what the weaker one lets the other give.
func TestDirectionsOfWhatWasTyped(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 6)
	for i := range 6 {
		r.look(fmt.Sprintf("K-%03d", i+1))
	}
	r.mapType("K-001")
	keep := func(in test.TypedInput) {
		t.Helper()
		in.Token = r.token()
		r.must(r.Tests.RecordTyped(r.ctx, in))
	}
	keep(test.TypedInput{Number: "K-001", Result: kind.Result{CapacityAh: 30, FromFull: true, EndVolts: 25.5,
		Amps: 10}})
	keep(test.TypedInput{Number: "K-001", Result: kind.Result{CapacityAh: 20, FromFull: true, EndVolts: 26.5,
		Amps: 10}})
	keep(test.TypedInput{Number: "K-002", Result: kind.Result{CapacityAh: 30}})
	keep(test.TypedInput{Number: "K-003", FromGroup: 1, ToGroup: 3, Result: kind.Result{CapacityAh: 31}})
	for _, c := range []struct {
		number          string
		low, high, most float64
	}{{"K-001", 30, 30, 46}, {"K-002", 0, 30, 30}, {"K-003", 0, 31, 31}} {
		m, typ, err := r.ModuleWithType(r.ctx, c.number)
		r.must(err)
		e, ok, err := r.Record.EstimateOf(r.ctx, m, typ)
		if err != nil || !ok || e.LowAh < c.low || e.HighAh < c.high || e.HighAh > c.most {
			t.Errorf("%s: %+v %v", c.number, e, err)
		}
	}
	half := test.TypedInput{Number: "K-004", FromGroup: 1, ToGroup: 4, Result: kind.Result{CapacityAh: 40,
		EnergyWh: 590, FromFull: true, LowestEndVolts: 3, Amps: 10}}
	keep(half)
	half.CapacityAh, half.EnergyWh, half.FromGroup, half.ToGroup = 36, 390, 5, 7
	keep(half)
	half.Number, half.EnergyWh = "K-005", 0
	keep(half)
	half.CapacityAh, half.EnergyWh, half.FromGroup, half.ToGroup = 40, 590, 1, 4
	keep(half)
	for number, want := range map[string]float64{"K-004": 590*36.0/40 + 390, "K-005": 0} {
		m, _, err := r.ModuleWithType(r.ctx, number)
		r.must(err)
		res, err := r.counts(m.ID)
		if err != nil || !res.Complete || res.CapacityAh != 36 || math.Abs(res.EnergyWh-want) > 1e-6 {
			t.Errorf("%s: %+v %v, expected %.1f Wh", number, res, err, want)
		}
	}
}

// A rating that came from another column is put right, with a reason, and the figure that it refused is kept.
func TestARatingIsPutRight(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	r.must(r.Receive.SavePlate(r.ctx, receive.PlateInput{Number: "K-001", PlateAh: 22.2, Why: "imported",
		Token: r.token()}))
	keep := func() error {
		return r.Tests.RecordTyped(r.ctx, test.TypedInput{Number: "K-001", Token: r.token(),
			Result: kind.Result{CapacityAh: 43, FromFull: true, LowestEndVolts: 3, Amps: 10}})
	}
	if err := keep(); !invalid(err, "capacity_ah") || !strings.Contains(err.Error(), "put its rating right") {
		t.Errorf("43 Ah of 22.2 Ah: %v", err)
	}
	plate := receive.PlateInput{Number: "K-001", PlateAh: 50, Token: r.token()}
	if err := r.Receive.SavePlate(r.ctx, plate); !invalid(err, "why") {
		t.Errorf("a rating without a reason: %v", err)
	}
	plate.Why = "22.2 was its volts"
	r.must(r.Receive.SavePlate(r.ctx, plate))
	r.must(keep())
}
