package shop_test

import (
	"errors"
	"slices"
	"testing"

	"pandrel/core/module/teardown"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/shop/undo"
)

func TestTeardownOfAModule(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	steps := []teardown.Step{{Do: "lid", Fastener: "M4 screw", Count: 8, Keep: "lid", KeepCount: 1},
		{Do: "board", Keep: "board", KeepCount: 1}}
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, Steps: slices.Clone(steps),
		Token: r.token()}))
	row, kept, _, err := r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(err)
	if kept[0].Key != "s1" || kept[1].Key != "s2" {
		t.Errorf("keys %+v", kept)
	}
	var con *kernel.Conflict
	if err := r.Measure.SaveTeardown(kernel.By(r.ctx, "MO"), measure.TeardownInput{TypeID: r.typ.ID, Steps: steps,
		Token: r.token()}); !errors.As(err, &con) {
		t.Errorf("a list made before the newest one was saved over it: %v", err)
	}
	// A step put before the others keeps their keys.
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: append([]teardown.Step{{Do: "cover"}}, kept...), Token: r.token()}))
	_, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	if kept[0].Key != "s3" || kept[1].Key != "s1" {
		t.Errorf("keys %+v", kept)
	}
	step := func(key, way string, n, parts int) error {
		return r.Measure.RecordTeardownStep(r.ctx, measure.TeardownStepInput{Number: "K-001", Step: key, Way: way,
			Fasteners: n, Parts: parts, Token: r.token()})
	}
	if err := step("s1", teardown.On, 8, 1); !invalid(err, "") {
		t.Errorf("on before off: %v", err)
	}
	r.must(step("s3", teardown.Off, 0, 0))
	r.must(step("s1", teardown.Off, 8, 1))
	r.must(step("s1", teardown.On, 7, 1))
	m, _ := r.Module(r.ctx, "K-001")
	o, ok, err := r.Measure.OpeningOf(r.ctx, m)
	if err != nil || !ok || o.Done || o.Findings[0].Code != "missing" {
		t.Errorf("%+v %v", o, err)
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.Opened) != 1 || day.Opened[0].Number != "K-001" ||
		day.Opened[0].Missing == "" {
		t.Errorf("today says nothing of it: %+v %v", day.Opened, err)
	}
	// A count that was typed wrong is taken back with the reason, the last one first; then the step is as it was
	// before.
	o, _, _ = r.Measure.OpeningOf(r.ctx, m)
	strike := func(id int64) error {
		return r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeOpening, RowID: id,
			Reason: "the screws of another module", Token: r.token()})
	}
	if err := strike(o.Last.ID - 1); !invalid(err, "row") {
		t.Errorf("not the last: %v", err)
	}
	last := o.Last.ID
	r.must(strike(last))
	if err := strike(last); err == nil {
		t.Error("taken back twice")
	}
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || o.Last.ID != last-1 || o.States[1].IsOn ||
		len(o.Tray) == 0 {
		t.Errorf("%+v %v", o, err)
	}
	r.must(step("s1", teardown.On, 7, 1))
	// A step that was taken out never lends its key to another.
	row, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	// without s3
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID, Steps: kept[1:],
		Token: r.token()}))
	row, _, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: append(slices.Clone(kept[1:]), teardown.Step{Do: "plate"}), Token: r.token()}))
	if _, now, _, _ := r.Measure.TeardownOf(r.ctx, r.typ.ID); now[2].Key != "s4" {
		t.Errorf("the new step has the key %s", now[2].Key)
	}
	// The list loses a step while the module is open: its part stays in the tray until it is back.
	row, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(r.Measure.SaveTeardown(kernel.By(r.ctx, "MO"), measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: kept[:1], Token: r.token()}))
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || len(o.Tray) != 2 || len(o.States) != 3 {
		t.Errorf("%d in the tray, %d steps, %v", len(o.Tray), len(o.States), err)
	}
	r.must(step("s1", teardown.On, 8, 1))
	r.must(step("s3", teardown.On, 0, 0))
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || !o.Done || len(o.States) != 1 {
		t.Errorf("closed: %+v %v", o, err)
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.Opened) != 0 {
		t.Errorf("today still says: %+v %v", day.Opened, err)
	}
	if err := step("s9", teardown.Off, 0, 0); !invalid(err, "") {
		t.Errorf("a step that is not there: %v", err)
	}
	r.look("K-002", "swollen")
	if err := r.Measure.RecordTeardownStep(r.ctx, measure.TeardownStepInput{Number: "K-002", Step: "s1",
		Way: teardown.Off, Token: r.token()}); !blocked(err) {
		t.Errorf("a swollen module was opened: %v", err)
	}
}
