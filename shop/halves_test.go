package shop_test

import (
	"errors"
	"fmt"
	"math"
	"pandrel/shop/undo"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/capacity"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/results"
	"pandrel/shop/start"
	"pandrel/shop/types"
)

// cells begins a job with loose cells for a system.
func (r *rig) cells(n, class int) start.Made {
	r.t.Helper()
	made, err := r.Start.Begin(r.ctx, start.Input{New: types.NewInput{Name: "cell", Chemistry: "lfp", RatedAh: 100,
		Series: 1, Posts: 2}, Count: n, Stem: "C", Class: class, Token: r.token()})
	r.must(err)
	return made
}

// planned designs the first way of a bank.
func (r *rig) planned(id int64) plan.Design {
	r.t.Helper()
	_, n, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	sh, err := r.Bank.Shelf(r.ctx, nil)
	r.must(err)
	cs, err := r.Bank.Candidates(n, sh)
	r.must(err)
	d, err := r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: id, Version: r.bankVersion(id), Key: cs[0].Key(),
		Style: "parallel-first", Token: r.token()})
	r.must(err)
	return d
}

func stoppedBy(err error, code string) bool {
	var b *kernel.Blocked
	return errors.As(err, &b) && slices.ContainsFunc(b.Findings, func(f finding.Finding) bool { return f.Code == code })
}

// From a plate alone a bank is drawn; it is built only once every module was looked at and surveyed, and goes into
// service only once somebody has seen what it holds and what its device bears.
func TestFromAPlateToABank(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	d := r.planned(made.Bank.ID)
	if b := d.Range(); b.LowAh != 50 || b.HighAh != 100 || len(d.Untested()) != 8 || len(d.TestFirst()) == 0 {
		t.Fatalf("%+v, %d untested", b, len(d.Untested()))
	}
	w := r.wiring(made.Bank.ID)
	if len(w.Steps) > 0 || len(w.Expected) > 0 || len(w.Assumed) != 8 {
		t.Errorf("%d steps and %d sense tables of nominal volts", len(w.Steps), len(w.Expected))
	}
	dev, _ := bms.Named(bms.Catalogue(), "T8-100")
	r.must(r.Bank.ChooseBMS(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), dev.Name, r.token()))
	_, err := r.Bank.RecordSense(r.ctx, bank.SenseInput{BankID: made.Bank.ID, BMS: "B1", Token: r.token()})
	if err == nil {
		t.Error("sense leads were judged by nominal volts")
	}
	if err := r.Bank.BankMay(r.Store.DB, made.Bank.ID, 4); !stoppedBy(err, "no-look") || !stoppedBy(err, "no-survey") {
		t.Errorf("built without a look and a survey: %v", err)
	}
	for _, m := range made.Modules {
		r.look(m.Number)
		_, err := r.survey(m.Number, 3.30)
		r.must(err)
	}
	if w = r.wiring(made.Bank.ID); len(w.Steps) == 0 || len(w.Assumed) > 0 {
		t.Errorf("%d steps once all are surveyed", len(w.Steps))
	}
	open := map[string]bool{}
	for _, st := range r.commission(made.Bank.ID).States {
		open[st.Key] = true
	}
	if !open["whole-test"] || !open["device"] {
		t.Errorf("gates: %v", open)
	}
	// Tested whole, it is set by what it gave, though that is less than its modules promised.
	_, err = r.Procedure.RecordBankTest(r.ctx, procedure.Bank, made.Bank.ID, whole.Test{CapacityAh: 41, FromFull: true,
		EndedBy: 3, EndVolts: 2.5}, r.token())
	r.must(err)
	b, n, now, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	_, rows, err := r.Bank.SettingsSheet(r.ctx, b, n, *now)
	r.must(err)
	for _, row := range rows {
		if row.Name == "Capacity" && row.Value != "41.0" {
			t.Errorf("capacity set: %s", row.Value)
		}
	}
	for _, st := range r.commission(made.Bank.ID).States {
		if st.Key == "whole-test" {
			t.Error("its capacity is asked for, though it was tested whole")
		}
	}
	// Taken back, the modules go on where they are on their path.
	r.must(r.Bank.UndoDesign(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), r.token()))
	if at := r.station(made.Modules[0].Number); at != station.Test {
		t.Errorf("at %s", at)
	}
}

// What cannot be planned with is named with its reason, also where nobody said what it is.
func TestWhatIsLeftOutIsNamed(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1) // of a type without a layout
	_, err := r.Start.Begin(r.ctx, start.Input{New: types.NewInput{Name: "unlabelled", Series: 1, RatedAh: 50},
		Count: 1, Stem: "C", Token: r.token()})
	r.must(err)
	sh, err := r.Bank.Shelf(r.ctx, nil)
	r.must(err)
	why := map[string]string{}
	for _, o := range sh.Out {
		why[o.Number] = o.Why
	}
	if !strings.Contains(why["K-001"], "no layout") || !strings.Contains(why["C-001"], "no declared chemistry") {
		t.Errorf("%v", why)
	}
}

// Readings of seven groups are not made those of six by a word.
func TestDeclaringAnotherCountAfterASurvey(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	_, err := r.survey("K-001", 3.71, 3.71, 3.71, 3.71, 3.71, 3.71, 3.71)
	r.must(err)
	typ, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	_, err = r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: typ.ID, Version: typ.Version, Series: 6,
		Posts: "A- A+", Token: r.token()})
	if err == nil || !strings.Contains(err.Error(), "K-001 was surveyed with 7 groups") {
		t.Errorf("%v", err)
	}
}

// Two kinds of half a word: what two halves say together, and what one says alone.
func TestHalvesOfAModule(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	part := func(number string, from, to int, ah float64) error {
		return r.Results.RecordHandResult(r.ctx, results.HandInput{Number: number, CapacityAh: ah, FromGroup: from,
			ToGroup: to, FromFull: true, LowestEndVolts: 3.0, Amps: 10, Token: r.token()})
	}
	r.must(part("K-001", 1, 4, 39))
	r.must(part("K-002", 1, 3, 38))
	r.must(part("K-001", 5, 7, 37))
	m, typ, err := r.ModuleWithType(r.ctx, "K-001")
	r.must(err)
	e, ok, err := r.Record.EstimateOf(r.ctx, m, typ)
	if err != nil || !ok || e.Basis != capacity.Measured || e.LikelyAh != 37 {
		t.Errorf("both halves: %+v %v", e, err)
	}
	m, _, err = r.ModuleWithType(r.ctx, "K-002")
	r.must(err)
	e, _, err = r.Record.EstimateOf(r.ctx, m, typ)
	if err != nil || e.Basis != capacity.Part || e.HighAh != 38 || m.CapacityAh != 0 {
		t.Errorf("one half: %+v %v, %v Ah kept as measured", e, err, m.CapacityAh)
	}
	if err := part("K-002", 6, 9, 38); err == nil {
		t.Error("groups 6 to 9 of seven were taken")
	}
}

// What was typed of a discharge that was none to the end is a lower bound; a figure alone is somebody's word; the word
// on a half bounds its module; and of halves the energy that counts is what the weaker one lets the other give.
func TestDirectionsOfWhatWasTyped(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 6)
	for i := range 6 {
		r.look(fmt.Sprintf("K-%03d", i+1))
	}
	r.mapType("K-001")
	keep := func(in results.HandInput) {
		t.Helper()
		in.Token = r.token()
		r.must(r.Results.RecordHandResult(r.ctx, in))
	}
	keep(results.HandInput{Number: "K-001", CapacityAh: 30, FromFull: true, EndVolts: 25.5, Amps: 10})
	keep(results.HandInput{Number: "K-001", CapacityAh: 20, FromFull: true, EndVolts: 26.5, Amps: 10})
	keep(results.HandInput{Number: "K-002", CapacityAh: 30})
	keep(results.HandInput{Number: "K-003", CapacityAh: 31, FromGroup: 1, ToGroup: 3})
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
	half := results.HandInput{Number: "K-004", CapacityAh: 40, EnergyWh: 590, FromGroup: 1, ToGroup: 4, FromFull: true,
		LowestEndVolts: 3, Amps: 10}
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
		res, err := r.Record.TestOf(r.ctx, m.ID)
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
		return r.Results.RecordHandResult(r.ctx, results.HandInput{Number: "K-001", CapacityAh: 43, FromFull: true,
			LowestEndVolts: 3, Amps: 10, Token: r.token()})
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

// A watched module is let in by a reason in writing, which stays with it; a rejected one is not, whatever is written.
func TestWhatMayBeAllowedInWriting(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	for number, ah := range map[string]float64{"K-003": 26, "K-004": 10} { // class C and D
		m, _, err := r.ModuleWithType(r.ctx, number)
		r.must(err)
		r.must(r.Store.DB.Exec("UPDATE modules SET capacity_ah = ?, class = ?, fitness = ? WHERE id = ?", ah,
			map[bool]string{true: "C", false: "D"}[ah > 20], map[bool]string{true: "watch", false: "reject"}[ah > 20],
			m.ID).Error)
	}
	sh, err := r.Bank.Shelf(r.ctx, nil)
	r.must(err)
	may := map[string]bool{}
	for _, o := range sh.Out {
		may[o.Number] = o.MayAllow
	}
	if len(sh.Out) != 2 || !may["K-003"] || may["K-004"] {
		t.Fatalf("left out: %+v", sh.Out)
	}
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "B", Need: plan.Need{Need: window.Need{AbsMaxVolts: 92,
		ChargeMaxVolts: 88, CutoffVolts: 64}}, Token: r.token()})
	r.must(err)
	in := bank.DesignInput{BankID: b.ID, Version: 1, Key: "TRIKE-7|21|1|all", Style: "parallel-first",
		Allow: []string{"K-003"}, Token: r.token()}
	if _, err := r.Bank.DesignBank(r.ctx, in); err == nil {
		t.Error("let in without a reason")
	}
	in.Reason, in.Token = "its owner knows, and it stands beside two strong ones", r.token()
	d, err := r.Bank.DesignBank(r.ctx, in)
	r.must(err)
	if d.At("K-003") < 0 {
		t.Errorf("%v", d.Match.Positions)
	}
	m, _, err := r.ModuleWithType(r.ctx, "K-003")
	r.must(err)
	if !strings.Contains(m.Allowed, "its owner knows") {
		t.Errorf("kept: %q", m.Allowed)
	}
	in.BankID, in.Allow = b.ID, []string{"K-004"}
	if _, err := r.Bank.DesignBank(r.ctx, in); err == nil {
		t.Error("a rejected module was let in")
	}
}

func TestOwnDevices(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	r.planned(made.Bank.ID)
	save := func(d bms.Device) error {
		_, err := r.Bank.SaveDevice(r.ctx, bank.DeviceInput{Device: d, Token: r.token()})
		return err
	}
	r.must(save(bms.Device{Name: "mine", GroupsHigh: 16, Switch: bms.Relay}))
	r.must(save(bms.Device{Name: "watcher", GroupsHigh: 16, Switch: bms.Monitor}))
	if save(bms.Device{Name: "T8-100", GroupsHigh: 8}) == nil || save(bms.Device{Name: "MINE", GroupsHigh: 8}) == nil ||
		save(bms.Device{Name: "x", GroupsHigh: 8, GroupsLow: 9}) == nil {
		t.Error("a name that is taken, or a range that is none, was kept")
	}
	choose := func(name string) error {
		return r.Bank.ChooseBMS(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), name, r.token())
	}
	if err := choose("watcher"); !stoppedBy(err, "monitor-only") {
		t.Errorf("a monitor without a switch: %v", err)
	}
	// Frost was not asked, and whether it stops there is known to be false.
	if err := choose("mine"); !stoppedBy(err, "no-frost-cutoff") {
		t.Errorf("without a frost cut-off: %v", err)
	}
	r.must(r.Bank.AnswerFrost(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), false, r.token()))
	r.must(choose("mine"))
	// What was chosen stays as it was known then.
	own, err := r.Bank.OwnDevices(r.ctx)
	r.must(err)
	_, err = r.Bank.SaveDevice(r.ctx, bank.DeviceInput{ID: own[0].ID, Version: 1, Device: bms.Device{Name: "mine",
		GroupsHigh: 4}, Token: r.token()})
	r.must(err)
	b, _, _, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	if d, ok, err := r.Bank.DeviceOf(r.ctx, b); err != nil || !ok || d.GroupsHigh != 16 {
		t.Errorf("%+v %v %v", d, ok, err)
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

// A standing bank: judged, judged anew when its chemistry is found, tested twice, extended; its gates at once below the
// limit of touch.
func TestAStandingBank(t *testing.T) {
	r := newRig(t)
	volts := []float64{3.3, 3.3, 3.3, 3.3, 3.3, 3.25, 3.3, 3.3}
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "kiosk", Token: r.token(),
		Bank: standing.Bank{Strings: 1}, Survey: &procedure.StandingReadings{Volts: volts, Rest: 60}})
	r.must(err)
	if _, err := r.Procedure.Extend(r.ctx, row.ID, r.token()); err == nil {
		t.Error("a second string beside an unknown chemistry")
	}
	r.must(r.Procedure.DeclareCells(r.ctx, row.ID, 1, standing.Cells{Series: 8, Chemistry: chem.LFP, Ah: 100},
		r.token()))
	v, err := r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	if len(v.Surveys) != 2 || !slices.Equal(v.Surveys[0].Judged.Odd, []int{6}) || v.Bank.FullVolts != 8*3.65 {
		t.Errorf("%d surveys, odd %v, full at %v V", len(v.Surveys), v.Surveys[0].Judged.Odd, v.Bank.FullVolts)
	}
	if err := r.Procedure.RecordStandingSurvey(r.ctx, row.ID, procedure.StandingReadings{Volts: volts[1:],
		Token: r.token()}); err == nil {
		t.Error("seven voltages of eight groups were kept")
	}
	for i, ah := range []float64{70, 85} {
		fs, err := r.Procedure.RecordBankTest(r.ctx, procedure.Standing, row.ID, whole.Test{CapacityAh: ah,
			FromFull: true, EndedBy: 6 - i, EndVolts: 2.5}, r.token())
		r.must(err)
		if i == 1 && !slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == "more-than-before" }) {
			t.Errorf("%+v", fs)
		}
	}
	b, err := r.Procedure.Extend(r.ctx, row.ID, r.token())
	r.must(err)
	_, n, _, err := r.Bank.ByID(r.ctx, b.ID)
	r.must(err)
	if n.Series != 8 || n.Beside == nil || n.Beside.Volts < 26 {
		t.Errorf("%+v", n)
	}
	bad, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "worn", Token: r.token(),
		Bank: standing.Bank{Strings: 1}, Cells: standing.Cells{Series: 4, Chemistry: chem.LFP},
		Survey: &procedure.StandingReadings{Volts: []float64{3.3, 3.3, 1.4, 3.3}, Rest: 60}})
	r.must(err)
	if _, err := r.Procedure.Extend(r.ctx, bad.ID, r.token()); !errors.As(err, new(*kernel.Blocked)) {
		t.Errorf("a string beside a group that must never be recharged: %v", err)
	}
	var in []procedure.StepInput
	for _, st := range v.Down {
		x := procedure.StepInput{Step: st.Key, Token: r.token()}
		switch st.Ask {
		case gates.AskReading:
			x.Reading = finding.Of(map[bool]float64{true: 26.3, false: 0.2}[st.Key == standing.VoltsKey])
		case gates.AskConfirm:
			x.Confirm = true
		default:
			continue
		}
		in = append(in, x)
	}
	_, err = r.Procedure.RecordSteps(r.ctx, procedure.Standing, row.ID, in, r.token())
	r.must(err)
	v, err = r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	for _, st := range v.Down {
		if st.Gate && !st.Done {
			t.Errorf("%s is open", st.Title)
		}
	}
}

// A reading that does not pass ends the page of gates there: nothing after it is recorded.
func TestGatesAtOnceEndAtTheFirstStop(t *testing.T) {
	r := newRig(t)
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "kiosk", Token: r.token(),
		Bank: standing.Bank{NominalVolts: 24, FullVolts: 29, Strings: 1}})
	r.must(err)
	yes := func(keys ...string) (out []procedure.StepInput) {
		for _, k := range keys {
			out = append(out, procedure.StepInput{Step: k, Confirm: true, Token: r.token()})
		}
		return out
	}
	in := append(yes("owner", "meter", "loads"), procedure.StepInput{Step: "current", Reading: finding.Of(4),
		Token: r.token()})
	in = append(in, yes("main")...)
	_, err = r.Procedure.RecordSteps(r.ctx, procedure.Standing, row.ID, in, r.token())
	r.must(err)
	v, err := r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	for _, st := range v.Down {
		if st.Key == "main" && st.Done || st.Key == "loads" && !st.Done || st.Key == "current" && !st.Failed {
			t.Errorf("%s: done %v, failed %v", st.Title, st.Done, st.Failed)
		}
	}
}

// A type declared by what is in plain sight is wired like one that was mapped; a reading that cannot be stops it.
func TestDeclaredTypes(t *testing.T) {
	r := newRig(t)
	wrong := 3.7
	_, err := r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: r.typ.ID, Version: 1, Series: 7, Posts: "A- A+",
		Pins: r.typ.Pins, Total: &wrong, Token: r.token()})
	if !stoppedBy(err, "declared-not-so") {
		t.Errorf("7 groups at 3.7 V: %v", err)
	}
	right := 25.9
	_, err = r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: r.typ.ID, Version: 1, Series: 7, Posts: "A- A+",
		Pins: r.typ.Pins, Total: &right, Token: r.token()})
	r.must(err)
	r.receive("K-001", 1)
	r.look("K-001")
	if r.station("K-001") != station.Survey {
		t.Errorf("at %s: it needs no map", r.station("K-001"))
	}
	if _, err := r.survey("K-001", 3.71, 3.71, 3.71, 3.71, 3.71, 3.71, 3.71); err != nil {
		t.Error(err)
	}
}

// What begins a job is made whole or not at all.
func TestBeginIsWholeOrNothing(t *testing.T) {
	r := newRig(t)
	_, err := r.Start.Begin(r.ctx, start.Input{New: types.NewInput{Name: "X", Chemistry: "nmc", Series: 7, Posts: 3},
		Count: 4, Stem: "M", Class: 48, Token: r.token()})
	if err == nil {
		t.Fatal("a middle post on seven groups was taken")
	}
	var n int64
	r.must(r.Store.DB.Raw("SELECT (SELECT count(*) FROM modules) + (SELECT count(*) FROM banks) + (SELECT count(*) " +
		"FROM module_types WHERE name = 'X')").Scan(&n).Error)
	if n != 0 {
		t.Errorf("%d rows of what was refused", n)
	}
	a, b := r.cells(2, 0), r.cellsOf(t, 2)
	if a.Modules[0].Number != "C-001" || b.Modules[0].Number != "C-003" || a.Lot.ID != b.Lot.ID {
		t.Errorf("%s, then %s", a.Modules[0].Number, b.Modules[0].Number)
	}
}

// cellsOf begins with more cells of the type that cells made.
func (r *rig) cellsOf(t *testing.T, n int) start.Made {
	t.Helper()
	made, err := r.Start.Begin(r.ctx, start.Input{TypeID: r.typ.ID + 1, Count: n, Stem: "C", Token: r.token()})
	r.must(err)
	return made
}
