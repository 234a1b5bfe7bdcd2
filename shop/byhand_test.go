package shop_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"pandrel/shop"
	"pandrel/shop/test"
)

func (r *rig) read(id int64, amps, each float64) {
	r.t.Helper()
	cells := flat(each)
	r.must(r.Tests.RecordHandReading(r.ctx, test.HandReadingInput{ID: id, Volts: 7 * each, Amps: amps, Cells: cells,
		Token: r.token()}))
}

// A discharge by hand, from full to the first group at its floor: its times are kept over a new start of the program,
// and what it gave is the module's result with its conditions.
func TestADischargeByHand(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	id, err := r.Tests.StartByHand(r.ctx, test.ByHandInput{Number: "K-001", Full: true, Token: r.token()})
	r.must(err)
	if _, err := r.Tests.StartByHand(r.ctx, test.ByHandInput{Number: "K-001", Full: true,
		Token: r.token()}); err == nil {
		t.Error("begun twice")
	}
	if _, err := r.Tests.Start(r.ctx, "K-001", 1, r.token()); err == nil ||
		!strings.Contains(err.Error(), "by hand runs") {
		t.Errorf("the cycler begins beside a test by hand: %v", err)
	}
	h, err := r.Tests.ByHandByID(r.ctx, id)
	r.must(err)
	if h.Step.Kind != "discharge" || !h.Look.Equal(r.at.Add(15*time.Minute)) || h.Stop.Before(r.at.Add(time.Hour)) {
		t.Fatalf("%+v", h)
	}
	amps := -h.Step.Amps
	began := r.at
	for v := 4.1; v > 3.0; v -= 0.1 {
		r.read(id, amps, v)
		r.at = r.at.Add(12 * time.Minute)
	}
	address := r.Shop
	r.Shop = shop.New(address.Store, func() time.Time { return r.at })
	again, err := r.Tests.ByHandByID(r.ctx, id)
	r.must(err)
	if !again.StepAt.Equal(began) || again.Now.EndNow || again.Stop != h.Stop {
		t.Errorf("after a new start: %+v", again)
	}
	r.read(id, amps, 2.99)
	hours := r.at.Sub(began).Hours()
	again, err = r.Tests.ByHandByID(r.ctx, id)
	r.must(err)
	if !again.Now.EndNow || math.Abs(again.Now.Ah-amps*hours) > 0.01 {
		t.Errorf("%+v, expected %.2f Ah", again.Now, amps*hours)
	}
	r.must(r.Tests.MoveByHand(r.ctx, id, "next", r.token()))
	res, err := r.counts(again.ModuleID)
	r.must(err)
	if !res.Complete || !res.ByHand() || math.Abs(res.CapacityAh-amps*hours) > 0.01 || math.Abs(res.Amps-amps) > 0.01 ||
		res.EndVolts == 0 {
		t.Errorf("%+v", res)
	}
	if h, err = r.Tests.ByHandByID(r.ctx, id); err != nil || h.Step.Kind != "rest" || len(h.Readings) != 0 {
		t.Errorf("%v: %+v", err, h.Step)
	}
	r.must(r.Tests.MoveByHand(r.ctx, id, "stop", r.token()))
	if err := r.Tests.RecordHandReading(r.ctx, test.HandReadingInput{ID: id, Volts: 25,
		Token: r.token()}); err == nil {
		t.Error("read after its end")
	}
	if list, err := r.Tests.HandTests(r.ctx); err != nil || len(list) != 0 {
		t.Errorf("%v: %+v", err, list)
	}
}

// What is dangerous keeps a test by hand from going on to its next step, and does not keep it from being stopped.
func TestATestByHandThatMustStop(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	id, err := r.Tests.StartByHand(r.ctx, test.ByHandInput{Number: "K-001", Full: true, Token: r.token()})
	r.must(err)
	r.at = r.at.Add(10 * time.Minute)
	h, err := r.Tests.ByHandByID(r.ctx, id)
	r.must(err)
	r.read(id, -h.Step.Amps, 1.8)
	if err := r.Tests.MoveByHand(r.ctx, id, "next", r.token()); !stoppedBy(err, "never-recharge") {
		t.Errorf("goes on below never-recharge: %v", err)
	}
	r.must(r.Tests.MoveByHand(r.ctx, id, "stop", r.token()))
	if m, err := r.Module(r.ctx, "K-001"); err != nil || !strings.Contains(m.Hold, "1.800 V in a test by hand") {
		t.Errorf("%v: held by %q", err, m.Hold)
	}
	for _, bad := range []test.HandReadingInput{{Volts: -1}, {Volts: 25, Amps: -3}, {Volts: 25, Cells: []float64{3,
		3}}, {Volts: 1e9}} {
		bad.ID, bad.Token = id, r.token()
		if err := r.Tests.RecordHandReading(r.ctx, bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}
