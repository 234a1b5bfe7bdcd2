package shop_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/sense"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/core/test/kind"
	"pandrel/core/test/parts"
	"pandrel/core/trainer/virtual"
	"pandrel/shop"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/types"
	"pandrel/store"
)

// rig is a workshop with a clock that can be set.
type rig struct {
	*shop.Shop
	t   testing.TB
	ctx context.Context
	at  time.Time
	n   int
	lot store.Lot
	typ store.ModuleType
	rng *rand.Rand

	noFrost bool // the next need does not say whether it can freeze
}

func newRig(t testing.TB) *rig {
	t.Helper()
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	r := &rig{t: t, ctx: kernel.By(context.Background(), "AK"), at: time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC),
		rng: rand.New(rand.NewPCG(8, 8))}
	r.Shop = shop.New(st, func() time.Time { return r.at })
	r.lot, err = r.Receive.SaveLot(r.ctx, receive.LotInput{Supplier: "Depot", ArrivedOn: "2026-11-01", Price: 100,
		Token: r.token()})
	r.must(err)
	r.typ, err = r.Types.SaveType(r.ctx, types.TypeInput{Name: "TRIKE-7", Chemistry: "nmc", RatedAh: 46,
		PlateSeries: 7, PlateVolts: 25.6, Posts: "A- A+", Pins: "X1 X2 X3 X4 X5 X6 X7 X8", Token: r.token()})
	r.must(err)
	return r
}

// tests are those of a module that count.
func (r *rig) tests(moduleID int64) []record.Tested {
	r.t.Helper()
	db := r.Store.DB.WithContext(r.ctx)
	m, err := kernel.ByID[store.Module](db, moduleID, "module")
	r.must(err)
	t, err := kernel.TypeByID(db, m.TypeID)
	r.must(err)
	list, err := record.TestsOf(db, m, t)
	r.must(err)
	return list
}

func (r *rig) counts(moduleID int64) (record.Counts, error) { return record.Newest(r.tests(moduleID)) }

func (r *rig) partsOf(moduleID int64) ([]record.Tested, parts.Joined, error) {
	return record.PartsOf(r.tests(moduleID))
}

func (r *rig) token() string { r.n++; return fmt.Sprintf("token-%04d", r.n) }

func (r *rig) must(err error) {
	r.t.Helper()
	if err != nil {
		r.t.Fatal(err)
	}
}

func (r *rig) receive(first string, count int) {
	r.t.Helper()
	_, err := r.Receive.AddModules(r.ctx, receive.ModulesInput{LotID: r.lot.ID, TypeID: r.typ.ID, First: first,
		Count: count, Token: r.token()})
	r.must(err)
}

// chain is the readings of a clean 7-group module.
func chain() []layout.Reading {
	rs := []layout.Reading{{Red: "A+", Black: "A-", Volts: 25.97}, {Red: "X1", Black: "A+", Volts: -25.97}}
	for i := 2; i <= 8; i++ {
		rs = append(rs, layout.Reading{Red: fmt.Sprintf("X%d", i), Black: fmt.Sprintf("X%d", i-1), Volts: 3.71})
	}
	return append(rs, layout.Reading{Red: "X8", Black: "A-", Volts: 25.97})
}

func (r *rig) mapType(number string) {
	r.t.Helper()
	id, m, err := r.Measure.RecordProbes(r.ctx, measure.ProbesInput{Number: number, Readings: chain(),
		Token: r.token()})
	r.must(err)
	if !m.Complete {
		r.t.Fatalf("map not complete: %+v", m.Findings)
	}
	_, err = r.Measure.AcceptLayout(r.ctx, id, false, r.token())
	r.must(err)
}

func (r *rig) look(number string, signs ...string) {
	r.t.Helper()
	_, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: number, Signs: signs, Token: r.token()})
	r.must(err)
}

func (r *rig) survey(number string, volts ...float64) (survey.Result, error) {
	in := measure.SurveyInput{Number: number, RestMinutes: 60, Token: r.token()}
	for i, v := range volts {
		in.Readings = append(in.Readings, record.TypedVolts{Group: i + 1, Volts: v, AsTyped: fmt.Sprintf("%.3f", v)})
	}
	_, res, err := r.Measure.RecordSurvey(r.ctx, in)
	return res, err
}

func flat(v float64) []float64 { return []float64{v, v, v, v, v, v, v} }

func (r *rig) test(number string, soh float64) {
	r.t.Helper()
	m := virtual.New(r.rng, number, virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46, SoH: soh,
		ResistanceOhms: 0.0019})
	m.SetSoC(1)
	log := m.Discharge(virtual.Test{Amps: 14, FloorVolts: 3, RestBefore: 1900, RestAfter: 1900, EverySecond: 10,
		AmbientC: 22})
	_, _, err := r.Tests.RecordLog(r.ctx, test.LogInput{Number: number, FileName: number + ".csv",
		Data: virtual.WriteLog(r.rng, log, virtual.PlainSeconds, r.at), Token: r.token()})
	r.must(err)
}

func (r *rig) station(number string) station.Station {
	r.t.Helper()
	m, err := r.Module(r.ctx, number)
	r.must(err)
	return m.Station
}

// commission loads how far a bank is on its way into service.
func (r *rig) commission(id int64) procedure.Commission {
	r.t.Helper()
	b, n, d, err := r.Bank.ByID(r.ctx, id)
	r.must(err)
	w, err := r.Bank.PlanWiring(r.ctx, b, n, *d)
	r.must(err)
	c, err := r.Procedure.CommissionOf(r.ctx, b, n, *d, w)
	r.must(err)
	return c
}

// gates passes the gates of a bank, in order.
func (r *rig) gates(id int64) {
	r.t.Helper()
	for range 20 {
		var next *gates.State
		for _, st := range r.commission(id).States {
			if !st.Done {
				next = &st
				break
			}
		}
		if next == nil {
			return
		}
		mv, amps := 3.5, 20.0
		in := steps.Input{Step: next.Key, Confirm: true, Name: "Ada Karlsen", Reading: &mv, Other: &amps,
			Token: r.token()}
		if next.Key == gates.Person {
			in.Name = "Mio Berg"
		}
		if next.Ask == gates.AskIsolation {
			in.Case = &isolation.Readings{PackVolts: next.ExpectVolts}
		}
		_, err := r.Procedure.RecordStep(kernel.By(r.ctx, "AB"), procedure.Bank, id, in)
		r.must(err)
	}
}

// The whole line, in the core of the shop: from a pile of modules to one checked bank.
func TestTheLineFromPileToBank(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 5)
	for i := 1; i <= 5; i++ {
		r.look(fmt.Sprintf("K-%03d", i))
	}
	if s := r.station("K-002"); s != station.Map {
		t.Fatalf("after the look K-002 is at %s", s)
	}
	r.mapType("K-001")
	for i := 1; i <= 5; i++ {
		n := fmt.Sprintf("K-%03d", i)
		if s := r.station(n); s != station.Survey {
			t.Fatalf("after the layout %s is at %s", n, s)
		}
		_, err := r.survey(n, flat(3.71)...)
		r.must(err)
		r.test(n, 0.8+0.02*float64(i))
		if s := r.station(n); s != station.Grade {
			t.Fatalf("after the test %s is at %s", n, s)
		}
		g, err := r.Grade.GradeModule(r.ctx, n, r.token())
		r.must(err)
		if g.Fitness != "accept" {
			t.Fatalf("%s: %+v", n, g)
		}
	}
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "Hut",
		Need: plan.Need{Need: window.Need{AbsMaxVolts: 64, ChargeMaxVolts: 58.4, CutoffVolts: 43, LoadWatts: 400,
			WantedKWh: 3, ChargeAmps: 20}, FreezesHere: true, FrostAsked: true}, Token: r.token()})
	r.must(err)
	_, need, _, err := r.Bank.ByID(r.ctx, b.ID)
	r.must(err)
	sh, err := r.Bank.Shelf(r.ctx, nil)
	r.must(err)
	cs, err := r.Bank.Candidates(need, sh)
	r.must(err)
	if cs[0].Series != 14 || cs[0].Parallel != 2 || cs[0].Refused {
		t.Fatalf("candidates %+v", cs)
	}
	plan, err := r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: b.ID, Version: 1, Type: "TRIKE-7", Series: 14,
		Parallel: 2, Style: match.ParallelFirst, Token: r.token()})
	r.must(err)
	if len(plan.Places) != 4 || r.station(plan.Places[0].Number) != station.Wire {
		t.Fatalf("places %+v", plan.Places)
	}
	bk, need, d, err := r.Bank.ByID(r.ctx, b.ID)
	r.must(err)
	w, err := r.Bank.PlanWiring(r.ctx, bk, need, *d)
	r.must(err)
	if fs := finding.Standing(w.Report.Findings); len(fs) != 1 || fs[0].Code != "no-bms" {
		t.Fatalf("without a BMS: %+v", fs)
	}
	var blocked *kernel.Blocked
	if err := r.Bank.ChooseBMS(r.ctx, b.ID, bk.Version, "T4-60", r.token()); !errors.As(err, &blocked) {
		t.Errorf("a BMS for 4 groups was taken for 14: %v", err)
	}
	r.must(r.Bank.ChooseBMS(r.ctx, b.ID, bk.Version, "T16-60", r.token()))
	r.parts(b.ID)
	bk, need, d, err = r.Bank.ByID(r.ctx, b.ID)
	r.must(err)
	w, err = r.Bank.PlanWiring(r.ctx, bk, need, *d)
	r.must(err)
	if fs := finding.Standing(w.Report.Findings); len(fs) != 0 || w.Report.Series != 14 || w.Report.Parallel != 2 ||
		len(w.Expected["B1"]) != 15 {
		t.Fatalf("with its BMS: %+v, %d × %d, %d leads", fs, w.Report.Series, w.Report.Parallel, len(w.Expected["B1"]))
	}
	if err := r.Procedure.PutInService(r.ctx, b.ID, bk.Version, true, r.token()); !errors.As(err, &blocked) {
		t.Errorf("in service without a sense check: %v", err)
	}
	check := func(swap bool) sense.Verdict {
		in := bank.SenseInput{BankID: b.ID, BMS: "B1", Token: r.token()}
		v := append([]float64(nil), w.Expected["B1"]...)
		if swap {
			v[3], v[4] = v[4], v[3]
		}
		for i, x := range v {
			in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: x, AsTyped: fmt.Sprintf("%.3f", x)})
		}
		in.TopToZero = &w.Expected["B1"][len(v)-1]
		out, err := r.Bank.RecordSense(r.ctx, in)
		r.must(err)
		return out
	}
	if v := check(true); v.Kind != sense.Swapped {
		t.Errorf("swapped leads: %s", v.Kind)
	}
	if err := r.Procedure.PutInService(r.ctx, b.ID, bk.Version, true, r.token()); !errors.As(err, &blocked) {
		t.Errorf("in service with swapped leads: %v", err)
	}
	if v := check(false); v.Kind != sense.Good {
		t.Errorf("good leads: %s", v.Kind)
	}
	if err := r.Procedure.PutInService(r.ctx, b.ID, bk.Version, true, r.token()); !errors.As(err, &blocked) ||
		blocked.Findings[0].Code != "gate-open" {
		t.Errorf("in service with open gates: %v", err)
	}
	r.gates(b.ID)
	if err := r.Procedure.PutInService(r.ctx, b.ID, bk.Version, false, r.token()); err == nil {
		t.Error("in service without a confirmation")
	}
	r.must(r.Procedure.PutInService(r.ctx, b.ID, bk.Version, true, r.token()))
	if s := r.station(plan.Places[0].Number); s != station.Keep {
		t.Errorf("after the hand-over at %s", s)
	}
	if err := r.Bank.UndoDesign(r.ctx, b.ID, bk.Version+1, r.token()); err == nil {
		t.Error("a bank in service was taken apart")
	}
}

func TestStringsFirstHasABMSAndAFuseForEachString(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 4)
	for i := 1; i <= 4; i++ {
		r.look(fmt.Sprintf("K-%03d", i))
	}
	r.mapType("K-001")
	for i := 1; i <= 4; i++ {
		n := fmt.Sprintf("K-%03d", i)
		_, err := r.survey(n, flat(3.71)...)
		r.must(err)
		r.test(n, 0.85)
		_, err = r.Grade.GradeModule(r.ctx, n, r.token())
		r.must(err)
	}
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "Hut", Need: plan.Need{Need: window.Need{AbsMaxVolts: 64,
		ChargeMaxVolts: 58.4, CutoffVolts: 43, LoadWatts: 400, WantedKWh: 3}}, Token: r.token()})
	r.must(err)
	_, err = r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: b.ID, Version: 1, Type: "TRIKE-7", Series: 14,
		Parallel: 2, Style: match.StringsFirst, Token: r.token()})
	r.must(err)
	r.must(r.Bank.ChooseBMS(r.ctx, b.ID, 2, "R16-300", r.token()))
	bk, need, d, err := r.Bank.ByID(r.ctx, b.ID)
	r.must(err)
	w, err := r.Bank.PlanWiring(r.ctx, bk, need, *d)
	r.must(err)
	if len(w.Netlist.BMS) != 2 || len(finding.Standing(w.Report.Findings)) != 0 || len(w.Report.Unmonitored) != 0 {
		t.Errorf("%d BMS, %+v", len(w.Netlist.BMS), w.Report.Findings)
	}
}

func TestQuarantineIsForEver(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 3)
	for _, n := range []string{"K-001", "K-002"} {
		r.look(n)
	}
	r.mapType("K-001")
	low := flat(3.71)
	low[2] = 1.7
	res, err := r.survey("K-001", low...)
	r.must(err)
	if m, _ := r.Module(r.ctx, "K-001"); res.Verdict != survey.Reread || m.Quarantined || m.Station != station.Survey {
		t.Fatalf("after one reading below never-recharge: %s, %+v", res.Verdict, m)
	}
	res, err = r.survey("K-001", low...)
	r.must(err)
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	if res.Verdict != survey.Quarantine || !m.Quarantined || !m.EverBelowNever {
		t.Fatalf("after the second: %s, %+v", res.Verdict, m)
	}
	var blocked *kernel.Blocked
	if _, err := r.survey("K-001", flat(3.71)...); !errors.As(err, &blocked) {
		t.Errorf("a quarantined module was surveyed: %v", err)
	}
	if err := r.Tests.RecordTyped(r.ctx, test.TypedInput{Number: "K-001", Token: r.token(),
		Result: kind.Result{CapacityAh: 40}}); !errors.As(err, &blocked) {
		t.Errorf("a quarantined module was tested: %v", err)
	}
	g, err := r.Grade.GradeModule(r.ctx, "K-001", r.token())
	if err != nil || g.Fitness != "reject" {
		t.Errorf("graded %+v, %v", g, err)
	}
	r.look("K-003", "swollen")
	if m, _ := r.Module(r.ctx, "K-003"); !m.Quarantined || m.Station != station.Inspect {
		t.Errorf("swollen: %+v", m)
	}
	r.look("K-003")
	if m, _ := r.Module(r.ctx, "K-003"); !m.Quarantined {
		t.Error("a second look lifted the quarantine")
	}
}

func TestSendingAFormTwiceSavesOnce(t *testing.T) {
	r := newRig(t)
	in := receive.ModulesInput{LotID: r.lot.ID, TypeID: r.typ.ID, First: "K-001", Count: 12, Token: r.token()}
	if _, err := r.Receive.AddModules(r.ctx, in); err != nil {
		t.Fatal(err)
	}
	var again *kernel.Again
	if _, err := r.Receive.AddModules(r.ctx, in); !errors.As(err, &again) {
		t.Errorf("the same form again: %v", err)
	}
	in.Token = r.token()
	in.First = "K-012"
	var inv *kernel.Invalid
	if _, err := r.Receive.AddModules(r.ctx, in); !errors.As(err, &inv) ||
		!strings.Contains(inv.Fields["first"], "K-012 exists already") {
		t.Errorf("a number that exists: %v", err)
	}
	rows, err := r.Record.InLot(r.ctx, r.lot.ID)
	if err != nil || len(rows) != 12 {
		t.Errorf("%d modules, %v", len(rows), err)
	}
}

func TestTheSecondOfTwoEditorsSeesBoth(t *testing.T) {
	r := newRig(t)
	edit := receive.LotInput{ID: r.lot.ID, Version: r.lot.Version, Supplier: "Depot", ArrivedOn: "2026-11-01",
		Price: 120, Token: r.token()}
	if _, err := r.Receive.SaveLot(r.ctx, edit); err != nil {
		t.Fatal(err)
	}
	edit.Price, edit.Token = 150, r.token()
	_, err := r.Receive.SaveLot(r.ctx, edit)
	var con *kernel.Conflict
	if !errors.As(err, &con) || con.Saved["price"] != "120" || con.Version != 2 {
		t.Fatalf("%v, %+v", err, con)
	}
	if lot, _ := r.Record.Lot(r.ctx, r.lot.ID); lot.Price != 120 {
		t.Errorf("the first editor's price is now %v", lot.Price)
	}
}

func TestTheOriginalLogIsKept(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	if _, err := r.survey("K-001", flat(3.71)...); err != nil {
		t.Fatal(err)
	}
	data := []byte("time_s,volts,amps\n0,29,0\n60,28.9,0\n120,27,-10\n180,26.5,-10\n240,26.4,-10\n300,26.3,-10\n")
	id, res, err := r.Tests.RecordLog(r.ctx, test.LogInput{Number: "K-001", FileName: "log.csv", Data: data,
		Token: r.token()})
	r.must(err)
	if res.Capacity == nil || res.Capacity.Complete || r.station("K-001") != station.Test {
		t.Errorf("a part of a discharge: %+v, at %s", res.Capacity, r.station("K-001"))
	}
	_, file, err := r.Tests.OriginalFile(r.ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	back, err := io.ReadAll(file)
	if err != nil || !bytes.Equal(back, data) {
		t.Errorf("%d bytes came back as %d, %v", len(data), len(back), err)
	}
	var inv *kernel.Invalid
	if _, _, err := r.Tests.RecordLog(r.ctx, test.LogInput{Number: "K-001", FileName: "log.csv", Data: data,
		Token: r.token()}); !errors.As(err, &inv) || !strings.Contains(inv.Fields["file"], "on record") {
		t.Errorf("the same file again: %v", err)
	}
	if _, _, err := r.Tests.RecordLog(r.ctx, test.LogInput{Number: "K-001", FileName: "photo.png",
		Data: []byte("\x89PNG\x00\x00"), Token: r.token()}); !errors.As(err, &inv) ||
		!strings.Contains(inv.Fields["file"], "binary") {
		t.Errorf("a picture: %v", err)
	}
}

func TestBadInputNamesItsField(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	field := func(err error, name string) {
		t.Helper()
		var inv *kernel.Invalid
		if !errors.As(err, &inv) || inv.Fields[name] == "" || !strings.Contains(inv.Fields[name], "expected") {
			t.Errorf("%s: %v", name, err)
		}
	}
	_, err := r.Receive.SaveLot(r.ctx, receive.LotInput{ArrivedOn: "yesterday", Supplier: "X"})
	field(err, "arrived_on")
	_, err = r.Types.SaveType(r.ctx, types.TypeInput{Name: "X", RatedAh: -1, Posts: "A B"})
	field(err, "rated_ah")
	_, err = r.Types.SaveType(r.ctx, types.TypeInput{Name: "X", RatedAh: 1, Posts: "A"})
	field(err, "posts")
	_, err = r.Types.SaveType(r.ctx, types.TypeInput{Name: "X", RatedAh: 46, Posts: "A B", CellAh: 13})
	field(err, "cell_ah")
	_, err = r.Receive.AddModules(r.ctx, receive.ModulesInput{LotID: r.lot.ID, TypeID: r.typ.ID, First: "no digits",
		Count: 3})
	field(err, "first")
	r.look("K-001")
	field(r.Tests.RecordTyped(r.ctx, test.TypedInput{Number: "K-001", Result: kind.Result{CapacityAh: 500}}),
		"capacity_ah")
	_, err = r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "B"})
	field(err, "class")
	_, err = r.survey("K-001", 3.7)
	var inv *kernel.Invalid
	if !errors.As(err, &inv) {
		t.Errorf("a survey without a layout: %v", err)
	}
	var nf *kernel.NotFound
	if _, err := r.Desk.Life(r.ctx, "K-999"); !errors.As(err, &nf) {
		t.Errorf("a module that does not exist: %v", err)
	}
}

func ExampleNumbers() {
	n, _ := receive.Numbers("K-009", 3)
	fmt.Println(n)
	// Output: [K-009 K-010 K-011]
}

// A test changes a module's charge, so a survey from before it must not pass for today's voltages.
func TestVoltagesFromBeforeTheTestAreFlagged(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	_, err := r.survey("K-001", flat(3.71)...)
	r.must(err)
	r.at = r.at.Add(time.Hour)
	r.test("K-001", 0.85)
	_, err = r.Grade.GradeModule(r.ctx, "K-001", r.token())
	r.must(err)
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "Hut", Need: plan.Need{Need: window.Need{AbsMaxVolts: 32,
		ChargeMaxVolts: 29.4, CutoffVolts: 21, LoadWatts: 100, WantedKWh: 0.5}}, Token: r.token()})
	r.must(err)
	_, err = r.Bank.DesignBank(r.ctx, bank.DesignInput{BankID: b.ID, Version: 1, Type: "TRIKE-7", Series: 7,
		Parallel: 1, Style: match.ParallelFirst, Token: r.token()})
	r.must(err)
	r.must(r.Bank.ChooseBMS(r.ctx, b.ID, 2, "T8-100", r.token()))
	now := func() plan.Wiring {
		bk, need, d, err := r.Bank.ByID(r.ctx, b.ID)
		r.must(err)
		w, err := r.Bank.PlanWiring(r.ctx, bk, need, *d)
		r.must(err)
		return w
	}
	stale := func(w plan.Wiring) bool {
		for _, f := range w.Report.Findings {
			if f.Code == "volts-before-test" {
				return true
			}
		}
		return false
	}
	if !stale(now()) {
		t.Error("voltages from before the test were taken for today's")
	}
	r.at = r.at.Add(time.Hour)
	_, err = r.survey("K-001", flat(3.8)...)
	r.must(err)
	w := now()
	if stale(w) || w.Expected["B1"][7] < 26.59 || w.Expected["B1"][7] > 26.61 {
		t.Errorf("after a new survey: stale %v, expected %v", stale(w), w.Expected["B1"])
	}
}

func invalid(err error, field string) bool {
	var i *kernel.Invalid
	return errors.As(err, &i) && i.Fields[field] != ""
}

func blocked(err error, codes ...string) bool {
	var b *kernel.Blocked
	if !errors.As(err, &b) {
		return false
	}
	for _, code := range codes {
		if !slices.ContainsFunc(b.Findings, func(f finding.Finding) bool { return f.Code == code }) {
			return false
		}
	}
	return true
}

func stoppedBy(err error, code string) bool {
	var b *kernel.Blocked
	return errors.As(err, &b) && slices.ContainsFunc(b.Findings, func(f finding.Finding) bool { return f.Code == code })
}
