package shop_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/module/passage"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
)

func TestScreensOfALot(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 3)
	for _, n := range []string{"K-001", "K-002", "K-003"} {
		r.look(n)
	}
	r.mapType("K-001")
	shot := photo(t, 40)
	var first store.Picture
	for i, n := range []string{"K-001", "K-002"} {
		p, err := r.Record.AddPicture(r.ctx, record.PictureInput{Kind: record.PictureScreen, Module: n, Data: shot,
			Token: r.token()})
		r.must(err)
		if i == 0 {
			first = p
		}
	}
	used, err := r.Record.UsedBefore(r.ctx, first)
	if err != nil || !slices.Equal(used, []string{"K-002"}) {
		t.Errorf("%v %v", used, err)
	}
	in := measure.SurveyInput{Number: "K-003", PictureID: first.ID, RestMinutes: 60, Token: r.token()}
	for i, v := range flat(3.7) {
		in.Readings = append(in.Readings, record.TypedVolts{Group: i + 1, Volts: v})
	}
	if _, _, err := r.Measure.RecordSurvey(r.ctx, in); !invalid(err, "picture") {
		t.Errorf("typed from another module's picture: %v", err)
	}
	in.Number, in.Token = "K-001", r.token()
	_, _, err = r.Measure.RecordSurvey(r.ctx, in)
	r.must(err)
	c, err := r.Record.LotCoverage(r.ctx, r.lot.ID)
	if err != nil || c.Total != 3 || c.Surveyed != 1 || c.Screens != 2 ||
		!slices.Equal(c.Left, []string{"K-002", "K-003"}) || !slices.Equal(c.Unused, []string{"K-002"}) ||
		!slices.Equal(c.SameTwice, []string{"K-001", "K-002"}) {
		t.Errorf("%+v %v", c, err)
	}
	m, _ := r.Module(r.ctx, "K-002")
	p, err := r.Desk.PalletOf(r.ctx, m)
	if err != nil || p.Done != 1 || p.Total != 3 || !slices.Equal(p.Left, []string{"K-003"}) {
		t.Errorf("%+v %v", p, err)
	}
}

// The plug that was not moved on: the monitor shows the module before, group for group.
func TestTheMonitorStillOnTheModuleBefore(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	mon, err := instrument.StartMonitor("127.0.0.1:0", 3)
	r.must(err)
	defer mon.Stop()
	r.MonitorAddress = mon.Address
	mod := virtual.New(r.rng, "a", virtual.Spec{Chemistry: "nmc", Series: 7, RatedAh: 46, SoH: 0.9, SoC: 0.5,
		SoCSpread: 0.01, ResistanceOhms: 0.002})
	mon.Plug(mod)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", ""); !blocked(err, "shared-negative") {
		t.Errorf("read although nobody said what else is on it: %v", err)
	}
	volts, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone)
	r.must(err)
	// In the grid of a lot the row before is read and not kept yet.
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); !invalid(err, "") ||
		!strings.Contains(err.Error(), "K-001") {
		t.Errorf("not kept yet: %v", err)
	}
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone); err != nil {
		t.Errorf("read twice: %v", err)
	}
	_, _, err = r.Measure.RecordSurvey(r.ctx, measure.SurveyInput{Number: "K-001", Readings: volts,
		Instrument: measure.MonitorInstrument, RestMinutes: 60, Token: r.token()})
	r.must(err)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); !invalid(err, "") ||
		!strings.Contains(err.Error(), "K-001") {
		t.Errorf("%v", err)
	}
	mon.Plug(mod) // another module that agrees to the last digit, as good ones on a flat curve do
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); err != nil {
		t.Errorf("plugged in anew, and refused: %v", err)
	}
	mod.Groups[2].SoC += 0.02
	mon.Plug(mod)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); err != nil {
		t.Errorf("another module: %v", err)
	}
	r.at = r.at.Add(2 * time.Hour) // the same module again, hours later, is nobody's mistake
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone); err != nil {
		t.Errorf("%v", err)
	}
}

// A monitor's file may tell of earlier sittings: they are kept under their own time, compared in their
// own order, and do not change where a module stands that was surveyed later.
func TestAnEarlierSittingComesInLater(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	r.at = r.at.Add(40 * 24 * time.Hour)
	good := flat(3.75)
	odd := flat(3.75)
	odd[2] = 3.60
	now, err := r.survey("K-001", odd...)
	r.must(err)
	in := func(v []float64, at time.Time) measure.SurveyInput {
		x := measure.SurveyInput{Number: "K-001", Instrument: "imported", RestMinutes: 600, TakenAt: at,
			Token: r.token()}
		for i, v := range v {
			x.Readings = append(x.Readings, record.TypedVolts{Group: i + 1, Volts: v})
		}
		return x
	}
	_, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(good, r.at.Add(-30*24*time.Hour))},
		r.token(), true)
	if err != nil || len(errs) > 0 {
		t.Fatal(errs, err)
	}
	m, _ := r.Module(r.ctx, "K-001")
	if m.Verdict != now.Verdict {
		t.Errorf("an old sitting changed the verdict to %s", m.Verdict)
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	if err != nil || len(l.Surveys) != 2 || l.Surveys[1].Result.Groups[2].Volts != 3.75 ||
		!l.Surveys[1].TakenAt.Equal(r.at.Add(-30*24*time.Hour)) {
		t.Errorf("%d surveys, %v", len(l.Surveys), err)
	}
	r.at = r.at.Add(time.Hour)
	again, err := r.survey("K-001", odd...)
	if err != nil || again.Groups[2].Drift == nil || *again.Groups[2].Drift > -3 {
		t.Errorf("the next survey is not compared with the old sitting: %s %v", again.Verdict, err)
	}
	if _, errs, err = r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(good, r.at.Add(48*time.Hour))},
		r.token(), true); err != nil || errs[0] == "" {
		t.Errorf("a sitting of the day after tomorrow: %v %v", errs, err)
	}
	low := flat(3.75)
	low[0] = 1.2
	for i := range 2 { // the second confirms the first
		at := r.at.Add(-20*24*time.Hour + time.Duration(i)*time.Hour)
		if _, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(low, at)}, r.token(),
			true); err != nil || len(errs) > 0 {
			t.Fatal(errs, err)
		}
		if _, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(low, at)}, r.token(),
			false); err != nil || errs[0] == "" {
			t.Errorf("the same sitting twice: %v %v", errs, err)
		}
	}
	if m, _ = r.Module(r.ctx, "K-001"); !m.Quarantined || !m.EverBelowNever {
		t.Error("it was below never-recharge twenty days ago, and goes on")
	}
}
