package shop_test

import (
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/change"
	"pandrel/core/bank/match"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/shop/floor"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
	"pandrel/shop/types"
	"pandrel/store"
)

// drawn is a bank's drawing as it is shown now.
func (r *rig) drawn(id int64) floor.Drawn {
	r.t.Helper()
	v, err := r.Floor.Load(r.ctx, id)
	r.must(err)
	return v
}

func (r *rig) draw(id int64, op change.Op) {
	r.t.Helper()
	r.must(r.Floor.Change(r.ctx, floor.ChangeInput{BankID: id, At: r.drawn(id).At, Op: op, Token: r.token()}))
}

// Each change is a row of its own: undo and redo go along them, and nothing that was drawn is ever lost.
func TestNoDrawingIsLost(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, d := r.designed(match.ParallelFirst)
	first := r.drawn(id)
	if first.At != 0 || len(first.State.Drawing.Pieces) < 4 || first.Undo != "" {
		t.Fatalf("%d pieces, undo %q: expected the design, which nobody changed", len(first.State.Drawing.Pieces),
			first.Undo)
	}
	number := d.Places[0].Number
	r.draw(id, change.Op{Do: change.Move, ID: number, X: 1200, Y: 900})
	r.draw(id, change.Op{Do: change.Turn, ID: number})
	at := r.drawn(id)
	r.must(r.Floor.Undo(r.ctx, id, at.At, r.token()))
	back := r.drawn(id)
	if p := back.State.Drawing.Piece(number).Place; p.Turn != first.State.Drawing.Piece(number).Place.Turn ||
		back.Redo == "" {
		t.Errorf("undone %+v, redo %q: expected the turn taken back and to be had again", p, back.Redo)
	}
	r.draw(id, change.Op{Do: change.Flip, ID: number}) // another way from here
	r.must(r.Floor.GoTo(r.ctx, id, r.drawn(id).At, at.At, r.token()))
	shown := r.drawn(id)
	if p := shown.State.Drawing.Piece(number).Place; p != at.State.Drawing.Piece(number).Place {
		t.Errorf("%+v: expected what was undone, as it was", p)
	}
	for range 10 {
		v := r.drawn(id)
		if v.Undo == "" {
			break
		}
		r.must(r.Floor.Undo(r.ctx, id, v.At, r.token()))
	}
	if v := r.drawn(id); !reflect.DeepEqual(v.State.Drawing, first.State.Drawing) {
		t.Errorf("all undone it differs from the design: %v", v.Apart)
	}
	rows, err := r.Floor.Versions(r.ctx, id, 100)
	r.must(err)
	if len(rows) != 4 { // as it drew itself, moved, turned, flipped
		t.Errorf("%d rows: expected four", len(rows))
	}
	// A window that shows an older one changes nothing.
	err = r.Floor.Change(r.ctx, floor.ChangeInput{BankID: id, At: at.At, Op: change.Op{Do: change.Flip, ID: number},
		Token: r.token()})
	if err == nil || !strings.Contains(err.Error(), "meanwhile") {
		t.Errorf("%v: expected to be told that it was changed meanwhile", err)
	}
}

// A bank is built by its drawing once somebody says so: its wiring is the drawn one, and what was checked before does
// not hold. A drawing of other modules, or with a short, is none to build by.
func TestABankIsBuiltByItsDrawing(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, d := r.designed(match.ParallelFirst)
	if v := r.drawn(id); len(v.Sizes) != 1 {
		t.Fatalf("%v: expected to be asked for the size of one type", v.Sizes)
	}
	_, err := r.Types.SaveSize(r.ctx, r.typ.ID, types.SizeInput{Version: r.version(), WidthMM: 400, DepthMM: 100,
		Token: r.token()})
	r.must(err)
	if v := r.drawn(id); len(v.Sizes) != 0 || len(v.State.Drawing.Assumed(v.Units)) != 0 {
		t.Errorf("%v: expected no size to be asked for", v.Sizes)
	}
	before, _, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	r.draw(id, change.Op{Do: change.Add, Kind: "stud"})
	top := ""
	for _, c := range r.drawn(id).State.Drawing.Joints {
		if c.ID == "F1" {
			top = c.From
		}
	}
	r.draw(id, change.Op{Do: change.Take, ID: "F1"})
	r.draw(id, change.Op{Do: change.Join, Kind: "fuse", A: top, B: "S1"})
	r.draw(id, change.Op{Do: change.Join, Kind: "switch", A: "S1", B: "OUT+"})
	if w := r.wiring(id); slices.ContainsFunc(w.Netlist.Conductors, func(c netlist.Conductor) bool {
		return c.Kind == netlist.Switch
	}) {
		t.Error("drawn alone it counts already: expected it to wait until somebody builds by it")
	}
	r.must(r.Floor.Build(r.ctx, id, r.drawn(id).At, r.token()))
	after, _, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	w := r.wiring(id)
	var kinds []netlist.Kind
	for _, s := range w.Report.BuildOrder {
		kinds = append(kinds, s.Kind)
	}
	if after.DesignVersion != before.DesignVersion+1 || !slices.Contains(kinds, netlist.Switch) || w.Drawn == nil {
		t.Errorf("version %d, order %v: expected what was drawn, and everything to be checked anew",
			after.DesignVersion, kinds)
	}
	if len(w.Report.Unmonitored) > 0 || len(w.Expected["B1"]) != 15 {
		t.Errorf("%v hidden, %d leads: expected none hidden and 15 leads", w.Report.Unmonitored, len(w.Expected["B1"]))
	}
	r.draw(id, change.Op{Do: change.Take, ID: d.Places[0].Number})
	if err := r.Floor.Build(r.ctx, id, r.drawn(id).At, r.token()); err == nil ||
		!strings.Contains(err.Error(), d.Places[0].Number) {
		t.Errorf("%v: expected the module that is missing to be named", err)
	}
	if r.wiring(id).Drawn == nil {
		t.Error("the drawing that it is built by does not count any more")
	}
	r.must(r.Floor.AsDesigned(r.ctx, id, r.drawn(id).At, r.token()))
	if r.wiring(id).Drawn != nil {
		t.Error("built as designed, and the drawing still counts")
	}
}

// A picture of a bank is pinned to the drawing that it is built by, and changes nothing of how it is built.
func TestAPictureChangesNoBuild(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	r.draw(id, change.Op{Do: change.Move, ID: "B1", X: 900, Y: 900})
	r.must(r.Floor.Build(r.ctx, id, r.drawn(id).At, r.token()))
	b, _, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	r.must(r.Floor.Change(r.ctx, floor.ChangeInput{BankID: id, At: r.drawn(id).At, Picture: grey(t),
		Op: change.Op{Do: change.Pin, ID: "B1"}, Token: r.token()}))
	after, _, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	if v := r.drawn(id); !v.Built || after.DesignVersion != b.DesignVersion || len(v.State.Drawing.Pins) != 1 {
		t.Errorf("built %v, version %d after %d: expected it built as before, with its picture", v.Built,
			after.DesignVersion, b.DesignVersion)
	}
}

// The build is signed step by step: a reading out of range stops with what it looks like, and what is out of turn is
// judged on the bank as it is.
func TestABuildIsSigned(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	a, err := r.Procedure.AssemblyOf(r.ctx, id)
	r.must(err)
	sign := func(in steps.Input) ([]finding.Finding, error) {
		in.Token = r.token()
		return r.Procedure.RecordStep(r.ctx, procedure.Build, id, in)
	}
	place := ""
	for _, s := range a.Wiring.Steps {
		if s.Module != "" && place == "" {
			place = s.Key
		}
	}
	_, err = sign(steps.Input{Step: place, Reading: finding.Of(25.97)})
	var stopped *kernel.Blocked
	if !errors.As(err, &stopped) {
		t.Fatalf("%v: expected the bench to be prepared first", err)
	}
	_, err = sign(steps.Input{Step: "prepare", Confirm: true})
	r.must(err)
	fs, err := sign(steps.Input{Step: place, Reading: finding.Of(0.004)})
	r.must(err)
	if !slices.ContainsFunc(fs, func(f finding.Finding) bool { return strings.Contains(f.Text, "one post twice") }) {
		t.Errorf("%v: expected to be told what 0.004 V look like", fs)
	}
	if a, err = r.Procedure.AssemblyOf(r.ctx, id); err != nil || !a.States[1].Failed {
		t.Errorf("%+v: expected a reading that does not pass to stand", a.States[1])
	}
	keepsOut := func() []finding.Finding {
		t.Helper()
		b, n, d, err := r.Bank.ByID(r.ctx, id)
		r.must(err)
		w, err := r.Bank.PlanWiring(r.ctx, b, n, *d)
		r.must(err)
		c, err := r.Procedure.CommissionOf(r.ctx, b, n, *d, w)
		r.must(err)
		return c.Open
	}
	if !slices.ContainsFunc(keepsOut(), func(f finding.Finding) bool { return f.Code == "build-step-failed" }) {
		t.Error("a reading of the build did not pass, and nothing keeps the bank out of service by it")
	}
	_, err = sign(steps.Input{Step: "fit L1", Reading: finding.Of(25.97)})
	if !errors.As(err, &stopped) || !strings.Contains(stopped.Findings[0].Text, "not measured in its place") {
		t.Errorf("%v: expected the modules to be placed first", err)
	}
	_, err = sign(steps.Input{Step: place, Reading: finding.Of(25.97)})
	r.must(err)
	findingtest.Lacks(t, keepsOut(), "build-step-failed")
	var rows []store.StepRecord
	r.must(r.Store.DB.Where("kind = ?", procedure.Build).Find(&rows).Error)
	if len(rows) != 3 || rows[1].OK || rows[1].DoneBy != "AK" {
		t.Errorf("%d rows: expected three, the bad reading kept with who read it", len(rows))
	}
}

// A design is worked out once while nothing is recorded, and anew as soon as something is.
func TestAPlanFollowsTheRecord(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, d := r.designed(match.ParallelFirst)
	before := r.drawn(id)
	r.at = r.at.Add(time.Hour)
	number := d.Places[0].Number
	_, err := r.survey(number, flat(3.74)...)
	r.must(err)
	after := r.drawn(id)
	if was, now := before.Units[number].Groups[0].Volts, after.Units[number].Groups[0].Volts; was != 3.71 ||
		now != 3.74 {
		t.Errorf("%v V, then %v V: expected the plan to follow the survey", was, now)
	}
	r.draw(id, change.Op{Do: change.Move, ID: number, X: 2000, Y: 50})
	if got := r.drawn(id); got.State.Drawing.Piece(number).Place.XMM != 2000 || len(got.Apart) == 0 {
		t.Error("a drawing is kept instead of the design that it is of")
	}
}

// BenchmarkPress is one press on a plan with four modules: the change, and what is shown after it.
func BenchmarkPress(b *testing.B) {
	r := newRig(b)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	for i := 0; b.Loop(); i++ {
		r.draw(id, change.Op{Do: change.Move, ID: "B1", X: float64(900 + 20*(i%5)), Y: 900})
		r.drawn(id)
	}
}

// What is in hand of a part counts for every plan that asks for the same one; a part that is not on the list is not
// kept.
func TestPartsInHand(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	parts := func() []floor.Part {
		list, err := r.Floor.PartsOf(r.ctx, r.drawn(id))
		r.must(err)
		return list
	}
	count := func(key string, n int) error {
		return r.Floor.CountParts(r.ctx, floor.HandInput{BankID: id, Counts: map[string]int{key: n}, Token: r.token()})
	}
	first := parts()[0]
	if first.Counted || first.Buy != first.Count+first.Spare {
		t.Fatalf("%+v: expected all of it to be bought", first)
	}
	r.must(count(first.Key(), first.Count-1))
	if now := parts()[0]; now.Have != first.Count-1 || now.Buy != 1+first.Spare {
		t.Errorf("%+v: expected one of it to be bought", now)
	}
	r.must(count(first.Key(), 1000))
	if now := parts()[0]; now.Buy != 0 {
		t.Errorf("%+v: expected none of it to be bought", now)
	}
	for name, err := range map[string]error{"not on the list": count("gold bar||0", 3),
		"fewer than none": count(first.Key(),
			-1)} {
		if err == nil {
			t.Errorf("%s: expected to be refused", name)
		}
	}
	if now := parts()[0]; now.Have != 1000 {
		t.Errorf("%+v: a count that was refused is kept", now)
	}
}
