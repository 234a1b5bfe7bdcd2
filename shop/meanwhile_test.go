package shop_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/instrument"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/undo"
)

// foundMeanwhile is what can be found of a module while it is tested. Each would refuse the start of a test.
var foundMeanwhile = []struct {
	name, code string
	ends       bool // for good; else it waits until it is seen to
	find       func(r *rig, n string)
}{
	{"hot", "quarantined", true, func(r *rig, n string) { r.look(n, "hot") }},
	{"swollen", "quarantined", true, func(r *rig, n string) { r.look(n, "swollen") }},
	{"wet", "quarantined", true, func(r *rig, n string) { r.look(n, "wet") }},
	{"flood", "quarantined", true, func(r *rig, n string) {
		r.must(r.Receive.SaveHistory(r.ctx, receive.HistoryInput{Number: n, History: "flood", Token: r.token()}))
	}},
	{"dented", "look-held", false, func(r *rig, n string) { r.look(n, "dented") }},
	{"a look struck", "no-look", false, func(r *rig, n string) {
		m, err := r.Module(r.ctx, n)
		r.must(err)
		l, err := r.Record.LastLook(r.ctx, m.ID)
		r.must(err)
		r.must(r.Undo.Strike(r.ctx, undo.StrikeInput{Number: n, Kind: record.StrikeLook, RowID: l.ID,
			Reason: "it was another module", Token: r.token()}))
	}},
	{"a group near zero", "reread", false, func(r *rig, n string) {
		r.at = r.at.Add(time.Minute)
		_, err := r.survey(n, 3.7, 3.7, 0.2, 3.7, 3.7, 3.7, 3.7)
		r.must(err)
	}},
	{"on its case", "isolation", false, func(r *rig, n string) {
		_, _, err := r.Measure.RecordIsolation(r.ctx, measure.IsolationInput{Number: n,
			Readings: isolation.Readings{PackVolts: 25.97, PositiveVolts: 25.97}, Token: r.token()})
		r.must(err)
	}},
}

// Whatever is found of a module while the cycler tests it switches its current off at the next look, refuses that it
// goes on, and is told where people look.
func TestWhatIsFoundWhileTheCyclerRuns(t *testing.T) {
	for _, c := range foundMeanwhile {
		t.Run(c.name, func(t *testing.T) {
			r, y, _ := cycling(t)
			id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
			r.must(err)
			r.pass(10 * time.Minute)
			c.find(r, "K-001")
			told, err := r.Tests.TestTroubles(r.ctx, 0)
			if r.must(err); len(told) != 1 || !told[0].Runs || told[0].Finding.Code != c.code {
				t.Errorf("before the next look: %+v", told)
			}
			r.pass(time.Minute)
			d, err := instrument.DialCycler(y.Address)
			r.must(err)
			got, err := d.Read(1)
			if r.must(err); got.State == instrument.Run || got.Amps > 0.1 || got.Amps < -0.1 {
				t.Errorf("the device is at %s with %.1f A", got.State, got.Amps)
			}
			x := r.run(id)
			want := test.Paused
			if c.ends {
				want = test.Stopped
			}
			if x.State != want || len(x.Found) == 0 || x.Found[0].Code != c.code || x.Found[0].Level < finding.Stop {
				t.Errorf("%s: %+v", x.State, x.Found)
			}
			if err := r.Tests.Control(r.ctx, id, "go", r.token()); err == nil || !c.ends && !blocked(err, c.code) {
				t.Errorf("go on: %v", err)
			}
			r.pass(5 * time.Minute)
			if now, err := d.Read(1); err != nil || now.Ah != got.Ah {
				t.Errorf("%.3f Ah after %.3f Ah, %v", now.Ah, got.Ah, err)
			}
			today, err := r.Desk.Today(r.ctx)
			if r.must(err); len(today.Tests) != 1 || today.Tests[0].Number != "K-001" || today.Tests[0].Runs {
				t.Errorf("today: %+v", today.Tests)
			}
		})
	}
}

// What was seen to may go on from where it waited, when a person says so and not before.
func TestATestThatWaitedGoesOn(t *testing.T) {
	r, _, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.pass(10 * time.Minute)
	r.look("K-001", "dented")
	r.pass(time.Minute)
	r.look("K-001")
	r.pass(5 * time.Minute)
	waits := r.run(id)
	if waits.State != test.Paused || len(waits.Found) > 0 {
		t.Fatalf("%s %+v", waits.State, waits.Found)
	}
	r.must(r.Tests.Control(r.ctx, id, "go", r.token()))
	r.pass(14 * time.Hour)
	if x := r.run(id); x.State != test.Done || len(x.Found) > 0 {
		t.Errorf("%s at step %d: %+v", x.State, x.AtStep+1, x.Found)
	}
}

// A device that cannot be told to stop is said to run on, at once.
func TestTheCyclerIsGoneWhenSomethingIsFound(t *testing.T) {
	r, _, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.pass(time.Minute)
	r.CyclerAddress = "127.0.0.1:1"
	r.Tests.Disconnect()
	r.look("K-001", "hot")
	r.must(r.Tests.Tick(r.ctx))
	x := r.run(id)
	if x.State != test.Runs || !strings.Contains(x.Trouble, "switch it off at the device") ||
		len(x.Found) == 0 || x.Found[0].Code != "quarantined" {
		t.Errorf("%s %q %+v", x.State, x.Trouble, x.Found)
	}
	told, err := r.Tests.TestTroubles(r.ctx, 0)
	if r.must(err); len(told) != 1 || !told[0].Runs {
		t.Errorf("%+v", told)
	}
}

// By hand a person switches: the page says so, and no next step follows, in every step of the test.
func TestWhatIsFoundWhileAPersonTests(t *testing.T) {
	for _, c := range foundMeanwhile {
		t.Run(c.name, func(t *testing.T) {
			r := newRig(t)
			r.onBench("K-001")
			id, err := r.Tests.StartByHand(r.ctx, test.ByHandInput{Number: "K-001", Full: true, Token: r.token()})
			r.must(err)
			r.read(id, 10, 3.8)
			c.find(r, "K-001")
			h, err := r.Tests.ByHandByID(r.ctx, id)
			if r.must(err); !h.Now.Over || !slices.ContainsFunc(h.Now.Findings, func(f finding.Finding) bool {
				return f.Code == c.code && strings.Contains(f.Do, "Current off now")
			}) {
				t.Errorf("%+v", h.Now)
			}
			if err := r.Tests.MoveByHand(r.ctx, id, "next", r.token()); !blocked(err, c.code) {
				t.Errorf("the next step: %v", err)
			}
			told, err := r.Tests.TestTroubles(r.ctx, h.ModuleID)
			if r.must(err); len(told) != 1 || !told[0].Runs {
				t.Errorf("%+v", told)
			}
			r.must(r.Tests.MoveByHand(r.ctx, id, "stop", r.token()))
		})
	}
}

// A device that does not do what it was told is switched off.
func TestADeviceThatDoesSomethingElse(t *testing.T) {
	r, y, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.pass(5 * time.Minute)
	d, err := instrument.DialCycler(y.Address)
	r.must(err)
	// Somebody at the device begins a discharge; its clock is made to look older than the step.
	r.must(d.Begin(1, instrument.CyclerStep{Amps: -20, GroupMin: 3, Seconds: 36000}))
	r.at = r.at.Add(6 * time.Minute)
	r.must(r.Tests.Tick(r.ctx))
	x := r.run(id)
	if x.State != test.Stopped || len(x.Found) == 0 || x.Found[0].Code != "direction" {
		t.Errorf("%s %+v", x.State, x.Found)
	}
	if got, err := d.Read(1); err != nil || got.State == instrument.Run {
		t.Errorf("the device is at %s, %v", got.State, err)
	}
}

// A standing bank with a group that must not be charged does not go back into work, whatever its gates say, and Today
// says so; a second reading confirms the first, judging the first one anew does not.
func TestAStandingBankWithABadGroupStaysOut(t *testing.T) {
	for _, v := range []float64{1.50, 0.02, -1.2, 3.95} {
		t.Run(fmt.Sprint(v), func(t *testing.T) {
			r := newRig(t)
			volts := []float64{3.3, 3.3, 3.3, 3.3, 3.3, 3.3, 3.3, 3.3}
			cells := standing.Cells{Series: 8, Chemistry: chem.LFP, Ah: 200, Opens: standing.OpensYes}
			row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Kiosk", Cells: cells,
				Bank: standing.Bank{Strings: 1}, Token: r.token(),
				Survey: &procedure.StandingReadings{Volts: volts, Rest: 120}})
			r.must(err)
			view := func() procedure.StandingView {
				x, err := r.Procedure.StandingByID(r.ctx, row.ID)
				r.must(err)
				return x
			}
			for _, st := range view().Steps() {
				in := steps.Input{Step: st.Key, Confirm: true, Name: "Berta Quill", Token: r.token()}
				if st.Ask == gates.AskReading {
					in.Reading = finding.Of(map[string]float64{standing.VoltsKey: 26.4, "volts-back": 26.4,
						"precharge": 26}[st.Key])
				}
				if st.Key == "links" { // the survey that finds it lies between the two ways
					volts[3] = v
					r.must(r.Procedure.RecordStandingSurvey(r.ctx, row.ID, procedure.StandingReadings{Volts: volts,
						Rest: 120, Token: r.token()}))
				}
				if st.Ask == gates.AskIsolation {
					continue
				}
				_, err := r.Procedure.RecordStep(r.ctx, procedure.Standing, row.ID, in)
				if up := slices.ContainsFunc(view().Up, func(x gates.State) bool { return x.Key == st.Key }); up !=
					blocked(err) {
					t.Fatalf("%s: %v", st.Key, err)
				}
			}
			judged := view().Surveys[0].Judged
			for _, f := range judged.Findings {
				if strings.Contains(strings.ToLower(f.Do), "charge each") || strings.Contains(f.Do, "charger") {
					t.Errorf("beside a bad group: %s %s", f.Text, f.Do)
				}
			}
			today, err := r.Desk.Today(r.ctx)
			if r.must(err); len(today.StandHeld) != 1 {
				t.Errorf("Today: %+v", today.StandHeld)
			}
			if _, err := r.Procedure.Extend(r.ctx, row.ID, r.token()); !blocked(err) {
				t.Errorf("a second string: %v", err)
			}
			confirmed := func() bool {
				return slices.ContainsFunc(view().Holds,
					func(f finding.Finding) bool { return f.Level == finding.Refuse })
			}
			r.must(r.Procedure.DeclareCells(r.ctx, row.ID, view().Standing.Version, cells, r.token()))
			if confirmed() {
				t.Error("one reading, judged anew, confirms itself")
			}
			r.at = r.at.Add(time.Hour)
			r.must(r.Procedure.RecordStandingSurvey(r.ctx, row.ID, procedure.StandingReadings{Volts: volts, Rest: 120,
				Token: r.token()}))
			if low := v < 2.0 && v > 0.5; low != confirmed() && v != 3.95 {
				t.Errorf("read twice: %+v", view().Holds)
			}
		})
	}
}

// A string that joins a standing bank is known there: by name, in what is taken out of work, and in what holds both; a
// third string has a name of its own.
func TestStringsThatJoinAStandingBank(t *testing.T) {
	r := newRig(t)
	cells := standing.Cells{Series: 8, Chemistry: chem.LFP, Ah: 200, Opens: standing.OpensYes}
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Kiosk", Cells: cells,
		Bank: standing.Bank{Strings: 1}, Token: r.token()})
	r.must(err)
	var names []string
	var second int64
	for range 3 {
		b, err := r.Procedure.Extend(r.ctx, row.ID, r.token())
		r.must(err)
		if names = append(names, b.Name); second == 0 {
			second = b.ID
		}
	}
	if want := []string{"Kiosk, second string", "Kiosk, third string",
		"Kiosk, fourth string"}; !slices.Equal(names, want) {
		t.Errorf("%q", names)
	}
	down := func() (out []string) {
		v, err := r.Procedure.StandingByID(r.ctx, row.ID)
		r.must(err)
		if len(v.Joined) != 3 {
			t.Errorf("%d are joined", len(v.Joined))
		}
		for _, s := range v.Steps() {
			if strings.HasPrefix(s.Key, "beside") || strings.HasPrefix(s.Key, "joined-") {
				out = append(out, s.Do)
			}
		}
		return out
	}
	if d := down(); len(d) != 0 {
		t.Errorf("none is in service, and to be opened: %q", d)
	}
	r.must(r.Store.DB.Exec("UPDATE banks SET station = 'keep' WHERE id = ?", second).Error)
	if d := down(); len(d) != 2 || !strings.Contains(d[0], "Kiosk, second string") ||
		!strings.Contains(d[0], "both are taken out of work") {
		t.Errorf("%q", d)
	}
}
