package shop_test

import (
	"errors"
	"testing"
	"time"

	"pandrel/core/bank/whole"
	"pandrel/core/base/station"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/start"
	"pandrel/shop/steps"
	"pandrel/shop/types"
	"pandrel/shop/undo"
)

// once is a token of the length that forms have.
func (r *rig) once() string { return r.token() + ".0123456789ab" }

// Steps are taken back in the opposite order, and the work stands where it was.
func TestStepsAreTakenBackLastFirst(t *testing.T) {
	r := newRig(t)
	p, err := r.Procedure.SavePack(r.ctx, procedure.PackInput{Name: "S-1", LotID: r.lot.ID,
		Pack: pack.Pack{Volts: []float64{25.9, 25.9, 25.9}, DisconnectAfter: 1}, Token: r.token()})
	r.must(err)
	tokens := []string{r.once(), r.once()}
	for i, k := range []string{"history", "licensed"} {
		_, err := r.Procedure.RecordStep(r.ctx, procedure.Pack, p.ID, steps.Input{Step: k, Confirm: true,
			Name: "Ada Karlsen", Token: tokens[i]})
		r.must(err)
	}
	view := func() procedure.PackView {
		v, err := r.Procedure.PackByID(r.ctx, p.ID)
		r.must(err)
		return v
	}
	v := view()
	if len(v.Records) != 2 {
		t.Fatalf("%d records", len(v.Records))
	}
	err = r.Undo.StrikeAlone(r.ctx, record.StrikeStep, v.Records[0].ID, "the wrong pack was asked about", r.token())
	if !errors.As(err, new(*kernel.Invalid)) {
		t.Errorf("a step under a later one: %v", err)
	}
	if !r.Undo.MayUndo(r.ctx, tokens[1]) {
		t.Error("the last step cannot be undone")
	}
	_, err = r.Undo.Undo(r.ctx, tokens[1], r.token())
	r.must(err)
	if err := r.Undo.StrikeAlone(r.ctx, record.StrikeStep, v.Records[0].ID, "no", r.token()); err == nil {
		t.Error("without a reason")
	}
	r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeStep, v.Records[0].ID, "the wrong pack was asked about", r.token()))
	v = view()
	if len(v.Records) != 0 || len(v.Struck) != 2 || v.States[0].Done {
		t.Errorf("%d records, %d struck, first done: %v", len(v.Records), len(v.Struck), v.States[0].Done)
	}
	var kept int64
	r.must(r.Store.DB.Table("step_records").Count(&kept).Error)
	if kept != 2 {
		t.Errorf("%d rows: what was recorded stays for ever", kept)
	}
}

// A gate of a bank in service is what it is in service by.
func TestGatesOfABankInServiceStand(t *testing.T) {
	r := newRig(t)
	made := r.cells(4, 12)
	r.planned(made.Bank.ID)
	r.must(r.Store.DB.Exec("INSERT INTO step_records (kind, subject_id, version, step, done_by, done_at, ok, value, "+
		"reading, findings, override, token) VALUES ('bank', ?, 1, 'x', 'AK', ?, 1, 0, '', '[]', '', 'made-here')",
		made.Bank.ID, r.at).Error)
	r.must(r.Store.DB.Exec("UPDATE banks SET station = ?", station.Keep).Error)
	err := r.Undo.StrikeAlone(r.ctx, record.StrikeStep, 1, "the fuse was not looked at", r.token())
	if !errors.As(err, new(*kernel.Invalid)) {
		t.Errorf("%v", err)
	}
}

// A design is taken back within a minute from where it was made, and its modules are free again.
func TestADesignIsUndone(t *testing.T) {
	r := newRig(t)
	made := r.cells(4, 12)
	r.planned(made.Bank.ID)
	b, _, _, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	if b.DesignToken == "" || !r.Undo.MayUndo(r.ctx, b.DesignToken+"") {
		t.Fatalf("token %q: not offered", b.DesignToken)
	}
	what, err := r.Undo.Undo(r.ctx, b.DesignToken, r.token())
	r.must(err)
	b2, _, d, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	m, err := r.Module(r.ctx, made.Modules[0].Number)
	r.must(err)
	if d != nil || m.BankID != nil || b2.Version <= b.Version || what != "design of "+b.Name {
		t.Errorf("%q: design %v, module in %v", what, d, m.BankID)
	}
	r.planned(made.Bank.ID)
	b, _, _, err = r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	r.at = r.at.Add(2 * time.Minute)
	if r.Undo.MayUndo(r.ctx, b.DesignToken) {
		t.Error("offered after two minutes")
	}
}

// Map readings count no more once they are taken back, but not while the layout in use rests on them.
func TestMapReadingsAreTakenBack(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.mapType("K-001")
	r.look("K-002")
	dead := chain()
	for i := range dead {
		if dead[i].Red == "X4" || dead[i].Black == "X4" {
			dead[i].Volts = 0.01
		}
	}
	token := r.once()
	_, _, err := r.Measure.RecordProbes(r.ctx, measure.ProbesInput{Number: "K-002", Readings: dead, Token: token})
	r.must(err)
	pins, err := r.Measure.DeadPins(r.ctx, r.typ)
	r.must(err)
	if len(pins) == 0 {
		t.Fatal("the dead pin is not seen: this test tests nothing")
	}
	_, err = r.Undo.Undo(r.ctx, token, r.token())
	r.must(err)
	if pins, err = r.Measure.DeadPins(r.ctx, r.typ); err != nil || len(pins) > 0 {
		t.Errorf("%v %v: readings that were taken back still speak", pins, err)
	}
	err = r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeProbes, RowID: 1,
		Reason: "it was another module on the bench", Token: r.token()})
	if !errors.As(err, new(*kernel.Invalid)) {
		t.Errorf("readings under the layout in use: %v", err)
	}
}

// Surveys and tests of a standing bank are taken back; a group confirmed below never-recharge is not.
func TestAStandingBanksRecordsAreTakenBack(t *testing.T) {
	r := newRig(t)
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "kiosk", Token: r.token(),
		Bank: standing.Bank{Strings: 1}, Cells: standing.Cells{Series: 4, Chemistry: "lfp", Ah: 100},
		Survey: &procedure.StandingReadings{Volts: []float64{3.3, 3.3, 3.3, 3.3}, Rest: 60}})
	r.must(err)
	_, err = r.Procedure.RecordBankTest(r.ctx, row.ID, whole.Test{CapacityAh: 70, FromFull: true,
		EndedBy: 2, EndVolts: 2.5}, r.token())
	r.must(err)
	v, err := r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeTest, v.Tests[0].ID, "the charger was still on", r.token()))
	r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeBankSurvey, v.Surveys[0].ID, "another bank was measured", r.token()))
	v, err = r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	if len(v.Tests)+len(v.Surveys) != 0 || len(v.Struck) != 2 {
		t.Errorf("%d tests, %d surveys, %d struck", len(v.Tests), len(v.Surveys), len(v.Struck))
	}
	if err := r.Undo.StrikeAlone(r.ctx, "look", 1, "a module's look is not of a bank", r.token()); err == nil {
		t.Error("a look by the way of banks")
	}
}

// What stands joined is one thing with the amp hours of all.
func TestPairsThatStandJoined(t *testing.T) {
	r := newRig(t)
	in := start.Input{New: types.NewInput{Name: "pair", Chemistry: "lfp", RatedAh: 100, Series: 4, Posts: 2}, Count: 4,
		Joined: 2, Stem: "P", Token: r.token()}
	made, err := r.Start.Begin(r.ctx, in)
	r.must(err)
	if made.Type.RatedAh != 200 || len(made.Modules) != 4 {
		t.Errorf("%v Ah, %d labels", made.Type.RatedAh, len(made.Modules))
	}
	if _, err := r.Start.Begin(r.ctx, start.Input{TypeID: r.typ.ID, Count: 4, Joined: 2, Stem: "P",
		Token: r.token()}); !errors.As(err, new(*kernel.Invalid)) {
		t.Errorf("pairs under the rating of one: %v", err)
	}
}

// A type that nothing is of may go; one with modules stays.
func TestAnEmptyTypeIsDeleted(t *testing.T) {
	r := newRig(t)
	typ, err := r.Types.SaveType(r.ctx, types.TypeInput{Name: "slip", Chemistry: "nmc",
		Posts: "A- A+", Token: r.token()})
	r.must(err)
	r.must(r.Types.DeleteType(r.ctx, typ.ID, r.token()))
	r.receive("K-001", 1)
	if err := r.Types.DeleteType(r.ctx, r.typ.ID, r.token()); err == nil {
		t.Error("a type with a module was deleted")
	}
}

// What was typed by mistake counts no more, stays in sight, and the module stands where it is without it.
func TestTakenBack(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.mapType("K-001")
	at := func() station.Station { return r.station("K-001") }
	res, err := r.survey("K-001", 3.71, 3.71, 3.71, 3.71, 3.71, 3.71, 3.5)
	r.must(err)
	if at() != station.Test {
		t.Fatalf("at %s after %s", at(), res.Verdict)
	}
	life, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	strike := func(kind string, id int64, reason string) error {
		return r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: kind, RowID: id, Reason: reason,
			Token: r.token()})
	}
	if strike(record.StrikeSurvey, life.Surveys[0].ID, "no") == nil {
		t.Error("taken back without a reason")
	}
	r.must(strike(record.StrikeSurvey, life.Surveys[0].ID, "typed on the wrong module"))
	if at() != station.Survey {
		t.Errorf("at %s without a survey", at())
	}
	if strike(record.StrikeSurvey, life.Surveys[0].ID, "typed on the wrong module") == nil {
		t.Error("taken back twice")
	}
	life, err = r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if len(life.Surveys) != 0 || len(life.Struck) != 1 || life.Module.Verdict != "" {
		t.Errorf("%d surveys count, %d taken back, %q", len(life.Surveys), len(life.Struck), life.Module.Verdict)
	}
	var n int64
	r.must(r.Store.DB.Raw("SELECT count(*) FROM surveys").Scan(&n).Error)
	if n != 1 {
		t.Error("what was measured is gone")
	}
	// A look that sent a module away by mistake: it goes back to be looked at, and is not free before.
	r.look("K-002", "swollen")
	life, err = r.Desk.Life(r.ctx, "K-002")
	r.must(err)
	in := undo.StrikeInput{Number: "K-002", Kind: record.StrikeLook, RowID: life.Inspections[0].ID,
		Reason: "that was its neighbour", Token: r.token()}
	r.must(r.Undo.Strike(r.ctx, in))
	if m, _, _ := r.ModuleWithType(r.ctx, "K-002"); m.Quarantined || m.Station != station.Inspect {
		t.Errorf("quarantined %v, at %s", m.Quarantined, m.Station)
	}
}

func TestUndoLastsAMinute(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	token := r.token() + ".0123456789ab"
	r.must(r.Receive.LookAll(r.ctx, r.lot.ID, []string{"K-001", "K-002"}, token))
	if !r.Undo.MayUndo(r.ctx, token) {
		t.Error("not offered")
	}
	what, err := r.Undo.Undo(r.ctx, token, r.token())
	if err != nil || what != "2 records" || r.station("K-001") != station.Inspect {
		t.Errorf("%q %v, at %s", what, err, r.station("K-001"))
	}
	r.must(r.Receive.LookAll(r.ctx, r.lot.ID, []string{"K-001"}, token+"2"))
	r.at = r.at.Add(2 * time.Minute)
	if _, err := r.Undo.Undo(r.ctx, token+"2", r.token()); err == nil || r.Undo.MayUndo(r.ctx, token+"2") {
		t.Error("undone after two minutes without a reason")
	}
}

func TestOnlyWhatWasNeverMeasuredIsDeleted(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	if _, err := r.Undo.DeleteModule(r.ctx, "K-001", r.token()); err == nil {
		t.Error("a module that was looked at is gone")
	}
	if err := r.Undo.DeleteLot(r.ctx, r.lot.ID, r.token()); err == nil {
		t.Error("a lot with modules is gone")
	}
	_, err := r.Undo.DeleteModule(r.ctx, "K-002", r.token())
	r.must(err)
	if _, err := r.Module(r.ctx, "K-002"); err == nil {
		t.Error("K-002 is still there")
	}
	var texts []string
	r.must(r.Store.DB.Raw("SELECT text FROM events WHERE text LIKE '%K-002%' OR kind = 'deleted'").Scan(&texts).Error)
	if len(texts) == 0 {
		t.Error("the log does not say so")
	}
	if err := r.Store.DB.Exec("UPDATE events SET text = 'x'").Error; err == nil {
		t.Error("the log can be rewritten")
	}
	lot, err := r.Receive.SaveLot(r.ctx, receive.LotInput{Token: r.token()})
	r.must(err)
	if lot.Supplier != receive.OwnStock || lot.ArrivedOn != "2026-11-01" {
		t.Errorf("%q of %s: expected own stock, today", lot.Supplier, lot.ArrivedOn)
	}
	r.must(r.Undo.DeleteLot(r.ctx, lot.ID, r.token()))
}
