package shop_test

import (
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/lead"
	"pandrel/shop/measure"
	"pandrel/shop/record"
)

func TestLeadsAreCheckedInOrder(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	r.version()
	spec, ok, err := r.Measure.ProposeLead(r.ctx, r.typ)
	if err != nil || !ok {
		t.Fatal(err)
	}
	row, err := r.Measure.SaveLead(r.ctx, measure.LeadInput{Name: "L1", TypeID: r.typ.ID, Spec: spec, Token: r.token()})
	r.must(err)
	touched := func(swap bool) (out []lead.Touch) {
		for _, w := range spec.Wires {
			k := w.Input
			if swap && k < 2 {
				k = 1 - k
			}
			out = append(out, lead.Touch{Point: w.Point, Inputs: []int{k}})
		}
		return out
	}
	volts := func(v float64) (out []record.TypedVolts) {
		for i := range spec.Inputs {
			out = append(out, record.TypedVolts{Group: i, Volts: v * float64(i)})
		}
		return out
	}
	check := func(in measure.LeadCheckInput) ([]finding.Finding, error) {
		in.ID, in.Token = row.ID, r.token()
		return r.Measure.RecordLeadCheck(r.ctx, in)
	}
	if _, err := check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001",
		Volts: volts(3.7)}); !blocked(err) {
		t.Errorf("by voltage first: %v", err)
	}
	fs, err := check(measure.LeadCheckInput{Kind: measure.CheckContinuity, Touched: touched(true)})
	if err != nil || fs[0].Code != "swapped" {
		t.Errorf("%v %v", fs, err)
	}
	_, err = check(measure.LeadCheckInput{Kind: measure.CheckContinuity, Touched: touched(false)})
	r.must(err)
	if _, err := check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001",
		Volts: volts(3.7)}); !invalid(err, "module") {
		t.Errorf("on a module that was not surveyed: %v", err)
	}
	_, err = r.survey("K-001", flat(3.7)...)
	r.must(err)
	_, err = check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001", Volts: volts(3.7)})
	r.must(err)
	v, err := r.Measure.LeadByID(r.ctx, row.ID)
	if err != nil || !v.Ready || v.State() != "ok" {
		t.Errorf("%+v %v", v.State(), err)
	}
	if ready, others, err := r.Measure.LeadsFor(r.ctx, r.typ.ID); err != nil ||
		!slices.Equal(ready, []string{"L1"}) || others != nil {
		t.Errorf("%v %v %v", ready, others, err)
	}
	// A changed lead is an unchecked lead.
	spec.Wires[0].Point, spec.Wires[1].Point = spec.Wires[1].Point, spec.Wires[0].Point
	_, err = r.Measure.SaveLead(r.ctx, measure.LeadInput{ID: row.ID, Version: v.Version, Name: "L1", TypeID: r.typ.ID,
		Spec: spec, Token: r.token()})
	r.must(err)
	if v, _ = r.Measure.LeadByID(r.ctx, row.ID); v.Ready || v.Continuity != nil || v.State() != "stop" {
		t.Errorf("changed, and still %s", v.State())
	}
	if ready, others, _ := r.Measure.LeadsFor(r.ctx, r.typ.ID); ready != nil || !slices.Equal(others, []string{"L1"}) {
		t.Errorf("%v %v", ready, others)
	}
}
