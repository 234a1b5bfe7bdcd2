package shop_test

import (
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/base/station"
	"pandrel/shop/bank"
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

// From a plate alone a bank is drawn; it is built only once every module was looked at and surveyed, and goes into
// service only once somebody has seen what it holds and what its device bears.
func TestFromAPlateToABank(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	d := r.planned(made.Bank.ID)
	if b := d.Ah(); b.Text(0, "Ah") != "50 to 100 Ah" || b.Mark() != "assumed" ||
		len(d.Untested()) != 8 || len(d.TestFirst()) == 0 {
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
	_, err = r.Procedure.RecordBankTest(r.ctx, made.Bank.ID, whole.Test{CapacityAh: 41, FromFull: true,
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
	if !strings.Contains(why["K-001"], "no layout") || !strings.Contains(why["C-001"], "is not declared") {
		t.Errorf("%v", why)
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
