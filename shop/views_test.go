package shop_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/station"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/store"
)

func (r *rig) surveyed(number string, volts float64) {
	r.t.Helper()
	_, err := r.survey(number, flat(volts)...)
	r.must(err)
}

func (r *rig) check(number string, swap bool) []string {
	r.t.Helper()
	t, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	plan, err := r.Measure.CheckPlan(r.ctx, t)
	r.must(err)
	at := map[string]int{"A-": 0, "A+": 7}
	for i := 1; i <= 8; i++ {
		at["X"+string(rune('0'+i))] = i - 1
	}
	if swap {
		at["X3"], at["X5"] = at["X5"], at["X3"]
	}
	in := measure.CheckInput{Number: number, Token: r.token()}
	for i, p := range plan {
		in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: 3.71 * float64(at[p.Red]-at[p.Black])})
	}
	fs, err := r.Measure.RecordCheck(r.ctx, in)
	r.must(err)
	var codes []string
	for _, f := range fs {
		codes = append(codes, f.Code)
	}
	return codes
}

func TestThePathCountsWhatWaits(t *testing.T) {
	r := newRig(t)
	counts := func() map[station.Station]int {
		path, err := r.Desk.Path(r.ctx)
		r.must(err)
		out := map[station.Station]int{}
		for _, w := range path {
			out[w.Station] = w.Count
		}
		return out
	}
	if c := counts(); c[station.Receive] != 1 || c[station.Inspect] != 0 {
		t.Errorf("a lot without modules: %v", c)
	}
	r.receive("K-001", 5)
	r.at = r.at.Add(26 * time.Hour)
	r.look("K-001")
	r.look("K-002", "swollen")
	r.look("K-003", "dented")
	if c := counts(); c[station.Receive] != 0 || c[station.Inspect] != 3 || c[station.Map] != 1 {
		t.Errorf("after three looks: %v", c)
	}
	path, err := r.Desk.Path(r.ctx)
	r.must(err)
	if age := r.at.Sub(path[1].Oldest); age != 26*time.Hour {
		t.Errorf("the oldest waits since %v", age)
	}
	rows, _, err := r.Desk.At(r.ctx, station.Inspect, 1, 10)
	if err != nil || len(rows) != 3 || rows[0].Number != "K-003" {
		t.Errorf("%+v, %v", rows, err)
	}
	next, err := r.Desk.NextModule(r.ctx, station.Inspect, "K-003")
	if err != nil || next != "K-004" {
		t.Errorf("after K-003 comes %q, %v", next, err)
	}
	if next, _ := r.Desk.NextModule(r.ctx, station.Inspect, "K-005"); next != "K-003" {
		t.Errorf("after the last comes %q", next)
	}
	q, err := r.Desk.Quarantined(r.ctx)
	if err != nil || len(q) != 1 || q[0].Number != "K-002" || q[0].QuarantineWhy != "swollen" {
		t.Errorf("%+v, %v", q, err)
	}
	today, err := r.Desk.Today(r.ctx)
	if err != nil || today.Modules != 5 || len(today.Quarantined) != 1 || len(today.Events) == 0 {
		t.Errorf("%+v, %v", today, err)
	}
}

func TestMildSignsHoldUntilTheyAreSeenTo(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001", "corroded")
	if s := r.station("K-001"); s != station.Inspect {
		t.Errorf("corroded, at %s", s)
	}
	out, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: "K-001", Signs: []string{"corroded"},
		Mended: true, Token: r.token()})
	if err != nil || out != look.GoOn || r.station("K-001") != station.Map {
		t.Errorf("cleaned: %s, %v, at %s", out, err, r.station("K-001"))
	}
	// Seeing to the mild ones does not excuse a grave one.
	out, err = r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: "K-001", Signs: []string{"corroded",
		"punctured"}, Mended: true, Token: r.token()})
	if err != nil || out != look.Quarantine {
		t.Errorf("punctured: %s, %v", out, err)
	}
	if _, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: "K-001", Signs: []string{"haunted"},
		Token: r.token()}); err == nil {
		t.Error("a sign that does not exist was kept")
	}
}

func TestSearchFindsNumbersAndBanks(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 12)
	for text, want := range map[string]int{"k-00": 9, "K-012": 1, "K_01": 0, "%": 0, "": 0, "  K-001 ": 1} {
		t.Run(text, func(t *testing.T) {
			mods, _, err := r.Desk.Search(r.ctx, text)
			if err != nil || len(mods) != want {
				t.Errorf("%q: %d modules, %v", text, len(mods), err)
			}
		})
	}
	mods, _, _ := r.Desk.Search(r.ctx, "K-01")
	if len(mods) != 3 || mods[0].Number != "K-010" {
		t.Errorf("K-01: %+v", mods)
	}
}

func TestAFailedCheckOrIsolationRejects(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	for _, n := range []string{"K-001", "K-002"} {
		r.surveyed(n, 3.71)
		r.test(n, 0.85)
	}
	if codes := r.check("K-001", false); len(codes) != 0 {
		t.Errorf("a good module: %v", codes)
	}
	if codes := r.check("K-002", true); len(codes) == 0 {
		t.Error("two exchanged pins went unseen")
	}
	iso := func(n string, pos float64) string {
		out, _, err := r.Measure.RecordIsolation(r.ctx, measure.IsolationInput{Number: n,
			Readings: isolation.Readings{PackVolts: 26, PositiveVolts: pos}, Token: r.token()})
		r.must(err)
		return string(out.Verdict)
	}
	if v := iso("K-001", 26); v != "stop" {
		t.Errorf("a dead short to the case: %s", v)
	}
	for _, n := range []string{"K-001", "K-002"} {
		g, err := r.Grade.GradeModule(r.ctx, n, r.token())
		if err != nil || g.Fitness != "reject" || r.station(n) != station.Out {
			t.Errorf("%s: %+v, %v", n, g, err)
		}
	}
	// A later good measurement counts.
	if v := iso("K-001", 0); v != "ok" {
		t.Errorf("after cleaning: %s", v)
	}
	if g, err := r.Grade.GradeModule(r.ctx, "K-001", r.token()); err != nil || g.Fitness != "accept" {
		t.Errorf("after cleaning: %+v, %v", g, err)
	}
	_, _, err := r.Measure.RecordIsolation(r.ctx, measure.IsolationInput{Number: "K-001",
		Readings: isolation.Readings{PackVolts: 26, PositiveVolts: 40}, Token: r.token()})
	var inv *kernel.Invalid
	if !errors.As(err, &inv) || !strings.Contains(err.Error(), "settle") {
		t.Errorf("an impossible reading: %v", err)
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	if err != nil || len(l.Events) < 8 || l.Grade == nil || len(l.Logs) != 1 || len(l.Surveys) != 1 {
		t.Errorf("%d events, %v", len(l.Events), err)
	}
	checked, isolated, err := r.Measure.LastChecks(r.ctx, l.Module.ID)
	if err != nil || checked == nil || isolated == nil || isolated.Verdict != "ok" {
		t.Errorf("%+v, %+v, %v", checked, isolated, err)
	}
}

// A leak is only judged between surveys with no test in between, since a test charges the groups.
func TestDriftIsNotJudgedAcrossATest(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	low := flat(3.71)
	low[4] = 3.66
	take := func(n string, v []float64) survey.Result {
		res, err := r.survey(n, v...)
		r.must(err)
		return res
	}
	take("K-001", flat(3.71))
	take("K-002", flat(3.71))
	r.at = r.at.Add(time.Hour)
	r.test("K-002", 0.85)
	r.at = r.at.Add(14 * 24 * time.Hour)
	if v := take("K-001", low).Verdict; v != survey.Leaking {
		t.Errorf("a group that fell in 14 days: %s", v)
	}
	if s := r.station("K-001"); s != station.Grade {
		t.Errorf("leaking, at %s", s)
	}
	if res := take("K-002", low); res.Verdict == survey.Leaking {
		t.Error("the change a test made was taken for a leak")
	}
	g, err := r.Grade.GradeModule(r.ctx, "K-001", r.token())
	if err != nil || g.Fitness != "reject" {
		t.Errorf("leaking: %+v, %v", g, err)
	}
}

func TestAnIncompleteMapIsNotAccepted(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	rs := chain()
	rs[4].Volts = 5.9 // a step that contradicts the rest
	id, m, err := r.Measure.RecordProbes(r.ctx, measure.ProbesInput{Number: "K-001", Readings: rs, Token: r.token()})
	r.must(err)
	if m.Complete {
		t.Fatalf("%+v", m.Findings)
	}
	var blocked *kernel.Blocked
	if _, err := r.Measure.AcceptLayout(r.ctx, id, false, r.token()); !errors.As(err, &blocked) {
		t.Errorf("an incomplete map became a layout: %v", err)
	}
	_, back, err := r.Measure.Probes(r.ctx, id)
	if err != nil || len(back) != len(rs) || back[4].Volts != 5.9 {
		t.Errorf("the readings were not kept as taken: %+v, %v", back, err)
	}
	next, done := measure.GuideMap(r.typ, nil, nil, nil)
	if done || next.Red != "A+" || next.Black != "A-" {
		t.Errorf("the guide begins with %+v", next)
	}
}

func TestPinMapUsesEachNodeOnce(t *testing.T) {
	typ := store.ModuleType{Pins: "X1 X2 X3 X4 X5 X9"}
	m := layout.Map{Series: 3, Nodes: []layout.Node{{Points: []string{"A-", "X1", "X2"}}, {Points: []string{"X3"},
		Volts: 3.7}, {Points: []string{"X4"}, Volts: 7.4}, {Points: []string{"A+", "X5"}, Volts: 11.1}}}
	pins := measure.PinMap(typ, m)
	want := map[string][2]int{"X1": {0, 0}, "X2": {0, -1}, "X3": {1, 1}, "X4": {2, 2}, "X5": {3, 3}, "X9": {-1, -1}}
	leads := map[int]int{}
	for _, p := range pins {
		if w := want[p.Name]; p.Node != w[0] || p.Use != w[1] {
			t.Errorf("%s: node %d, lead %d", p.Name, p.Node, p.Use)
		}
		if p.Use >= 0 {
			leads[p.Use]++
		}
	}
	// With a tap missing after the first group, the leads count groups, not pins.
	m.MissingTaps = []layout.MissingTap{{AfterGroup: 1, Groups: 2}}
	if p := measure.PinMap(typ, m); p[3].Node != 2 || p[3].Use != 3 || p[4].Use != 4 {
		t.Errorf("with a missing tap: %+v", p)
	}
	if len(pins) != 6 || len(leads) != 4 {
		t.Errorf("%d pins, %d leads", len(pins), len(leads))
	}
}
