package shop_test

import (
	"testing"

	"pandrel/core/module/grade"
	shopgrade "pandrel/shop/grade"
	"pandrel/shop/kernel"
)

// The shop's own limits count from the moment they are saved: for grades given after it, and for whether an older
// grade still holds. Nothing is graded anew in silence, and no limit is lowered without a reason.
func TestOwnLimitsCount(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	r.test("K-001", 0.85)
	g, err := r.Grade.GradeModule(r.ctx, "K-001", r.token())
	r.must(err)
	if g.Class != grade.A || g.Limits != 0 {
		t.Fatalf("%+v", g)
	}
	strict := grade.Policy{ClassA: 0.95, ClassB: 0.90, ClassC: 0.70, ResistanceCap: 1.5}
	in := shopgrade.LimitsInput{Policy: strict, Token: r.token()}
	changed, n, err := r.Grade.WhatIf(r.ctx, strict)
	r.must(err)
	if n != 1 || len(changed) != 1 || changed[0].Now != grade.A || changed[0].New != grade.C {
		t.Errorf("%+v of %d", changed, n)
	}
	r.must(r.Grade.SaveLimits(r.ctx, in))
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	if m.Class != grade.A {
		t.Errorf("graded anew in silence: %q", m.Class)
	}
	if err := r.Grade.SaveLimits(r.ctx, shopgrade.LimitsInput{Policy: grade.DefaultPolicy, Version: 1,
		Token: r.token()}); !invalid(err, "why") {
		t.Errorf("lowered without a reason: %v", err)
	}
	if err := r.Grade.SaveLimits(kernel.By(r.ctx, "MO"), shopgrade.LimitsInput{Policy: grade.DefaultPolicy,
		Why: "x", Token: r.token()}); !invalid(err, "") {
		t.Errorf("saved over what another saved meanwhile: %v", err)
	}
	g, err = r.Grade.GradeModule(r.ctx, "K-001", r.token())
	r.must(err)
	if g.Class != grade.C || g.Limits != 1 || g.Fitness != grade.Watch {
		t.Errorf("by the shop's limits: %+v", g)
	}
	r.must(r.Grade.SaveLimits(r.ctx, shopgrade.LimitsInput{Policy: grade.DefaultPolicy, Version: 1, Why: "as before",
		Token: r.token()}))
	if h, err := r.Grade.LimitsHistory(r.ctx); err != nil || len(h) != 2 || h[1].Policy() != strict {
		t.Errorf("%v: %+v", err, h)
	}
}
