package shop_test

import (
	"errors"
	"slices"
	"testing"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
)

func TestOwnersBankGates(t *testing.T) {
	r := newRig(t)
	hut := standing.Bank{NominalVolts: 24, FullVolts: 28.8, Strings: 1}
	if _, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Hut",
		Bank: standing.Bank{NominalVolts: 24, FullVolts: 20, Strings: 1}, Token: r.token()}); !invalid(err, "full_v") {
		t.Errorf("full below nominal: %v", err)
	}
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Hut", Bank: hut,
		Cells: standing.Cells{Series: 8, Chemistry: chem.LFP, Opens: standing.OpensYes}, Token: r.token()})
	r.must(err)
	rec := func(in steps.Input) error {
		in.Token = r.token()
		_, err := r.Procedure.RecordStep(r.ctx, procedure.Standing, row.ID, in)
		return err
	}
	if err := rec(steps.Input{Step: "main", Confirm: true}); !blocked(err) {
		t.Errorf("the main switch before the loads: %v", err)
	}
	if err := rec(steps.Input{Step: "owner",
		Override: "the owner cannot be reached today at all"}); !blocked(err) {
		t.Errorf("the owner was passed over: %v", err)
	}
	for _, k := range []string{"owner", "meter", "loads"} {
		r.must(rec(steps.Input{Step: k, Confirm: true}))
	}
	if err := rec(steps.Input{Step: "dance", Confirm: true}); !invalid(err, "") {
		t.Errorf("%v", err)
	}
	// What was not read is not zero: passed over in writing it leaves no reading behind.
	if err := rec(steps.Input{Step: "current"}); !invalid(err, "reading") {
		t.Errorf("an empty field was taken for 0 A: %v", err)
	}
	r.must(rec(steps.Input{Step: "current", Reading: finding.Of(4)})) // kept, and not passed
	if err := rec(steps.Input{Step: "main", Confirm: true}); !blocked(err) {
		t.Errorf("4 A flow and the main switch may be opened: %v", err)
	}
	r.must(rec(steps.Input{Step: "current", Reading: finding.Of(0.1)}))
	r.must(rec(steps.Input{Step: "main", Confirm: true}))
	r.must(rec(steps.Input{Step: "wait", Reading: finding.Of(0.3)}))
	r.must(rec(steps.Input{Step: standing.VoltsKey, Reading: finding.Of(26.1)}))
	v, err := r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	if v.Before != 26.1 || len(v.Records) != 8 {
		t.Errorf("before %.1f, %d records", v.Before, len(v.Records))
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.OutOfWork) != 1 ||
		day.OutOfWork[0].Next != "Isolation" && day.OutOfWork[0].Next != "Second person" {
		t.Errorf("today: %+v %v", day.OutOfWork, err)
	}
	r.must(rec(steps.Input{Step: "isolation", Override: "the case is plastic throughout"}))
	if v, err = r.Procedure.StandingByID(r.ctx, row.ID); err != nil || v.Records[len(v.Records)-1].Reading != "" ||
		v.Records[len(v.Records)-1].OK {
		t.Errorf("isolation that nobody measured is on record: %+v %v", v.Records[len(v.Records)-1], err)
	}
	r.must(rec(steps.Input{Step: "covers", Confirm: true}))
	r.must(rec(steps.Input{Step: "links", Confirm: true}))
	r.must(rec(steps.Input{Step: "volts-back", Reading: finding.Of(24.4)})) // a group missing
	if err := rec(steps.Input{Step: "polarity", Confirm: true}); !blocked(err) {
		t.Errorf("came back at another voltage and goes on: %v", err)
	}
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
		fs, err := r.Procedure.RecordBankTest(r.ctx, row.ID, whole.Test{CapacityAh: ah,
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
	var in []steps.Input
	for _, st := range v.Down {
		x := steps.Input{Step: st.Key, Token: r.token()}
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
