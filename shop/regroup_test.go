package shop_test

import (
	"errors"
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/mount"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/capacity"
	"pandrel/core/module/isolation"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/steps"
	"pandrel/shop/types"
	"pandrel/shop/undo"
	"pandrel/store"
)

// bolted says of the type that everything in it is bolted, of as many elements in each group.
func (r *rig) bolted(elements int) {
	r.t.Helper()
	joints := make([]string, 6)
	for i := range joints {
		joints[i] = variant.Bolted
	}
	_, err := r.Types.SaveInside(r.ctx, r.typ.ID, r.version(), variant.Told{Elements: elements, Joints: joints,
		Across: variant.Bolted}, r.token())
	r.must(err)
}

// regroups signs the next step of a module's regrouping as it should read.
func (r *rig) regroups(number string) (more bool) {
	r.t.Helper()
	v, err := r.Regroup.Of(r.ctx, number)
	r.must(err)
	st := gates.Next(v.States, "")
	if st == nil {
		return false
	}
	in := steps.Input{Step: st.Key, Confirm: true, Token: r.token()}
	switch high := st.High; {
	case st.Ask == gates.AskIsolation:
		in.Case = &isolation.Readings{PackVolts: st.ExpectVolts}
	case st.Unit == "mm":
		in.Reading = finding.Of(max(st.Low, 80))
	case st.Low > 0:
		in.Reading = finding.Of((st.Low + high) / 2)
	case st.Ask == gates.AskReading:
		in.Reading = finding.Of(0.001)
	case st.Ask == gates.AskTotals:
		in.Reading, in.Other = finding.Of(st.ExpectVolts), finding.Of(st.OtherVolts)
	}
	fs, err := r.Regroup.Sign(r.ctx, v.Module.ID, in)
	r.must(err)
	if finding.Worst(fs) >= finding.Stop {
		r.t.Fatalf("%s: %v", st.Title, fs)
	}
	return true
}

// A module is cut: nothing else is done with it meanwhile, what comes of it knows it and holds no test, and the old one
// is on record and off the path.
func TestAModuleIsCut(t *testing.T) {
	r := newRig(t)
	r.graded(1)
	number := "K-001"
	var stopped *kernel.Blocked
	begin := func(way string) error { return r.Regroup.Begin(r.ctx, number, way, r.token()) }
	if err := begin("cut-7"); !errors.As(err, &stopped) {
		t.Fatalf("%v: expected that nobody knows how its groups are joined", err)
	}
	r.bolted(1)
	r.must(begin("cut-7"))
	if _, err := r.survey(number, flat(3.7)...); !errors.As(err, &stopped) {
		t.Errorf("%v: expected no survey of a module that is being cut", err)
	}
	r.must(r.Regroup.Leave(r.ctx, number, r.token()))
	_, err := r.survey(number, flat(3.712)...)
	r.must(err)
	r.must(begin("cut-7"))
	if _, err := r.Regroup.Made(r.ctx, number, r.token()); !errors.As(err, &stopped) {
		t.Errorf("%v: expected every step to be signed first", err)
	}
	var sv store.Survey
	r.must(r.Store.DB.Order("id DESC").First(&sv).Error)
	if err := r.Undo.Strike(r.ctx, undo.StrikeInput{Number: number, Kind: "survey", RowID: sv.ID,
		Reason: "the meter was on the wrong range", Token: r.token()}); err == nil {
		t.Error("the survey that its steps stand on was taken back")
	}
	n := 0
	for r.regroups(number) {
		if n++; n == 6 {
			if err := r.Regroup.Leave(r.ctx, number, r.token()); err == nil {
				t.Error("a module whose first link was touched was given back as it was")
			}
		}
	}
	made, err := r.Regroup.Made(r.ctx, number, r.token())
	r.must(err)
	if len(made) != 7 || made[6].Number != "K-001-7" {
		t.Fatalf("%v: expected seven modules, K-001-1 to K-001-7", made)
	}
	var last store.Module
	r.must(r.Store.DB.First(&last, made[6].ID).Error)
	ty, err := r.Type(r.ctx, last.TypeID)
	r.must(err)
	if last.ParentID == nil || last.MadeOf != "group 7" || last.CapacityAh != 0 || last.Station !=
		station.Inspect || ty.PlateSeries != 1 || math.Abs(ty.RatedAh-46) > 1e-9 || ty.LayoutID == nil {
		t.Errorf("%+v of %+v: expected one group of K-001, nothing tested, to be looked at", last, ty)
	}
	old, err := r.Module(r.ctx, number)
	r.must(err)
	known, _, err := r.Record.EstimateOf(r.ctx, last, ty)
	r.must(err)
	if gave := old.CapacityAh; known.LowAh > gave || known.LowAh < 0.95*gave || known.HighAh < gave ||
		known.Basis != capacity.Part {
		t.Errorf("%+v: expected no less than K-001 gave, %.1f Ah", known, gave)
	}
	if old.Station != station.Out || !strings.Contains(old.Hold, "became K-001-1") || old.CapacityAh == 0 {
		t.Errorf("%+v: expected it off the path, with what was measured of it", old)
	}
	if _, err := r.survey(number, flat(3.7)...); !errors.As(err, &stopped) ||
		stopped.Findings[0].Code != "became-others" {
		t.Errorf("%v: expected no work with what is no module any more", err)
	}
	if err := begin("cut-7"); !errors.As(err, &stopped) {
		t.Errorf("%v: expected it to be cut once", err)
	}
	var step store.StepRecord
	r.must(r.Store.DB.Where("kind = 'regroup'").Order("id DESC").First(&step).Error)
	if err := r.Undo.StrikeAlone(r.ctx, "step", step.ID, "typed by mistake, as it seems", r.token()); err == nil {
		t.Error("a step that made seven modules was taken back")
	}
	lots, err := r.Desk.Lots(r.ctx)
	r.must(err)
	if lots[0].Modules != 1 || lots[0].Costs.PerModule != 100 {
		t.Errorf("%+v: expected the lot to be one module, as it was bought", lots[0])
	}
}

// Whatever a module is regrouped into can be worked to its end; a second one of its kind makes no second type.
func TestEveryWayEnds(t *testing.T) {
	r := newRig(t)
	r.graded(3)
	r.bolted(2)
	for i, way := range []string{"series-14", "series-1", "series-14"} {
		number := []string{"K-001", "K-002", "K-003"}[i]
		r.must(r.Regroup.Begin(r.ctx, number, way, r.token()))
		for r.regroups(number) {
		}
		made, err := r.Regroup.Made(r.ctx, number, r.token())
		r.must(err)
		if len(made) != 1 {
			t.Fatalf("%s: %d modules: expected one", way, len(made))
		}
		ty, err := r.Type(r.ctx, made[0].TypeID)
		r.must(err)
		want := map[string]struct {
			series int
			ah     float64
		}{"series-14": {14, 23}, "series-1": {1, 46 * 7}}[way]
		if ty.PlateSeries != want.series || math.Abs(ty.RatedAh-want.ah) > 0.01 {
			t.Errorf("%s: %d groups of %.1f Ah: expected %+v", way, ty.PlateSeries, ty.RatedAh, want)
		}
	}
	var n int64
	r.must(r.Store.DB.Model(&store.ModuleType{}).Count(&n).Error)
	if n != 3 {
		t.Errorf("%d types: expected the one received and one for each way", n)
	}
}

// What is known of the cells goes over to what comes of a module: pouches stay pouches, and the force of the old stack
// is not taken for that of the new one. A type that was changed under the work is said, and is no error.
func TestPouchesStayPouches(t *testing.T) {
	r := newRig(t)
	r.graded(1)
	r.bolted(1)
	_, err := r.Types.SaveSize(r.ctx, r.typ.ID, types.SizeInput{Version: r.version(), Mount: &mount.Mount{
		Cells: mount.Pouch, PressKN: 2, Post: mount.Stud, ThreadMM: 6}, Token: r.token()})
	r.must(err)
	r.must(r.Regroup.Begin(r.ctx, "K-001", "cut-7", r.token()))
	joints := []string{variant.Welded, variant.Welded, variant.Welded, variant.Welded, variant.Welded, variant.Welded}
	_, err = r.Types.SaveInside(r.ctx, r.typ.ID, r.version(), variant.Told{Elements: 1, Joints: joints}, r.token())
	r.must(err)
	v, err := r.Regroup.Of(r.ctx, "K-001")
	r.must(err)
	if v.Way != nil || len(v.Not) == 0 {
		t.Errorf("%+v: expected to be told that its way is not possible any more", v.Not)
	}
	r.bolted(1)
	for r.regroups("K-001") {
	}
	made, err := r.Regroup.Made(r.ctx, "K-001", r.token())
	r.must(err)
	ty, err := r.Type(r.ctx, made[0].TypeID)
	r.must(err)
	m, err := ty.Mounted()
	r.must(err)
	if m != (mount.Mount{Cells: mount.Pouch}) {
		t.Errorf("%+v: expected pouches of which nobody knows the force", m)
	}
}

// A gap that shows volts stops the work and says what it looks like; nothing passes it in writing.
func TestAGapWithVoltsStopsTheWork(t *testing.T) {
	r := newRig(t)
	r.graded(1)
	r.bolted(1)
	r.must(r.Regroup.Begin(r.ctx, "K-001", "cut-7", r.token()))
	for range 5 {
		r.regroups("K-001")
	}
	v, err := r.Regroup.Of(r.ctx, "K-001")
	r.must(err)
	st := gates.Next(v.States, "")
	if !strings.HasPrefix(st.Key, "off ") {
		t.Fatalf("%s: expected a link to come off next", st.Title)
	}
	fs, err := r.Regroup.Sign(r.ctx, v.Module.ID, steps.Input{Step: st.Key,
		Reading: finding.Of(7.42), Token: r.token()})
	r.must(err)
	if !strings.Contains(finding.Sorted(fs)[0].Text+finding.Sorted(fs)[1].Text, "2 groups hold") {
		t.Errorf("%v: expected to be told what 7.42 V look like", fs)
	}
	var open *kernel.Blocked
	_, err = r.Regroup.Sign(r.ctx, v.Module.ID, steps.Input{Step: st.Key,
		Override: "the gap shows volts and it is closed all the same", Token: r.token()})
	if !errors.As(err, &open) {
		t.Errorf("%v: expected that nothing written passes it", err)
	}
}
