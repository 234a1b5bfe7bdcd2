package shop_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/whole"
	"pandrel/core/base/finding"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
)

// What a test of a whole bank read where no group may stand holds that bank until a survey at rest: not one that was
// read warm, not an earlier one that is judged anew. Where the survey reads the same again, it is confirmed.
func TestAStopInATestOfAStandingBankHoldsIt(t *testing.T) {
	level := func(v float64) []float64 { return []float64{3.3, v, 3.3, 3.3} }
	for _, c := range []struct {
		name string
		then func(r *rig, id int64)
		want string // the code that holds it, "" for none
	}{
		{"nothing", func(*rig, int64) {}, "group-too-low"},
		{"read well at rest", func(r *rig, id int64) {
			r.must(r.Procedure.RecordStandingSurvey(r.ctx, id, procedure.StandingReadings{Volts: level(3.3), Rest: 60,
				Token: r.token()}))
		}, ""},
		{"read well, warm", func(r *rig, id int64) {
			r.must(r.Procedure.RecordStandingSurvey(r.ctx, id, procedure.StandingReadings{Volts: level(3.3), Rest: 5,
				Token: r.token()}))
		}, "group-too-low"},
		{"the earlier survey judged anew", func(r *rig, id int64) {
			r.must(r.Procedure.DeclareCells(r.ctx, id, 1, standing.Cells{Series: 4, Chemistry: "lfp", Ah: 100,
				BMS: "board", Opens: standing.OpensYes}, r.token()))
		}, "group-too-low"},
		{"read so again at rest", func(r *rig, id int64) {
			r.must(r.Procedure.RecordStandingSurvey(r.ctx, id, procedure.StandingReadings{Volts: level(1.5), Rest: 60,
				Token: r.token()}))
		}, "group-quarantined"},
		{"taken back", func(r *rig, id int64) {
			v, err := r.Procedure.StandingByID(r.ctx, id)
			r.must(err)
			r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeTest, v.Tests[0].ID, "the point slipped", r.token()))
		}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := newRig(t)
			row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "kiosk", Token: r.token(),
				Bank: standing.Bank{Strings: 1}, Cells: standing.Cells{Series: 4, Chemistry: "lfp", Ah: 100,
					BMS: "board", Opens: standing.OpensYes}, Survey: &procedure.StandingReadings{Volts: level(3.3),
					Rest: 60}})
			r.must(err)
			r.at = r.at.Add(time.Hour)
			_, err = r.Procedure.RecordBankTest(r.ctx, row.ID, whole.Test{CapacityAh: 70,
				FromFull: true, EndedBy: 2, EndVolts: 2.5, AtRest: level(1.5)}, r.token())
			r.must(err)
			r.at = r.at.Add(time.Hour)
			c.then(r, row.ID)
			v, err := r.Procedure.StandingByID(r.ctx, row.ID)
			r.must(err)
			held := finding.Standing(v.Holds)
			if c.want == "" && len(held) > 0 || c.want != "" && !slices.ContainsFunc(held,
				func(f finding.Finding) bool { return f.Code == c.want }) {
				t.Errorf("held by %+v", held)
			}
			_, err = r.Procedure.Extend(r.ctx, row.ID, r.token())
			if blocked := errors.As(err, new(*kernel.Blocked)); blocked != (c.want != "") {
				t.Errorf("a string beside it: %v", err)
			}
		})
	}
}

// In a bank that was built here the modules of that group are held, and no others; out of the bank they still are.
func TestAStopInATestOfABankHoldsItsModules(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	for _, m := range made.Modules {
		r.look(m.Number)
		_, err := r.survey(m.Number, 3.30)
		r.must(err)
	}
	r.planned(made.Bank.ID)
	_, _, d, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	at := make([]float64, 8)
	for i := range at {
		at[i] = 3.1
	}
	at[4] = 1.2
	want := d.GroupModules()[4]
	r.at = r.at.Add(time.Hour)
	_, err = r.Procedure.RecordBankTest(r.ctx, made.Bank.ID, whole.Test{CapacityAh: 41, FromFull: true,
		EndedBy: 5, EndVolts: 2.5, AtRest: at}, r.token())
	r.must(err)
	held := func() (out []string) {
		for _, m := range made.Modules {
			v, err := r.Module(r.ctx, m.Number)
			r.must(err)
			if v.Hold != "" {
				if !strings.Contains(v.Hold, "1.20 V at rest after it") {
					t.Errorf("%s: %s", m.Number, v.Hold)
				}
				out = append(out, m.Number)
			}
		}
		return out
	}
	if got := held(); !slices.Equal(got, want) || len(want) != 1 {
		t.Fatalf("held %v: expected %v", got, want)
	}
	troubles, err := r.Record.Troubles(r.ctx, made.Bank.ID)
	r.must(err)
	if len(troubles) != 1 {
		t.Errorf("%+v", troubles)
	}
	r.must(r.Bank.UndoDesign(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), r.token()))
	if got := held(); !slices.Equal(got, want) {
		t.Errorf("out of the bank held %v: expected %v", got, want)
	}
	r.at = r.at.Add(time.Hour)
	_, err = r.survey(want[0], 3.25)
	r.must(err)
	if got := held(); len(got) > 0 {
		t.Errorf("surveyed at rest since, and held: %v", got)
	}
}

// Where it was typed by mistake and is taken back, nothing is held.
func TestAStopThatIsTakenBackHoldsNothing(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	for _, m := range made.Modules {
		r.look(m.Number)
		_, err := r.survey(m.Number, 3.30)
		r.must(err)
	}
	r.planned(made.Bank.ID)
	r.at = r.at.Add(time.Hour)
	_, err := r.Procedure.RecordBankTest(r.ctx, made.Bank.ID, whole.Test{CapacityAh: 41, FromFull: true,
		EndVolts: 1.1}, r.token())
	r.must(err)
	count := func() (n int) {
		for _, m := range made.Modules {
			v, err := r.Module(r.ctx, m.Number)
			r.must(err)
			if v.Hold != "" {
				n++
			}
		}
		return n
	}
	if count() != 8 { // which group it was nobody said
		t.Errorf("%d of 8 held", count())
	}
	tests, err := r.Procedure.BankTests(r.ctx, made.Bank.ID)
	r.must(err)
	r.must(r.Undo.StrikeAlone(r.ctx, record.StrikeTest, tests[0].ID, "11 V were meant, of the bank", r.token()))
	if count() != 0 {
		t.Errorf("%d held by what was taken back", count())
	}
}
