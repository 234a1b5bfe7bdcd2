package shop_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/base/finding"
	"pandrel/core/procedure/standing"
	"pandrel/demo/sample"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
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
// opened
// step by step, tested, and gets a second string. What a survey of it as a whole says calls it back.
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
