package shop_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/station"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
	"pandrel/core/test/kind"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/types"
)

// graded brings modules from the pile to a grade.
func (r *rig) graded(count int) {
	r.t.Helper()
	r.receive("K-001", count)
	for i := 1; i <= count; i++ {
		r.look(fmt.Sprintf("K-%03d", i))
	}
	r.mapType("K-001")
	for i := 1; i <= count; i++ {
		n := fmt.Sprintf("K-%03d", i)
		_, err := r.survey(n, flat(3.71)...)
		r.must(err)
		r.test(n, 0.9-0.01*float64(i))
		_, err = r.Grade.GradeModule(r.ctx, n, r.token())
		r.must(err)
	}
}

// designed makes a bank of two modules in series and two in parallel with its BMS, in either style.
func (r *rig) designed(style match.Style) (id int64, d plan.Design) {
	r.t.Helper()
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "Hut",
		Need: plan.Need{Need: window.Need{AbsMaxVolts: 64, ChargeMaxVolts: 58.4, CutoffVolts: 43, LoadWatts: 400,
			WantedKWh: 3}, FrostAsked: !r.noFrost}, Token: r.token()})
	r.must(err)
	d, err = r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: b.ID, Version: 1, Type: "TRIKE-7", Series: 14,
		Parallel: 2, Style: style, Token: r.token()})
	r.must(err)
	r.must(r.Bank.ChooseBMS(r.ctx, b.ID, 2, "T16-60", r.token()))
	return b.ID, d
}

// wiring is a bank's wiring as it is judged now.
func (r *rig) wiring(id int64) plan.Wiring {
	r.t.Helper()
	b, n, d, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	w, err := r.Bank.PlanWiring(r.ctx, b, n, *d)
	r.must(err)
	return w
}

// leads measures every sense lead of a bank as expected, and the top one against lead 0.
func (r *rig) leads(id int64) {
	r.t.Helper()
	for name, want := range r.wiring(id).Expected {
		in := bank.SenseInput{BankID: id, BMS: name, TopToZero: &want[len(want)-1], Token: r.token()}
		for i, x := range want {
			in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: x, AsTyped: fmt.Sprintf("%.3f", x)})
		}
		_, err := r.Bank.RecordSense(r.ctx, in)
		r.must(err)
	}
}

func (r *rig) bankVersion(id int64) int {
	r.t.Helper()
	b, _, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	return b.Version
}

// parts writes down what the fuse and the cables of a bank are.
func (r *rig) parts(id int64) {
	r.t.Helper()
	r.must(r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), plan.Parts{FuseA: 40, FuseV: 125, FuseKA: 50, CableA: 100,
		BondA: 60}, r.token()))
}

// inService brings a bank into service by all its gates.
func (r *rig) inService(id int64) {
	r.t.Helper()
	r.parts(id)
	r.leads(id)
	r.gates(id)
	r.must(r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()))
}

// Whatever comes to be on record of a module after its grade keeps it out of a bank, a step of the build and
// service, at each of them anew.
func TestWhatIsFoundLaterKeepsAModuleOut(t *testing.T) {
	for _, c := range []struct {
		name, code string
		find       func(r *rig, number string)
	}{
		{"dented", "look-held", func(r *rig, n string) { r.look(n, "dented") }},
		{"swollen", "quarantined", func(r *rig, n string) { r.look(n, "swollen") }},
		{"a reading that waits for a second one", "reread", func(r *rig, n string) {
			v := flat(3.70)
			v[2] = 0
			_, err := r.survey(n, v...)
			r.must(err)
		}},
		{"groups read together", "tap-broken", func(r *rig, n string) {
			in := measure.SurveyInput{Number: n, RestMinutes: 60, Token: r.token()}
			for _, g := range []int{1, 2, 5, 6, 7} {
				in.Readings = append(in.Readings, record.TypedVolts{Group: g, Volts: 3.71, AsTyped: "3.71"})
			}
			in.Readings = append(in.Readings, record.TypedVolts{Group: 3, Volts: 7.42, AsTyped: "7.42", Span: 2,
				Reason: "tap broken"})
			_, _, err := r.Measure.RecordSurvey(r.ctx, in)
			r.must(err)
		}},
		{"a failed isolation", "isolation", func(r *rig, n string) {
			_, _, err := r.Measure.RecordIsolation(r.ctx,
				measure.IsolationInput{Number: n, Readings: isolation.Readings{PackVolts: 25.97,
					PositiveVolts: 25.97, NegativeVolts: 0}, Token: r.token()})
			r.must(err)
		}},
		{"recall history", "quarantined", func(r *rig, n string) {
			r.must(r.Receive.SaveHistory(r.ctx, receive.HistoryInput{Number: n, History: "recall", Token: r.token()}))
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := newRig(t)
			r.graded(5)
			r.at = r.at.Add(time.Hour)
			id, plan := r.designed(match.ParallelFirst)
			inBank := plan.Places[0].Number
			c.find(r, inBank)
			if ts, err := r.Record.Troubles(r.ctx, id); err != nil || len(ts) != 1 || ts[0].Number != inBank ||
				!ts[0].Bad() {
				t.Errorf("the bank does not say so: %+v, %v", ts, err)
			}
			today, err := r.Desk.Today(r.ctx)
			r.must(err)
			if len(today.BankTrouble) != 1 || today.BankTrouble[0].Bank.ID != id {
				t.Errorf("Today does not say so: %+v", today.BankTrouble)
			}
			if _, err := r.Procedure.RecordStep(r.ctx, procedure.Bank, id, steps.Input{Step: "settings",
				Confirm: true, Token: r.token()}); !blocked(err, c.code) {
				t.Errorf("a step of the build: %v", err)
			}
			if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err, c.code) {
				t.Errorf("service: %v", err)
			}
			m, err := r.Module(r.ctx, inBank)
			r.must(err)
			fs, err := r.Record.MayNow(r.ctx, m, r.typ, passage.Design)
			r.must(err)
			if len(finding.Standing(fs)) == 0 {
				t.Error("its page does not say so")
			}
			// The same thing found on a free module keeps it out of the stock.
			free := ""
			for i := 1; i <= 5; i++ {
				if n := fmt.Sprintf("K-%03d", i); r.station(n) == station.Design {
					free = n
				}
			}
			r.at = r.at.Add(time.Hour)
			c.find(r, free)
			sh, err := r.Bank.Shelf(r.ctx, nil)
			r.must(err)
			for _, s := range sh.Stocks() {
				for _, x := range s.Modules {
					if x.Name == free {
						t.Errorf("%s is offered for a bank", free)
					}
				}
			}
			if err := r.Procedure.ReplaceModule(r.ctx, id, procedure.Replacement{Version: r.bankVersion(id),
				Out: inBank, In: free, Token: r.token()}); err == nil {
				t.Error("it was put in another's place")
			}
		})
	}
}

func TestABankInServiceWithABadModuleIsTakenOutAndMended(t *testing.T) {
	r := newRig(t)
	r.graded(5)
	id, plan := r.designed(match.ParallelFirst)
	r.inService(id)
	bad := plan.Places[1].Number
	r.at = r.at.Add(24 * time.Hour)
	r.look(bad, "swollen")
	today, err := r.Desk.Today(r.ctx)
	r.must(err)
	if len(today.BankTrouble) != 1 || today.BankTrouble[0].Troubles[0].Level != finding.Refuse {
		t.Fatalf("%+v", today.BankTrouble)
	}
	_, _, d, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	reps, err := r.Procedure.Replacements(r.ctx, *d, bad)
	r.must(err)
	if len(reps) != 1 || reps[0].BankAh <= 0 {
		t.Fatalf("%+v", reps)
	}
	if err := r.Procedure.ReplaceModule(r.ctx, id, procedure.Replacement{Version: r.bankVersion(id), Out: bad,
		In: reps[0].Number, Token: r.token()}); err == nil {
		t.Error("a module of a bank in service was replaced")
	}
	if err := r.Procedure.TakeOutOfService(r.ctx, id, r.bankVersion(id), "", r.token()); !invalid(err, "reason") {
		t.Errorf("out of service without a reason: %v", err)
	}
	r.must(r.Procedure.TakeOutOfService(r.ctx, id, r.bankVersion(id), "K is swollen", r.token()))
	r.must(r.Procedure.ReplaceModule(r.ctx, id, procedure.Replacement{Version: r.bankVersion(id), Out: bad,
		In: reps[0].Number, Token: r.token()}))
	if ts, err := r.Record.Troubles(r.ctx, id); err != nil || len(ts) != 0 {
		t.Errorf("%+v, %v", ts, err)
	}
	if m, _ := r.Module(r.ctx, bad); m.BankID != nil || !m.Quarantined {
		t.Errorf("the bad one: %+v", m)
	}
	if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err, "sense-not-good") {
		t.Errorf("back in service on the checks of another build: %v", err)
	}
	r.inService(id)
}

func TestAWorseSurveyInServiceIsSaid(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, plan := r.designed(match.ParallelFirst)
	r.inService(id)
	r.at = r.at.Add(48 * time.Hour)
	v := flat(3.70)
	v[4] = 3.685
	res, err := r.survey(plan.Places[2].Number, v...)
	r.must(err)
	ts, err := r.Record.Troubles(r.ctx, id)
	r.must(err)
	if res.Verdict == survey.OK || len(ts) != 1 || ts[0].Number != plan.Places[2].Number {
		t.Errorf("%s: %+v", res.Verdict, ts)
	}
}

func TestGoingIntoServiceNeedsAFreshSurveyAndAWordOnFrost(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	r.noFrost = true
	id, _ := r.designed(match.ParallelFirst)
	r.leads(id)
	r.gates(id)
	r.at = r.at.Add(20 * 24 * time.Hour)
	if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err,
		"bank-not-surveyed", "frost-not-asked") {
		t.Errorf("%v", err)
	}
	r.must(r.Bank.AnswerFrost(r.ctx, id, r.bankVersion(id), true, r.token()))
	c := r.commission(id)
	if !slices.ContainsFunc(c.States, func(st gates.State) bool { return st.Key == "frost" && !st.Done }) {
		t.Error("it can freeze there, and no gate asks for the cut-off")
	}
	if slices.ContainsFunc(c.Open, func(f finding.Finding) bool { return f.Code == "frost-not-asked" }) {
		t.Error("asked and answered, and still asked")
	}
}

func TestTheGatesIntoServiceAreRecordedWithInitials(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	r.leads(id)
	var keys []string
	for _, st := range r.commission(id).States {
		keys = append(keys, st.Key)
	}
	for _, want := range []string{"settings", "lead-acid", "unattended", "temporary", "reclose", "joints", "mains"} {
		if !strings.Contains(strings.Join(keys, " "), want) {
			t.Errorf("no gate %s: %v", want, keys)
		}
	}
	first := keys[0]
	if _, err := r.Procedure.RecordStep(kernel.By(r.ctx, ""), procedure.Bank, id, steps.Input{Step: first,
		Confirm: true, Name: "Ada Karlsen", Token: r.token()}); !invalid(err, "by") {
		t.Errorf("without initials: %v", err)
	}
	r.parts(id)
	r.gates(id)
	if c := r.commission(id); len(finding.Standing(c.Open)) != 0 || len(c.Records) != len(keys) ||
		c.Records[0].DoneBy == "" {
		t.Errorf("%+v", c.Open)
	}
}

func TestASenseMeterThatCannotTellLeadsApartIsNotTaken(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	w := r.wiring(id)
	in := bank.SenseInput{BankID: id, BMS: "B1", Accuracy: 2, Token: r.token()}
	for i, x := range w.Expected["B1"] {
		in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: x})
	}
	if _, err := r.Bank.RecordSense(r.ctx, in); !invalid(err, "accuracy_mv") {
		t.Errorf("±2 V: %v", err)
	}
	in.Accuracy, in.Token = 0, r.token()
	v, err := r.Bank.RecordSense(r.ctx, in)
	r.must(err)
	if !v.ZeroOpen {
		t.Error("lead 0 counts as proven without the top lead read against it")
	}
	if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err, "sense-not-good") {
		t.Errorf("%v", err)
	}
}

func TestAWithdrawnReading(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	slip := flat(3.71)
	slip[3] = 7.42 // the probe sat across two groups
	res, err := r.survey("K-001", slip...)
	r.must(err)
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	if res.Verdict != survey.Reread || m.Quarantined {
		t.Fatalf("one number: %s, quarantined %v", res.Verdict, m.Quarantined)
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	in := measure.WithdrawInput{Number: "K-001", SurveyID: l.Surveys[0].ID, Group: 4,
		Reason: "the probe sat across groups 3 and 4", Token: r.token()}
	if err := r.Measure.WithdrawReading(r.ctx, in); !invalid(err, "reason") {
		t.Errorf("without a second reading: %v", err)
	}
	r.at = r.at.Add(20 * time.Minute)
	_, err = r.survey("K-001", flat(3.71)...)
	r.must(err)
	in.Reason, in.Token = "oops", r.token()
	if err := r.Measure.WithdrawReading(r.ctx, in); !invalid(err, "reason") {
		t.Errorf("a reason of one word: %v", err)
	}
	in.Reason, in.Token = "the probe sat across groups 3 and 4", r.token()
	r.must(r.Measure.WithdrawReading(r.ctx, in))
	back, err := r.Measure.Withdrawals(r.ctx, m.ID)
	r.must(err)
	l, err = r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if len(back) != 1 || len(l.Surveys) != 2 || l.Module.Station != station.Test {
		t.Errorf("%d withdrawals, %d surveys, at %s", len(back), len(l.Surveys), l.Module.Station)
	}
}

func TestAnotherChemistryIsAskedAboutAndJudgesAnew(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, plan := r.designed(match.ParallelFirst)
	ty, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	in := types.TypeInput{ID: ty.ID, Version: ty.Version, Name: ty.Name, Chemistry: "lfp", RatedAh: 46,
		PlateSeries: 7, Posts: ty.Posts, Pins: ty.Pins, Sure: true, Token: r.token()}
	if _, err := r.Types.SaveType(r.ctx, in); !invalid(err, "reason") {
		t.Fatalf("without a reason: %v", err)
	}
	in.Reason, in.Token = "the maker's data sheet says so", r.token()
	if _, err := r.Types.SaveType(r.ctx, in); !invalid(err, "anew") || !strings.Contains(err.Error(), "4 modules") {
		t.Fatalf("without a word on how many it moves: %v", err)
	}
	in.Anew, in.Token = true, r.token()
	_, err = r.Types.SaveType(r.ctx, in)
	r.must(err)
	b, _, d, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	if d != nil || b.Station != station.Design || b.BMS != "" {
		t.Errorf("a design for another chemistry stands: %+v", b)
	}
	m, err := r.Module(r.ctx, plan.Places[0].Number)
	r.must(err)
	if m.Class != "" || m.Fitness != "" || m.BankID != nil || m.Verdict == survey.OK {
		t.Errorf("3.71 V in a group of LFP: %s, class %q, fitness %q", m.Verdict, m.Class, m.Fitness)
	}
}

// Another rating moves only what it changes, says how many before, and can be taken back: at once, or by changing it
// back. Grades under a bank in service stay where they hold.
func TestAnotherRatingMovesWhatItChanges(t *testing.T) {
	r := newRig(t)
	r.graded(5)
	id, _ := r.designed(match.ParallelFirst)
	r.inService(id)
	classes := func() (out string) {
		for i := 1; i <= 5; i++ {
			m, err := r.Module(r.ctx, fmt.Sprintf("K-%03d", i))
			r.must(err)
			out += string(m.Class) + "-"
		}
		return out
	}
	was := classes()
	change := func(ah float64, anew bool) (string, error) {
		ty, err := r.Type(r.ctx, r.typ.ID)
		r.must(err)
		token := r.once()
		_, err = r.Types.SaveType(r.ctx, types.TypeInput{ID: ty.ID, Version: ty.Version, Name: ty.Name,
			Chemistry: "nmc", RatedAh: ah, PlateSeries: 7, Posts: ty.Posts, Pins: ty.Pins, Sure: true, Anew: anew,
			Token: token})
		return token, err
	}
	if _, err := change(46.5, false); err != nil || classes() != was {
		t.Errorf("half an Ah more: %v, %s after %s", err, classes(), was)
	}
	if ts, err := r.Record.Troubles(r.ctx, id); err != nil || len(ts) != 0 {
		t.Errorf("the bank in service: %+v, %v", ts, err)
	}
	if _, err := change(60, false); !invalid(err, "anew") || !strings.Contains(err.Error(), "4 of modules in banks") ||
		classes() != was {
		t.Fatalf("unasked: %v, %s", err, classes())
	}
	token, err := change(60, true)
	r.must(err)
	if classes() == was {
		t.Error("nothing fell")
	}
	if ts, err := r.Record.Troubles(r.ctx, id); err != nil || len(ts) != 4 {
		t.Errorf("the bank in service: %+v, %v", ts, err)
	}
	_, err = r.Undo.Undo(r.ctx, token, r.token())
	r.must(err)
	if ty, err := r.Type(r.ctx, r.typ.ID); err != nil || ty.RatedAh != 46.5 || classes() != was {
		t.Errorf("undone: %.1f Ah, %s, %v", ty.RatedAh, classes(), err)
	}
	_, err = change(60, true)
	r.must(err)
	r.at = r.at.Add(time.Hour)
	_, err = change(46, true)
	r.must(err)
	if classes() != was {
		t.Errorf("changed back: %s after %s", classes(), was)
	}
	if ts, err := r.Record.Troubles(r.ctx, id); err != nil || len(ts) != 0 {
		t.Errorf("the bank in service: %+v, %v", ts, err)
	}
}

func TestRatingsOfPartsAreJudged(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	codes := func() map[string]bool {
		out := map[string]bool{}
		for _, f := range r.wiring(id).Report.Findings {
			out[f.Code] = true
		}
		return out
	}
	if c := codes(); !c["bonds"] && !c["bond-thin"] {
		t.Errorf("bonds without a rating: %v", c)
	}
	r.must(r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), plan.Parts{FuseA: 60, FuseV: 80, FuseKA: 20, CableA: 120,
		BondA: 200}, r.token()))
	if c := codes(); c["bonds"] || c["bond-thin"] || c["ratings-missing"] || c["fuse-above-conductor"] {
		t.Errorf("with ratings that fit: %v", c)
	}
	r.must(r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), plan.Parts{FuseA: 500, FuseV: 32, FuseKA: 1, CableA: 100,
		BondA: 200, FuseMM: 2500}, r.token()))
	if c := codes(); !c["fuse-above-conductor"] || !c["voltage-rating"] || !c["interrupt-rating"] || !c["fuse-far"] {
		t.Errorf("500 A on 100 A, 32 V, 1 kA, 2.5 m from the cells: %v", c)
	}
	if err := r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), plan.Parts{FuseA: -1}, r.token()); !invalid(err,
		"fuse_a") {
		t.Errorf("%v", err)
	}
}

func TestNothingFoundIsRefusedWhileASignIsChosen(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	if _, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: "K-001", Signs: []string{"swollen"},
		Nothing: true, Token: r.token()}); !invalid(err, "signs") {
		t.Errorf("%v", err)
	}
	if s := r.station("K-001"); s != station.Inspect {
		t.Errorf("at %s", s)
	}
}

func TestHandResults(t *testing.T) {
	for _, c := range []struct {
		name     string
		in       test.TypedInput
		complete bool
		refused  string // the field
		held     bool   // no charge, until it was surveyed at rest
	}{
		{"full to floor, with its current", test.TypedInput{Result: kind.Result{CapacityAh: 40, Amps: 14,
			FromFull: true, LowestEndVolts: 3.0}}, true, "",
			false},
		{"nobody says it began full", test.TypedInput{Result: kind.Result{CapacityAh: 40, Amps: 14,
			LowestEndVolts: 3.0}}, false,
			"",
			false},
		{"no voltage at the end", test.TypedInput{Result: kind.Result{CapacityAh: 40, Amps: 14,
			FromFull: true}}, false, "",
			false},
		{"stopped early", test.TypedInput{Result: kind.Result{CapacityAh: 30, Amps: 14, FromFull: true,
			LowestEndVolts: 3.4}}, false, "",
			false},
		{"more than it can hold", test.TypedInput{Result: kind.Result{CapacityAh: 400}}, false, "capacity_ah",
			false},
		{"driven backwards", test.TypedInput{Result: kind.Result{CapacityAh: 40, EndVolts: -1}}, false,
			"end_volts",
			false},
		{"a group driven below never-recharge", test.TypedInput{Result: kind.Result{CapacityAh: 40, Amps: 14,
			FromFull: true, LowestEndVolts: -0.4}}, false, "", true},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := newRig(t)
			r.receive("K-001", 1)
			r.look("K-001")
			r.mapType("K-001")
			_, err := r.survey("K-001", flat(3.71)...)
			r.must(err)
			c.in.Number, c.in.Token = "K-001", r.token()
			err = r.Tests.RecordTyped(r.ctx, c.in)
			if c.refused != "" {
				if !invalid(err, c.refused) {
					t.Errorf("%v", err)
				}
				return
			}
			r.must(err)
			l, err := r.Desk.Life(r.ctx, "K-001")
			r.must(err)
			if l.Result.Complete != c.complete || l.Module.Quarantined || (l.Module.Hold != "") != c.held {
				t.Errorf("complete %v, quarantined %v, held %q", l.Result.Complete, l.Module.Quarantined, l.Module.Hold)
			}
			if err := r.Record.May(r.Store.DB, l.Module, r.typ, passage.Test); blocked(err, "driven-below") != c.held {
				t.Errorf("a charge: %v", err)
			}
			// A survey without a rest settles nothing, one at rest does; the figure itself never quarantines.
			for _, rest := range []float64{-1, 10, 60} {
				r.at = r.at.Add(time.Hour)
				in := measure.SurveyInput{Number: "K-001", RestMinutes: rest, Token: r.token()}
				for g, v := range flat(3.60 + rest/10000) {
					in.Readings = append(in.Readings, record.TypedVolts{Group: g + 1, Volts: v,
						AsTyped: fmt.Sprintf("%.3f", v)})
				}
				_, _, err := r.Measure.RecordSurvey(r.ctx, in)
				r.must(err)
				m, err := r.Module(r.ctx, "K-001")
				r.must(err)
				if held := m.Hold != ""; held != (c.held && rest < 30) || m.Quarantined {
					t.Errorf("after a survey with %.0f min of rest: held %q", rest, m.Hold)
				}
			}
		})
	}
}

func TestALogThatCannotBeRightIsLookedAtAndHeld(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	_, err := r.survey("K-001", flat(3.71)...)
	r.must(err)
	var b strings.Builder
	b.WriteString("time_s,volts,current\n")
	for i := range 200 {
		amps := -9200.0
		if i < 35 {
			amps = 0
		}
		fmt.Fprintf(&b, "%d,%.3f,%.0f\n", i*60, 28.9-0.03*float64(i), amps)
	}
	in := test.LogInput{Number: "K-001", FileName: "mA.csv", Data: []byte(b.String()), Token: r.token()}
	tried, err := r.Tests.TryLog(r.ctx, in)
	r.must(err)
	res, table := tried.Result, tried.Table
	if res.Held == nil || res.Capacity != nil || len(table.Rows) == 0 {
		t.Fatalf("9200 A: %+v", res.Held)
	}
	if _, _, err := r.Tests.RecordLog(r.ctx, in); !invalid(err, "file") {
		t.Errorf("kept without a word: %v", err)
	}
	in.KeepHeld, in.Token = true, r.token()
	_, _, err = r.Tests.RecordLog(r.ctx, in)
	r.must(err)
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if l.Result.CapacityAh != 0 || len(l.Logs) != 1 {
		t.Errorf("a result of a held log: %+v", l.Result)
	}
}

func TestModulesOfASplitPack(t *testing.T) {
	r := newRig(t)
	p, err := r.Procedure.SavePack(r.ctx, procedure.PackInput{Name: "T-1", LotID: r.lot.ID,
		Pack: pack.Pack{Volts: []float64{25.9, 25.9, 25.9, 25.9}, DisconnectAfter: 2}, Token: r.token()})
	r.must(err)
	in := receive.ModulesInput{TypeID: r.typ.ID, First: "P-001", Count: 4, Token: r.token()}
	if _, err := r.Procedure.ReceiveFromPack(r.ctx, p.ID, in); !blocked(err, "pack-not-split") {
		t.Errorf("before it is split: %v", err)
	}
	for range 20 {
		v, err := r.Procedure.PackByID(r.ctx, p.ID)
		r.must(err)
		k := slices.IndexFunc(v.States, func(st gates.State) bool { return !st.Done })
		if k < 0 {
			break
		}
		st := v.States[k]
		step := steps.Input{Step: st.Key, Confirm: true, Name: "Ada Karlsen", Token: r.token()}
		switch st.Ask {
		case gates.AskIsolation:
			step.Case = &isolation.Readings{PackVolts: st.ExpectVolts, PositiveVolts: 0.2, NegativeVolts: 0.1}
		case gates.AskName:
			if st.Key == gates.Person {
				step.Name = "Mio Berg"
			}
		case gates.AskVolts, gates.AskReading:
			step.Reading = finding.Of(st.ExpectVolts)
		}
		fs, err := r.Procedure.RecordStep(r.ctx, procedure.Pack, p.ID, step)
		if err != nil || finding.Blocks(fs) {
			t.Fatalf("%s: %+v, %v", st.Key, fs, err)
		}
	}
	in.Count, in.Token = 5, r.token()
	if _, err := r.Procedure.ReceiveFromPack(r.ctx, p.ID, in); !invalid(err, "count") {
		t.Errorf("five of four: %v", err)
	}
	in.Count, in.Token = 4, r.token()
	lot, err := r.Procedure.ReceiveFromPack(r.ctx, p.ID, in)
	r.must(err)
	m, err := r.Module(r.ctx, "P-003")
	r.must(err)
	if lot != r.lot.ID || m.LotID != r.lot.ID || m.Station != station.Inspect || !strings.Contains(m.PlateNote, "T-1") {
		t.Errorf("%+v", m)
	}
}

// A bank of 24 LFP groups stands at 88 V when it is full: a name, a second person and isolation come before
// anything else, and nobody passes over them.
func TestABankAbove60VoltsHasItsPeopleAndItsIsolation(t *testing.T) {
	r := newRig(t)
	ty, err := r.Types.SaveType(r.ctx, types.TypeInput{Name: "TUG-4", Chemistry: "lfp", RatedAh: 100, PlateSeries: 4,
		PlateVolts: 12.8, Posts: "P- P+", Pins: "T1 T2 T3 T4 T5", Token: r.token()})
	r.must(err)
	r.typ = ty
	r.receive("K-001", 6)
	rs := []layout.Reading{{Red: "P+", Black: "P-", Volts: 13.16}, {Red: "T1", Black: "P-", Volts: 0},
		{Red: "T1", Black: "P+", Volts: -13.16}}
	for i := 2; i <= 5; i++ {
		rs = append(rs, layout.Reading{Red: fmt.Sprintf("T%d", i), Black: fmt.Sprintf("T%d", i-1), Volts: 3.29})
	}
	rs = append(rs, layout.Reading{Red: "T5", Black: "P-", Volts: 13.16})
	for i := 1; i <= 6; i++ {
		r.look(fmt.Sprintf("K-%03d", i))
	}
	set, _, err := r.Measure.RecordProbes(r.ctx, measure.ProbesInput{Number: "K-001", Readings: rs, Token: r.token()})
	r.must(err)
	_, err = r.Measure.AcceptLayout(r.ctx, set, false,
		r.token())
	r.must(err)
	for i := 1; i <= 6; i++ {
		n := fmt.Sprintf("K-%03d", i)
		_, err := r.survey(n, 3.29, 3.29, 3.29,
			3.29)
		r.must(err)
		r.must(r.Tests.RecordTyped(r.ctx, test.TypedInput{Number: n, Token: r.token(),
			Result: kind.Result{CapacityAh: 90, Amps: 30, FromFull: true, LowestEndVolts: 2.5}}))
		g, err := r.Grade.GradeModule(r.ctx, n, r.token())
		r.must(err)
		if g.Fitness != "accept" {
			t.Fatalf("%+v", g)
		}
	}
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "Roof store",
		Need: plan.Need{Need: window.Need{AbsMaxVolts: 96, ChargeMaxVolts: 88, CutoffVolts: 67.5, LoadWatts: 800,
			WantedKWh: 5}, FrostAsked: true}, Token: r.token()})
	r.must(err)
	_, err = r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: b.ID, Version: 1, Type: "TUG-4", Series: 24,
		Parallel: 1, Style: match.ParallelFirst, Token: r.token()})
	r.must(err)
	r.must(r.Bank.ChooseBMS(r.ctx, b.ID, 2, "T24-100", r.token()))
	c := r.commission(b.ID)
	for i, key := range []string{"licensed", "person", "equipment", "meter", "isolation"} {
		if c.States[i].Key != key || !c.States[i].Gate {
			t.Fatalf("gate %d is %s, expected %s", i, c.States[i].Key, key)
		}
	}
	step := func(in steps.Input) ([]finding.Finding, error) {
		in.Token = r.token()
		return r.Procedure.RecordStep(r.ctx, procedure.Bank, b.ID, in)
	}
	if _, err := step(steps.Input{Step: "settings", Confirm: true}); !blocked(err) {
		t.Errorf("settings before the people: %v", err)
	}
	if _, err := step(steps.Input{Step: "licensed",
		Override: "we have done this many times before, all of us"}); err == nil {
		t.Error("the licence was passed over")
	}
	if _, err := step(steps.Input{Step: "licensed", Confirm: true}); !invalid(err, "name") {
		t.Errorf("a licence without a name: %v", err)
	}
	for _, name := range []string{"me", "Myself", "i", "n/a", "-", "xx", "aaaa", "none"} {
		if _, err := step(steps.Input{Step: "licensed", Name: name}); !invalid(err, "name") {
			t.Errorf("%q is licensed: %v", name, err)
		}
	}
	sense := bank.SenseInput{BankID: b.ID, BMS: "B1", Token: r.token()}
	for i, x := range r.wiring(b.ID).Expected["B1"] {
		sense.Volts = append(sense.Volts, record.TypedVolts{Group: i, Volts: x})
	}
	if _, err := r.Bank.RecordSense(r.ctx, sense); !blocked(err, limits.HighVoltage) {
		t.Errorf("leads are measured before there are people: %v", err)
	}
	_, err = step(steps.Input{Step: "licensed", Name: "Ada Karlsen"})
	r.must(err)
	for _, name := range []string{"Ada Karlsen", "ada karlsen", "AK", "A. K.", "Ada-Karlsen"} {
		if _, err := step(steps.Input{Step: "person", Name: name}); !invalid(err, "name") {
			t.Errorf("%q is a second person beside Ada Karlsen: %v", name, err)
		}
	}
	_, err = step(steps.Input{Step: "person", Name: "Mio Berg"})
	r.must(err)
	for _, k := range []string{"equipment", "meter"} {
		if _, err := step(steps.Input{Step: k, Override: "we have none of it here today at all"}); err == nil {
			t.Errorf("%s was passed over", k)
		}
		_, err = step(steps.Input{Step: k, Confirm: true})
		r.must(err)
	}
	fs, err := step(steps.Input{Step: "isolation", Case: &isolation.Readings{PackVolts: 0.5,
		PositiveVolts: 0, NegativeVolts: 0}})
	if err == nil && !finding.Blocks(fs) {
		t.Errorf("0.5 V between the ends of a bank at 79 V was taken: %+v", fs)
	}
	_, err = step(steps.Input{Step: "isolation", Case: &isolation.Readings{PackVolts: 78.96,
		PositiveVolts: 0.3, NegativeVolts: 0.2}})
	r.must(err)
	r.inService(b.ID)
	c = r.commission(b.ID)
	if !slices.ContainsFunc(c.Records, func(x steps.Record) bool {
		return x.Step == "licensed" && strings.Contains(x.Reading, "Ada Karlsen")
	}) {
		t.Error("who is licensed is not on record")
	}
}

// What a list says a module holds is somebody's word: kept, never taken for the plate or for a test.
func TestAnImportedCapacityIsNoPlateAndNoTest(t *testing.T) {
	r := newRig(t)
	rows := []measure.ModuleRow{{Number: "K-001", Type: "TRIKE-7", PlateAh: 46, CapacityAh: 39.5,
		ResistanceMOhm: 14.2, History: "clean"}, {Number: "K 2", Type: "NOPE", PlateAh: -1, History: "sunk"}}
	errs, err := r.Measure.ImportModules(r.ctx, r.lot.ID, rows, r.token(), true)
	r.must(err)
	for _, part := range []string{"label number", "NOPE", "plate", "sunk"} { // every error of the row
		if !strings.Contains(errs[1], part) {
			t.Errorf("row 2 does not speak of %s: %s", part, errs[1])
		}
	}
	errs, err = r.Measure.ImportModules(r.ctx, r.lot.ID, rows[:1], r.token(), true)
	r.must(err)
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if len(errs) != 0 || l.Module.PlateAh != 46 || len(l.Typed) != 1 || l.Typed[0].ResistanceMOhm != 14.2 ||
		l.Result.Complete || l.Module.Station != station.Inspect || l.Module.History != "clean" {
		t.Errorf("%v, %+v, %+v", errs, l.Module, l.Result)
	}
}

func TestTheSameSurveyFromTwoTabsIsOne(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	_, err := r.survey("K-001", flat(3.71)...)
	r.must(err)
	r.at = r.at.Add(2 * time.Minute)
	var again *kernel.Again
	if _, err := r.survey("K-001", flat(3.71)...); !errors.As(err, &again) {
		t.Errorf("the second tab: %v", err)
	}
	r.at = r.at.Add(time.Hour)
	if _, err := r.survey("K-001", flat(3.71)...); err != nil {
		t.Errorf("an hour later it is a new sitting: %v", err)
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if len(l.Surveys) != 2 {
		t.Errorf("%d surveys", len(l.Surveys))
	}
}

// What a fuse is must be on record, into service and ever after.
func TestAFuseOfABankInServiceStaysOnRecord(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	r.leads(id)
	r.gates(id)
	if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err, "fuse-not-known") {
		t.Errorf("nothing known of the fuse: %v", err)
	}
	for _, c := range []struct {
		p    plan.Parts
		code string
	}{
		{plan.Parts{FuseV: 80, FuseKA: 20}, "fuse-not-known"},
		{plan.Parts{FuseA: 40, FuseKA: 20}, "fuse-not-known"},
		{plan.Parts{FuseA: 40, FuseV: 80}, "fuse-not-known"},
		{plan.Parts{FuseA: 40, FuseV: 12, FuseKA: 20}, "voltage-rating"},
		{plan.Parts{FuseA: 40, FuseV: 80, FuseKA: 0.1}, "interrupt-rating"},
	} {
		r.must(r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), c.p, r.token()))
		if err := r.Procedure.PutInService(r.ctx, id, r.bankVersion(id), true, r.token()); !blocked(err, c.code) {
			t.Errorf("%+v: %v", c.p, err)
		}
	}
	r.inService(id)
	if list, err := r.Procedure.DoubtedInService(r.ctx); err != nil || len(list) != 0 {
		t.Errorf("a bank in order is called back: %+v %v", list, err)
	}
	r.must(r.Bank.SaveParts(r.ctx, id, r.bankVersion(id), plan.Parts{FuseA: 40, FuseKA: 20}, r.token()))
	list, err := r.Procedure.DoubtedInService(r.ctx)
	r.must(err)
	if len(list) != 1 || list[0].Findings[0].Code != "fuse-not-known" {
		t.Errorf("its fuse was found to say no volts: %+v", list)
	}
}

// A slip of the point in a typed result is named in its field, and nothing is kept.
func TestASlipInATypedResultIsRefused(t *testing.T) {
	r := newRig(t)
	r.graded(1)
	for _, c := range []struct {
		name, field string
		to          func(in *test.TypedInput)
	}{
		{"200 A of one module of 46 Ah is a start", "", func(in *test.TypedInput) { in.Amps = 200 }},
		{"300 A are asked about", "amps", func(in *test.TypedInput) { in.Amps = 300 }},
		{"300 A that were checked", "", func(in *test.TypedInput) { in.Amps, in.Checked = 300, true }},
		{"a tenth of its rating", "capacity_ah", func(in *test.TypedInput) {
			in.CapacityAh, in.Amps, in.LowestEndVolts = 4.4, 10, 3
		}},
		{"a tenth of its rating that was checked", "", func(in *test.TypedInput) {
			in.CapacityAh, in.Amps, in.LowestEndVolts, in.Checked = 4.4, 10, 3, true
		}},
		{"a tenth as part of a discharge", "", func(in *test.TypedInput) {
			in.CapacityAh, in.FromFull = 4.4, false
		}},
		{"energy of another number of groups", "energy_wh", func(in *test.TypedInput) { in.EnergyWh = 40 * 3.65 }},
		{"80 mΩ of one group", "resistance_mohm", func(in *test.TypedInput) { in.ResistanceMOhm = 800 }},
		{"a group at 1.5 V", "lowest_end_v", func(in *test.TypedInput) { in.LowestEndVolts = 1.5 }},
		{"3000 A", "amps", func(in *test.TypedInput) { in.Amps = 3000 }},
		{"250 V at the end of seven groups", "end_volts", func(in *test.TypedInput) { in.EndVolts = 250 }},
		{"a lowest group above the mean", "lowest_end_v",
			func(in *test.TypedInput) {
				in.EndVolts, in.LowestEndVolts = 21.3, 3.4
			}},
		{"a lowest group below the mean", "", func(in *test.TypedInput) {
			in.EndVolts, in.LowestEndVolts = 21.9,
				2.99
		}},
	} {
		in := test.TypedInput{Number: "K-001", Token: r.token(), Result: kind.Result{CapacityAh: 40,
			FromFull: true, ChargeMoved: true, Amps: 10}}
		c.to(&in)
		err := r.Tests.RecordTyped(r.ctx, in)
		if c.field == "" && err != nil || c.field != "" && !invalid(err, c.field) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

// A reading that does not pass ends the page of gates there: nothing after it is recorded.
func TestGatesAtOnceEndAtTheFirstStop(t *testing.T) {
	r := newRig(t)
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "kiosk", Token: r.token(),
		Bank: standing.Bank{NominalVolts: 24, FullVolts: 29, Strings: 1}})
	r.must(err)
	yes := func(keys ...string) (out []steps.Input) {
		for _, k := range keys {
			out = append(out, steps.Input{Step: k, Confirm: true, Token: r.token()})
		}
		return out
	}
	in := append(yes("owner", "meter", "loads"), steps.Input{Step: "current", Reading: finding.Of(4),
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

// What is asked of a designed bank may change: the design is judged by it and its modules stay. Gates that were passed
// for the other device count no more; what the design cannot meet is refused, and the need stays as it was.
func TestAnotherNeedOfADesignedBank(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, was := r.designed(match.ParallelFirst)
	r.leads(id)
	b, n, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	change := func(n plan.Need) error {
		_, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{ID: id, Version: r.bankVersion(id), Name: b.Name, Need: n,
			Token: r.token()})
		return err
	}
	n.LoadWatts++
	r.must(change(n)) // nothing was passed yet: the leads that were measured stand
	now, _, d, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	if now.DesignVersion != b.DesignVersion || len(d.Places) != len(was.Places) ||
		d.Places[0].Number != was.Places[0].Number {
		t.Errorf("version %d, places %v: the design is another one", now.DesignVersion, d.Places)
	}
	r.gates(id)
	if len(r.commission(id).Records) == 0 {
		t.Fatal("no gate was passed")
	}
	r.must(change(n)) // the same again changes nothing
	if len(r.commission(id).Records) == 0 {
		t.Error("the same need takes the gates back")
	}
	n.LoadWatts++
	r.must(change(n))
	if c := r.commission(id); slices.ContainsFunc(c.States, func(st gates.State) bool { return st.Done }) {
		t.Error("gates that were passed for another load still count")
	}
	far := n
	far.CutoffVolts, far.ChargeMaxVolts, far.AbsMaxVolts = 60, 80, 90 // 14 groups reach 58.8 V
	if err := change(far); !blocked(err, "window-small") && !blocked(err, "too-many-groups") && !invalid(err, "") {
		t.Errorf("a device of 60 to 80 V: %v", err)
	}
	if _, kept, _, err := r.Bank.ByID(r.ctx, id); err != nil || kept.CutoffVolts == 60 {
		t.Errorf("a refused need was kept: %v %v", kept, err)
	}
}

// A bank that was drawn before its chemistry was declared is judged by it, also where its type was renamed with it.
func TestATypeIsRenamedUnderItsDesign(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	id, _ := r.designed(match.ParallelFirst)
	r.must(r.Store.DB.Exec("UPDATE module_types SET name = name || ' renamed'").Error)
	b, n, _, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	n.LoadWatts++
	if _, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{ID: id, Version: r.bankVersion(id), Name: b.Name, Need: n,
		Token: r.token()}); err != nil {
		t.Errorf("the type is called otherwise now: %v", err)
	}
}
