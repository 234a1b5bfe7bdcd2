package shop_test

import (
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/match"
	"pandrel/core/base/finding"
	"pandrel/shop/record"
	"pandrel/shop/undo"
)

// strikeAll takes back every row of a kind of a module.
func (r *rig) strikeAll(number, kind, table string) {
	r.t.Helper()
	m, err := r.Module(r.ctx, number)
	r.must(err)
	var ids []int64
	r.must(r.Store.DB.Table("counting_"+table).Where("module_id = ?", m.ID).Order("id DESC").Pluck("id", &ids).Error)
	if len(ids) == 0 {
		r.t.Fatalf("%s has no %s", number, table)
	}
	for _, id := range ids {
		r.must(r.Undo.Strike(r.ctx, undo.StrikeInput{Number: number, Kind: kind, RowID: id,
			Reason: "it was of another module", Token: r.token()}))
	}
}

// What rests on a record falls with it: the grade, the data sheet, the figure and the volts of the bank that its module
// stands in, and the bank's own place in service.
func TestWhatRestsOnAStruckRecordFalls(t *testing.T) {
	for _, c := range []struct {
		name, kind, table string
		gone              string // of what was checked
	}{
		{"the look", record.StrikeLook, "inspections", "a look"},
		{"the surveys", record.StrikeSurvey, "surveys", "the groups' voltages"},
		{"the log", record.StrikeTest, "tests", "capacity"},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := newRig(t)
			r.graded(4)
			id, plan := r.designed(match.ParallelFirst)
			r.inService(id)
			n := plan.Places[1].Number
			before, _, err := r.Desk.DataSheet(r.ctx, n)
			r.must(err)
			if before.Class != "A" || !strings.Contains(before.Checked, c.gone) {
				t.Fatalf("%s, %s", before.Class, before.Checked)
			}
			r.at = r.at.Add(time.Hour)
			r.strikeAll(n, c.kind, c.table)
			ts, err := r.Record.Troubles(r.ctx, id)
			if r.must(err); len(ts) != 1 || ts[0].Number != n || !ts[0].Bad() {
				t.Errorf("the bank: %+v", ts)
			}
			today, err := r.Desk.Today(r.ctx)
			if r.must(err); len(today.BankTrouble) != 1 || today.BankTrouble[0].Bank.ID != id {
				t.Errorf("Today: %+v", today.BankTrouble)
			}
			if in := today.InService; c.kind != record.StrikeTest && (len(in) != 1 ||
				len(finding.Standing(in[0].Findings)) == 0) {
				t.Errorf("in service: %+v", in)
			}
			d, l, err := r.Desk.DataSheet(r.ctx, n)
			r.must(err)
			if d.Class != "" || d.Fitness != "" || len(d.Reasons) > 0 || strings.Contains(d.Checked, c.gone) ||
				!strings.Contains(d.NotChecked, c.gone) || l.Module.Class != "" {
				t.Errorf("data sheet: class %q %q, %s; %s", d.Class, d.Fitness, d.Checked, d.NotChecked)
			}
			if c.kind == record.StrikeSurvey && d.Survey != nil || c.kind == record.StrikeTest && d.Capacity != nil {
				t.Errorf("data sheet: %+v %+v", d.Survey, d.Capacity)
			}
			last, err := r.Record.LastLook(r.ctx, l.Module.ID)
			if r.must(err); c.kind == record.StrikeLook && last != nil {
				t.Errorf("its last look: %+v", last)
			}
			_, _, now, err := r.Bank.ByID(r.ctx, id)
			r.must(err)
			p := now.Places[now.At(n)]
			if c.kind == record.StrikeSurvey && len(p.Volts) > 0 {
				t.Errorf("the bank still has its volts: %v", p.Volts)
			}
			if c.kind == record.StrikeTest && !p.Provisional() {
				t.Errorf("the bank still counts with %.1f Ah", p.CapacityAh)
			}
			if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); err == nil {
				t.Error("put in service again")
			}
		})
	}
}

// A check of the sense leads that was taken back calls the bank back too; an old survey does not.
func TestACheckOfTheLeadsStruckUnderABankInService(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	r.inService(id)
	r.at = r.at.Add(30 * 24 * time.Hour)
	list, err := r.Procedure.DoubtedInService(r.ctx)
	if r.must(err); len(list) != 0 {
		t.Fatalf("a month later: %+v", list[0].Findings)
	}
	var ids []int64
	r.must(r.Store.DB.Table("counting_sense_checks").Where("bank_id = ?", id).Pluck("id", &ids).Error)
	for _, x := range ids {
		r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeSense, x, "measured on another bank", r.token()))
	}
	list, err = r.Procedure.DoubtedInService(r.ctx)
	if r.must(err); len(list) != 1 || list[0].Findings[0].Code != "sense-not-good" {
		t.Errorf("%+v", list)
	}
}

// A log that was struck, or read again, moves no charge at another time than it did: a leak stays one.
func TestAStruckLogMovesNoCharge(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	v := flat(3.80)
	r.at = r.at.Add(24 * time.Hour)
	_, err := r.survey("K-001", v...)
	r.must(err)
	r.at = r.at.Add(24 * time.Hour)
	_, err = r.part("K-001", 0, 0, r.logOf(7, 40, 0)) // of another module
	r.must(err)
	r.strikeAll("K-001", record.StrikeTest, "tests")
	r.at = r.at.Add(20 * 24 * time.Hour)
	v[2] -= 0.040
	res, err := r.survey("K-001", v...)
	r.must(err)
	if res.Groups[2].Verdict != "leaking" {
		t.Errorf("group 3 is %s: %+v", res.Groups[2].Verdict, res.Findings)
	}
}
