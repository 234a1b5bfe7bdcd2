package shop_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"pandrel/core/bank/bms"
	"pandrel/core/module/sense"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/demo/sample"
	"pandrel/shop"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/shop/steps"
)

// A bank that stands gets a BMS of its own: those that fit are told, its leads follow from the groups as they were
// surveyed, they are measured only out of work and before the plug goes in, and hold for the BMS that they were
// measured for.
func TestABankThatStandsGetsABMS(t *testing.T) {
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	ctx := kernel.By(context.Background(), "AB")
	n := 0
	token := func() string { n++; return fmt.Sprintf("retrofit-%04d", n) }
	const kiosk = 8 // eight groups of LFP
	load := func() (procedure.StandingView, procedure.Retrofit) {
		t.Helper()
		v, err := s.Procedure.StandingByID(ctx, kiosk)
		if err != nil {
			t.Fatal(err)
		}
		r, err := s.Procedure.RetrofitOf(ctx, v)
		if err != nil {
			t.Fatal(err)
		}
		return v, r
	}
	v, r := load()
	fits := func(name string) bool {
		return slices.ContainsFunc(r.Choices, func(c bms.Choice) bool { return c.Device.Name == name && !c.Refused })
	}
	if !fits("T8-100") || fits("T4-60") || fits("T24-100") || r.Chosen != nil || len(r.Boards) != 0 {
		t.Fatalf("%+v", r)
	}
	var held *kernel.Blocked
	if err := s.Procedure.FitBMS(ctx, kiosk, v.Standing.Version, "T4-60", token()); !errors.As(err, &held) {
		t.Errorf("a BMS of four groups for eight: %v", err)
	}
	if err := s.Procedure.FitBMS(ctx, kiosk, v.Standing.Version, "nobody's", token()); !invalid(err, "bms") {
		t.Errorf("a BMS that does not exist: %v", err)
	}
	var conflict *kernel.Conflict
	if err := s.Procedure.FitBMS(ctx, kiosk, v.Standing.Version+1, "T8-100", token()); !errors.As(err, &conflict) {
		t.Errorf("changed meanwhile: %v", err)
	}
	if err := s.Procedure.FitBMS(ctx, 1, 1, "T8-100", token()); err == nil {
		t.Error("the BMS of a bank that was built here is changed past its design")
	}
	if err := s.Procedure.FitBMS(ctx, kiosk, v.Standing.Version, "T8-100", token()); err != nil {
		t.Fatal(err)
	}
	v, r = load()
	if r.Chosen == nil || len(r.Boards) != 1 || len(r.Boards[0].Leads) != 9 {
		t.Fatalf("%+v", r)
	}
	measured := func(spoil func(v []float64)) (sense.Verdict, error) {
		_, r := load()
		var volts []float64
		for _, l := range r.Boards[0].Leads {
			volts = append(volts, l.ExpectedV)
		}
		top := volts[8]
		if spoil != nil {
			spoil(volts)
		}
		in := bank.SenseInput{BankID: kiosk, BMS: r.Boards[0].BMS, TopToZero: &top, Instrument: "meter",
			Accuracy: 0.004,
			Token:    token()}
		for i, x := range volts {
			in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: x, AsTyped: fmt.Sprint(x)})
		}
		return s.Procedure.RecordRetrofit(ctx, in)
	}
	if _, err := measured(nil); !errors.As(err, &held) {
		t.Fatalf("leads measured on a bank in work: %v", err)
	}
	steps := func(of func(v procedure.StandingView) []gates.State, until string) {
		t.Helper()
		for range 30 {
			v, _ := load()
			next := gates.Next(of(v), "")
			if next == nil || next.Key == until {
				return
			}
			in := steps.Input{Step: next.Key, Confirm: true, Name: "R. Brandt", Token: token()}
			if next.Ask == gates.AskReading || next.Ask == gates.AskVolts {
				x := next.Low
				if next.Key == standing.VoltsKey {
					x = 26.5
				}
				in.Reading = &x
			}
			if next.Ask == gates.AskIsolation {
				in.Override = "the meter is at the maker's, nothing is opened"
				in.Confirm = false
			}
			if _, err := s.Procedure.RecordStep(ctx, procedure.Standing, kiosk, in); err != nil {
				t.Fatalf("%s: %v", next.Key, err)
			}
		}
	}
	steps(func(v procedure.StandingView) []gates.State { return v.Down }, "")
	good, err := measured(nil)
	if err != nil || !good.Proven() {
		t.Fatalf("%+v, %v", good, err)
	}
	swapped, err := measured(func(v []float64) { v[3], v[4] = v[4], v[3] })
	if err != nil || swapped.Proven() || !slices.Contains(swapped.Inputs, 3) || !slices.Contains(swapped.Inputs, 4) {
		t.Errorf("leads 3 and 4 swapped: %+v, %v", swapped, err)
	}
	if _, r = load(); r.Boards[0].Check == nil || !r.Boards[0].Check.Current || r.Boards[0].Check.Judged.Proven() {
		t.Errorf("the newest check is not the one that counts: %+v", r.Boards[0].Check)
	}
	v, _ = load()
	if err := s.Procedure.FitBMS(ctx, kiosk, v.Standing.Version, "R8-300", token()); err != nil {
		t.Fatal(err)
	}
	if _, r = load(); len(r.Boards) != 1 || r.Boards[0].Check != nil {
		t.Errorf("what was measured for another BMS counts for this one: %+v", r.Boards)
	}
	// Its chemistry was found to be another: what fits is judged anew.
	v,
		_ = load()
	if err := s.Procedure.DeclareCells(ctx, kiosk, v.Standing.Version, standing.Cells{Series: 8, Ah: 100},
		token()); err != nil {
		t.Fatal(err)
	}
	if _, r = load(); len(r.Choices) != 0 || r.Asks == "" || len(r.Boards) != 0 {
		t.Errorf("without a chemistry: %+v", r)
	}
}
