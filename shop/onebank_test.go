package shop_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/passage"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/demo/sample"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
	"pandrel/store"
)

func sevenAt(v float64) []float64 {
	out := make([]float64, 7)
	for i := range out {
		out[i] = v
	}
	return out
}

// What can be done with a bank that stands can be done with one that was built here: it is surveyed as one thing,
// opened step by step, tested, and gets a second string. What a survey of it as a whole says calls it back.
func TestABankThatWasBuiltHereIsOneThingToo(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	n := 0
	token := func() string { n++; return "one-bank-" + strings.Repeat("x", n) }
	v, err := s.Procedure.StandingByID(ctx, 1)
	if err != nil || v.Cells.Series != 7 || v.Cells.Opens != standing.OpensYes || v.Bank.FullVolts < 29 ||
		len(finding.Standing(v.Holds)) > 0 || len(v.Down) < 5 {
		t.Fatalf("%+v, %+v, %v, %v", v.Cells, v.Bank, v.Holds, err)
	}
	survey := func(volts []float64) error {
		return s.Procedure.RecordStandingSurvey(ctx, 1, procedure.StandingReadings{Volts: volts, Rest: 180,
			Accuracy: 0.004, Token: token()})
	}
	calledBack := func() bool {
		list, err := s.Procedure.DoubtedInService(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(list, func(x procedure.InService) bool {
			return x.Bank.ID == 1 && slices.ContainsFunc(
				x.Findings, func(f finding.Finding) bool { return strings.Contains(f.Text, "Group 3") })
		})
	}
	if err := survey(sevenAt(3.7)[:6]); !invalid(err, "grid") {
		t.Errorf("six voltages of seven groups: %v", err)
	}
	if err := survey(sevenAt(3.75)); err != nil || calledBack() {
		t.Fatalf("a plain survey: %v, called back %v", err, calledBack())
	}
	low := sevenAt(3.75)
	low[2] = 1.1
	for range 2 { // once read, once confirmed
		if err := survey(low); err != nil {
			t.Fatal(err)
		}
	}
	if !calledBack() {
		t.Error("a group confirmed below never-recharge does not call the bank back")
	}
	if _, err := s.Procedure.Extend(ctx, 1, token()); err == nil {
		t.Error("a string is joined to it all the same")
	}
	if v, err = s.Procedure.StandingByID(ctx, 1); err != nil || len(v.Surveys) != 3 {
		t.Errorf("%d surveys, %v", len(v.Surveys), err)
	}
	if err := s.Undo.StrikeAlone(ctx, "bank-survey", v.Surveys[0].ID, "another bank was read", token()); err == nil {
		t.Error("what was confirmed below never-recharge is taken back")
	}
	if err := s.Procedure.DeclareCells(ctx, 1, v.Standing.Version, standing.Cells{Series: 8}, token()); err == nil {
		t.Error("the inside of a bank that was built here is declared to be another")
	}
	if _, err := s.Procedure.RecordBankTest(ctx, 1, whole.Test{CapacityAh: 118, FromFull: true, EndedBy: 2,
		EndVolts: 3.0}, token()); err != nil {
		t.Error(err)
	}
	if err := s.Procedure.RecordStandingSurvey(ctx, 3, procedure.StandingReadings{Volts: sevenAt(3.7),
		Token: token()}); err == nil {
		t.Error("a bank that is only a need is surveyed")
	}
	if err := s.Procedure.RecordStandingSurvey(ctx, 5, procedure.StandingReadings{Volts: sevenAt(3.7),
		Token: token()}); err == nil {
		t.Error("a pack is surveyed as a bank")
	}
}

// A bank that somebody else built is no bank that is built here: nothing of it is designed, wired or deleted.
func TestABankOfAnotherOriginIsNotRebuiltByMistake(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	for _, id := range []int64{5, 8} {
		b, err := s.Procedure.ByID(ctx, id)
		if err != nil || b.Origin == store.Built {
			t.Fatalf("%+v, %v", b, err)
		}
		for what, err := range map[string]error{"BMS": s.Bank.ChooseBMS(ctx, id, b.Version, "T8-100",
			"tokentoken1"),
			"deleted": s.Bank.DeleteBank(ctx, id, b.Version, "tokentoken2"), "parts": s.Bank.SaveParts(ctx, id,
				b.Version,
				plan.Parts{FuseA: 60}, "tokentoken3")} {
			if err == nil {
				t.Errorf("%s: %s is done", b.Name, what)
			}
		}
		if again, err := s.Procedure.ByID(ctx, id); err != nil || again.Version != b.Version || again.BMS != b.BMS {
			t.Errorf("%+v became %+v, %v", b, again, err)
		}
	}
	for was, want := range map[string]int64{"services": 7, "packs": 5} {
		if b, err := s.Procedure.Printed(ctx, was, 1); err != nil || b.ID != want {
			t.Errorf("/%s/1 leads to bank %d, %v", was, b.ID, err)
		}
	}
}

// A bank is taken out of work as often as it must be: each time has its own steps, and those before stay on record.
func TestABankIsTakenOutOfWorkMoreThanOnce(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	n := 0
	load := func() procedure.StandingView {
		t.Helper()
		v, err := s.Procedure.StandingByID(ctx, 1)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	take := func(st gates.State) error {
		n++
		in := steps.Input{Step: st.Key, Confirm: true, Name: "R. Brandt",
			Token: fmt.Sprintf("out-of-work-%d", n)}
		switch {
		case st.Ask == gates.AskIsolation:
			in.Confirm, in.Override = false, "the meter is at the maker's, nothing is opened"
		case st.Ask == gates.AskReading || st.Ask == gates.AskVolts:
			x := (st.Low + st.High) / 2
			in.Reading = &x
		}
		_, err := s.Procedure.RecordStep(ctx, procedure.Standing, 1, in)
		return err
	}
	for round := range 2 {
		v := load()
		if round > 0 {
			if !v.Back() {
				t.Fatal("it is not back")
			}
			again, err := s.Procedure.StandingAgain(ctx, 1)
			if err != nil || again.Back() || len(again.Records) != 0 || len(again.Earlier) != len(v.Records) {
				t.Fatalf("once more: %d records, %d earlier, %v", len(again.Records), len(again.Earlier), err)
			}
			if err := take(again.Down[0]); err != nil {
				t.Fatal(err)
			}
		}
		for range 40 {
			next := gates.Next(load().Steps(), "")
			if next == nil {
				break
			}
			if err := take(*next); err != nil {
				t.Fatalf("round %d, %s: %v", round, next.Key, err)
			}
		}
		if v = load(); !v.Back() || v.Round != round {
			t.Fatalf("round %d of %d is not over", v.Round, round)
		}
	}
	v := load()
	if len(v.Earlier) == 0 || len(v.Records) == 0 || v.Earlier[0].Step != v.Records[0].Step {
		t.Errorf("%d and %d records", len(v.Earlier), len(v.Records))
	}
}

// A survey of a bank as a whole reads the modules in it: what may not be charged in the bank may not be charged out of
// it, until a survey of the module at rest says otherwise, or the survey of the bank is struck.
func TestASurveyOfABankHoldsTheModulesOfItsGroups(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	low := sevenAt(3.75)
	low[2] = 1.1
	if err := s.Procedure.RecordStandingSurvey(ctx, 1, procedure.StandingReadings{Volts: low, Rest: 180,
		Accuracy: 0.004, Token: "a-low-group"}); err != nil {
		t.Fatal(err)
	}
	v, err := s.Procedure.StandingByID(ctx, 1)
	if err != nil || len(v.Surveys) != 1 || len(v.Surveys[0].Judged.Held) != 1 ||
		v.Surveys[0].Judged.Held[0].Group != 3 || len(v.Surveys[0].Judged.Held[0].Modules) == 0 {
		t.Fatalf("%+v, %v", v.Surveys, err)
	}
	shares := v.Surveys[0].Judged.Held[0].Modules
	held := func() (out []string) {
		t.Helper()
		var all []store.Module
		if err := s.Store.DB.Order("number").Find(&all).Error; err != nil {
			t.Fatal(err)
		}
		for _, m := range all {
			ty, err := kernel.TypeByID(s.Store.DB, m.TypeID)
			if err != nil {
				t.Fatal(err)
			}
			fs, err := s.Record.MayNow(ctx, m, ty, passage.Service)
			if err != nil {
				t.Fatal(err)
			}
			if slices.ContainsFunc(fs, func(f finding.Finding) bool {
				return f.Level == finding.Stop && strings.Contains(f.Text, "in a survey of its bank")
			}) {
				out = append(out, m.Number)
				if m.Hold == "" && m.BankDoubt == "" && !m.Quarantined {
					t.Errorf("%s: its lists do not say so", m.Number)
				}
			}
		}
		return out
	}
	if got := held(); !slices.Equal(got, slices.Sorted(slices.Values(shares))) {
		t.Errorf("held %v, share the group %v", got, shares)
	}
	if err := s.Undo.StrikeAlone(ctx, "bank-survey", v.Surveys[0].ID, "another bank was read", "struck-1"); err != nil {
		t.Fatal(err)
	}
	if got := held(); len(got) > 0 {
		t.Errorf("still held: %v", got)
	}
}

// One list of group voltages does not say whose they are where strings have groups of their own, and one BMS cannot
// watch two strings.
func TestStringsOfTheirOwnAreNotTakenForOne(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	v, err := s.Procedure.StandingByID(ctx, 7)
	if err != nil || v.Bank.Strings != 2 {
		t.Fatalf("%+v, %v", v.Bank, err)
	}
	r, err := s.Procedure.RetrofitOf(ctx, v)
	if err != nil || !strings.Contains(r.Asks, "2 strings") {
		t.Errorf("asks %q, %v", r.Asks, err)
	}

	b, err := s.Procedure.ByID(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	d, err := b.Design.Get()
	if err != nil {
		t.Fatal(err)
	}
	d.Style, d.Candidate.Parallel = match.StringsFirst, 2
	if err := s.Store.DB.Model(&b).Update("design", store.JSONOf(d)).Error; err != nil {
		t.Fatal(err)
	}
	err = s.Procedure.RecordStandingSurvey(ctx, 1, procedure.StandingReadings{Volts: sevenAt(3.75), Rest: 180,
		Token: "whose-are-they"})
	if !invalid(err, "grid") || !strings.Contains(err.Error(), "2 strings") {
		t.Errorf("one list for two strings: %v", err)
	}
}

// A sitting that left groups out frees nothing of what one of every group stopped, and stops by itself: the modules
// that share a group, and the bank for ever where two readings of a group agree below never-recharge.
func TestWhatLeftGroupsOutHoldsAndFreesNothing(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	n := 0
	read := func(volts []float64, part whole.Read) procedure.StandingView {
		t.Helper()
		n++
		if err := s.Procedure.RecordStandingSurvey(ctx, 1, procedure.StandingReadings{Volts: volts, Part: part,
			Rest:     180,
			Accuracy: 0.004, Token: "in-part-" + strings.Repeat("x", n)}); err != nil {
			t.Fatal(err)
		}
		v, err := s.Procedure.StandingByID(ctx, 1)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	calledBack := func() bool {
		list, err := s.Procedure.DoubtedInService(ctx)
		return err == nil && slices.ContainsFunc(list, func(x procedure.InService) bool { return x.Bank.ID == 1 })
	}
	total := whole.Read{TotalV: 26.2, TotalDigit: 0.1}
	one := func(v float64) whole.Read { return whole.Read{Groups: []whole.GroupRead{{Group: 3, Volts: v}}} }
	dead := sevenAt(3.75)
	dead[2] = 0.02
	if read(dead, whole.Read{}); !calledBack() {
		t.Fatal("a dead group does not call the bank back")
	}
	if v := read(nil, total); !calledBack() || len(finding.Standing(v.Holds)) == 0 {
		t.Error("volts end to end free a dead group")
	}
	if v := read(nil, one(3.75)); !calledBack() || len(finding.Standing(v.Holds)) == 0 {
		t.Error("one group that is read well frees the bank")
	}
	if v := read(sevenAt(3.75),
		whole.Read{}); len(finding.Standing(v.Holds)) > 0 { // its modules are read again themselves
		t.Errorf("every group was read well, and it is still held: %+v", v.Holds)
	}
	if v := read(nil, one(1.1)); !calledBack() || len(v.Parts[0].Judged.Held) != 1 ||
		len(v.Parts[0].Judged.Held[0].Modules) == 0 {
		t.Errorf("a low group among some: %+v", v.Parts[0].Judged.Held)
	}
	read(nil, total) // between the two readings of that group
	read(nil, one(1.1))
	if v := read(sevenAt(3.75), whole.Read{}); !calledBack() || finding.Worst(v.Holds) != finding.Refuse {
		t.Error("a group that was read twice below never-recharge is free again")
	}
}

// What becomes known of a standing bank judges anew what was read of every group, and what was read in part since.
func TestLaterKnowledgeJudgesBothSittings(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	volts := slices.Repeat([]float64{3.30}, 8)
	volts[5] = 1.6 // below what LFP may be charged from again
	row, err := s.Procedure.SaveStanding(ctx, procedure.StandingInput{Name: "boiler house", Token: "boiler-1",
		Bank: standing.Bank{Strings: 1}, Survey: &procedure.StandingReadings{Volts: volts, Rest: 180}})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Procedure.RecordStandingSurvey(ctx, row.ID, procedure.StandingReadings{Part: whole.Read{TotalV: 24.7,
		TotalDigit: 0.1}, Rest: 180, Token: "boiler-2"}); err != nil {
		t.Fatal(err)
	}
	if err := s.Procedure.DeclareCells(ctx, row.ID, row.Version, standing.Cells{Series: 8, Chemistry: chem.LFP,
		Opens: standing.OpensYes}, "boiler-3"); err != nil {
		t.Fatal(err)
	}
	v, err := s.Procedure.StandingByID(ctx, row.ID)
	if err != nil || len(v.Surveys) != 2 || len(v.Parts) != 2 || !strings.Contains(standing.Told(v.Holds), "1.6") {
		t.Errorf("%d and %d sittings, held by %q, %v", len(v.Surveys), len(v.Parts), standing.Told(v.Holds), err)
	}
}
