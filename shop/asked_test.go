package shop_test

import (
	"errors"
	"math"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/base/station"
	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/test"
	"pandrel/shop/undo"
)

// ran keeps hours at a load.
func (r *rig) ran(number string, from, to int, v ask.Values) error {
	k, _ := kind.Of(kind.Ran)
	return r.Tests.RecordAsked(r.ctx, test.AskedInput{Number: number, Kind: k, Values: v, From: from, To: to,
		Token: r.token()})
}

// Hours at a load count as any other test: a capacity from full to the floor, else 'at least'; what cannot be is
// refused by its field, and what was typed by mistake is taken back.
func TestHoursAtALoadCount(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	for field, v := range map[string]ask.Values{"hours": {"amps": "10"}, "amps": {"hours": "2"}, "watts": {"hours": "2",
		"amps": "10", "watts": "200"}, "lowest_end_v": {"hours": "2", "amps": "10", "lowest_end_v": "30"}} {
		if err := r.ran("K-001", 0, 0, v); !invalid(err, field) {
			t.Errorf("%v: %v, expected %s to be refused", v, err, field)
		}
	}
	if err := r.ran("K-001", 0, 0, ask.Values{"hours": "100", "amps": "100"}); !invalid(err, "hours") {
		t.Errorf("10 000 Ah of a module: %v", err)
	}
	for field, v := range map[string]ask.Values{"amps": {"hours": "0.01", "amps": "4000"}, "end_volts": {"hours": "2",
		"amps": "10", "end_volts": "210"}, "lowest_end_v": {"hours": "2", "amps": "10", "end_volts": "21",
		"lowest_end_v": "3.4"}} {
		if err := r.ran("K-001", 0, 0, v); !invalid(err, field) {
			t.Errorf("%v of seven groups: %v, expected %s to be refused", v, err, field)
		}
	}
	if len(r.tests(m.ID)) != 0 {
		t.Fatal("what was refused is on record")
	}
	r.must(r.ran("K-001", 0, 0, ask.Values{"hours": "2", "watts": "294"})) // NMC, seven groups, none above 4.2 V
	res, err := r.counts(m.ID)
	r.must(err)
	if res.Complete || math.Abs(res.AtLeastAh-10*2*7/float64(7)) > 0.01 {
		t.Errorf("at least %.2f Ah, complete %v", res.AtLeastAh, res.Complete)
	}
	e, ok, err := r.Record.EstimateOf(r.ctx, m, r.typ)
	if err != nil || !ok || e.LowAh < 20-0.01 {
		t.Errorf("%+v, %v, %v: at least 20 Ah is known", e, ok, err)
	}
	r.must(r.ran("K-001", 0, 0, ask.Values{"hours": "3", "amps": "13", "from_full": "yes", "lowest_end_v": "2.99"}))
	if res, err = r.counts(m.ID); err != nil || !res.Complete || math.Abs(res.CapacityAh-39) > 1e-9 || !res.ByHand() {
		t.Errorf("%+v, %v", res, err)
	}
	if at := r.station("K-001"); at != station.Grade {
		t.Errorf("at %s after a complete run", at)
	}
	list := r.tests(m.ID)
	r.must(r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeTest, RowID: list[1].ID,
		Reason: "another module stood there", Token: r.token()}))
	if res, err = r.counts(m.ID); err != nil || res.Complete || r.station("K-001") != station.Test {
		t.Errorf("%+v, %v, at %s: it was taken back", res, err, r.station("K-001"))
	}
}

// A group that a load drove below never-recharge holds the module until it was surveyed at rest, and a part alone is a
// roof of the whole.
func TestALoadDrivesTooFar(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	low := ask.Values{"hours": "2", "amps": "10", "lowest_end_v": "1.1"}
	if err := r.ran("K-001", 0, 0, low); !invalid(err, "lowest_end_v") {
		t.Errorf("below never-recharge, and nobody looked twice: %v", err)
	}
	low["checked"] = "yes"
	r.must(r.ran("K-001", 0, 0, low))
	var held *kernel.Blocked
	if err := r.ran("K-001", 0, 0, ask.Values{"hours": "2", "amps": "10"}); !errors.As(err, &held) {
		t.Errorf("tested on: %v", err)
	}
	r.onBench("K-002")
	r.must(r.ran("K-002", 3, 0, ask.Values{"hours": "2", "amps": "10", "from_full": "yes", "lowest_end_v": "3.0"}))
	m, err := r.Module(r.ctx, "K-002")
	r.must(err)
	_, j, err := r.partsOf(m.ID)
	if err != nil || j.AtMostAh != 20 || j.Complete {
		t.Errorf("%+v, %v", j, err)
	}
	if err := r.ran("K-002", 6, 9, ask.Values{"hours": "2", "amps": "10"}); !invalid(err, "to_group") {
		t.Errorf("groups 6 to 9 of seven: %v", err)
	}
}
