package shop_test

import (
	"errors"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/pack"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
)

func TestAPackIsSplitGateByGate(t *testing.T) {
	r := newRig(t)
	p, err := r.Procedure.SavePack(r.ctx, procedure.PackInput{Name: "S-1", LotID: r.lot.ID,
		Pack: pack.Pack{Volts: []float64{25.9, 25.9, 25.9, 25.9, 25.9, 25.9}, DisconnectAfter: 3}, Token: r.token()})
	r.must(err)
	step := func(in steps.Input) ([]finding.Finding, error) {
		in.Token = r.token()
		return r.Procedure.RecordStep(r.ctx, procedure.Pack, p.ID, in)
	}
	var blocked *kernel.Blocked
	var inv *kernel.Invalid
	if _, err := step(steps.Input{Step: "lift-3", Reading: finding.Of(77.7)}); !errors.As(err, &blocked) {
		t.Errorf("a lift before the gates: %v", err)
	}
	if _, err := step(steps.Input{Step: "history"}); !errors.As(err, &inv) {
		t.Errorf("nothing ticked: %v", err)
	}
	if _, err := step(steps.Input{Step: "history", Override: "it will be all right, surely"}); !errors.As(err,
		&blocked) {
		t.Errorf("history passed over: %v", err)
	}
	_, err = step(steps.Input{Step: "history", Confirm: true})
	r.must(err)
	for _, k := range []string{"licensed", "person", "equipment", "meter"} {
		if _, err := step(steps.Input{Step: k, Override: "licensed person works alone, watched " +
			"by camera"}); !errors.As(err, &blocked) {
			t.Errorf("%s passed over: %v", k, err)
		}
		name := "Ada Karlsen"
		if k == "person" {
			name = "Mio Berg"
		}
		_, err = step(steps.Input{Step: k, Confirm: true, Name: name})
		r.must(err)
	}
	// The plug is drawn and proved dead first: what still stands between the outgoing terminals is kept, and holds.
	fs, err := step(steps.Input{Step: "lift-3", Reading: finding.Of(155.4)})
	if err != nil || !finding.Blocks(fs) {
		t.Errorf("the plug changed nothing: %+v, %v", fs, err)
	}
	if _, err := step(steps.Input{Step: "isolation-before", Case: &isolation.Readings{PackVolts: 77.7,
		PositiveVolts: 2, NegativeVolts: 1}}); !errors.As(err, &blocked) {
		t.Errorf("isolation before the plug: %v", err)
	}
	_, err = step(steps.Input{Step: "lift-3", Reading: finding.Of(0.4)})
	r.must(err)
	// A failed isolation is kept, and holds everything behind it.
	fs, err = step(steps.Input{Step: "isolation-before", Case: &isolation.Readings{PackVolts: 77.7,
		PositiveVolts: 75, NegativeVolts: 2.6}})
	if err != nil || !finding.Blocks(fs) {
		t.Fatalf("%+v, %v", fs, err)
	}
	if _, err := step(steps.Input{Step: "isolation-before",
		Override: "the case is plastic throughout, as seen"}); !errors.As(err, &blocked) {
		t.Errorf("isolation passed over: %v", err)
	}
	if _, err := step(steps.Input{Step: "lift-1", Reading: finding.Of(77.7)}); !errors.As(err, &blocked) {
		t.Errorf("a lift after a failed isolation: %v", err)
	}
	_, err = step(steps.Input{Step: "isolation-before", Case: &isolation.Readings{PackVolts: 77.7,
		PositiveVolts: 2, NegativeVolts: 1}})
	r.must(err)
	fs, err = step(steps.Input{Step: "lift-1", Reading: finding.Of(155.4)})
	if err != nil || !finding.Blocks(fs) {
		t.Errorf("the bridge changed nothing: %+v, %v", fs, err)
	}
	v, err := r.Procedure.PackByID(r.ctx, p.ID)
	r.must(err)
	for _, st := range v.States {
		if st.Key == "lift-1" && (!st.Failed || st.Done) {
			t.Errorf("%+v", st)
		}
		if st.Key == "isolation-after" && st.WaitsFor == "" {
			t.Error("the next step does not wait for the lift")
		}
	}
	_, err = step(steps.Input{Step: "lift-1", Reading: finding.Of(77.9)})
	r.must(err)
	v, err = r.Procedure.PackByID(r.ctx, p.ID)
	r.must(err)
	if n := len(v.Records); n != 11 {
		t.Errorf("%d records: every one is kept, also those that failed", n)
	}
}

func TestPackInput(t *testing.T) {
	r := newRig(t)
	var inv *kernel.Invalid
	for _, in := range []procedure.PackInput{{LotID: r.lot.ID, Pack: pack.Pack{Volts: []float64{20}}},
		{Name: "X", LotID: r.lot.ID}, {Name: "X", LotID: 99, Pack: pack.Pack{Volts: []float64{20, 20}}}} {
		if _, err := r.Procedure.SavePack(r.ctx, in); !errors.As(err, &inv) {
			t.Errorf("%+v: %v", in, err)
		}
	}
	var nf *kernel.NotFound
	if _, err := r.Procedure.PackByID(r.ctx, 7); !errors.As(err, &nf) {
		t.Errorf("%v", err)
	}
}
