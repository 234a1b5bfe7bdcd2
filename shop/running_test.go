package shop_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/bench/kit"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/shop/test"
	"pandrel/store"
)

// cycling is a workshop with a simulated cycler that goes by its clock, and a surveyed module.
func cycling(t testing.TB) (*rig, *instrument.SimulatedCycler, *virtual.Module) {
	t.Helper()
	r := newRig(t)
	m := virtual.New(rand.New(rand.NewPCG(1, 2)), "K-001", virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46,
		SoH: 0.87, CapacitySpread: 0.006, SoC: 0.5, SoCSpread: 0.002, ResistanceOhms: 0.0019})
	c, err := instrument.StartCycler("127.0.0.1:0", 1, 2, 1, func(string) (virtual.Module, bool) { return m, true })
	r.must(err)
	t.Cleanup(func() { _ = c.Stop() })
	c.SetClock(func() time.Time { return r.at })
	r.CyclerAddress = c.Address
	r.bench(2)
	r.receive("K-001", 2)
	r.look("K-001")
	r.mapType("K-001")
	_, err = r.survey("K-001", m.RestVolts()...)
	r.must(err)
	return r, c, &m
}

// bench writes a bench down whose cycler has so many channels.
func (r *rig) bench(channels int) {
	r.t.Helper()
	k := kit.Small()
	k.Devices[0].Channels = channels
	r.must(r.Bench.SaveKit(r.ctx, k, r.token()))
}

// pass lets time go by, with a look at the bench each half minute.
func (r *rig) pass(d time.Duration) {
	r.t.Helper()
	for end := r.at.Add(d); r.at.Before(end); {
		r.at = r.at.Add(30 * time.Second)
		r.must(r.Tests.Tick(r.ctx))
	}
}

func (r *rig) run(id int64) test.Running {
	r.t.Helper()
	x, err := r.Tests.RunByID(r.ctx, id)
	r.must(err)
	return x
}

// A whole test: charged, rested, discharged to the first group at its floor, rested, back to storage. Its log is a log
// like any other, and its capacity is that of the weakest group.
func TestATestRunsToItsEnd(t *testing.T) {
	r, _, truth := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	var inv *kernel.Invalid
	if _, err := r.Tests.Start(r.ctx, "K-001", 2, r.token()); !errors.As(err, &inv) {
		t.Errorf("one module on two channels: %v", err)
	}
	plan, err := r.Tests.Schedule(r.ctx)
	if r.must(err); len(plan.Left) != 1 || plan.Left[0].Why != "its test runs" {
		t.Errorf("what runs is planned anew: %+v", plan.Left)
	}
	r.pass(14 * time.Hour)
	x := r.run(id)
	if x.State != test.Done || len(x.Found) > 0 {
		t.Fatalf("%s at step %d: %+v", x.State, x.AtStep+1, x.Found)
	}
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	weakest := math.Inf(1)
	for _, g := range truth.Groups {
		weakest = min(weakest, g.CapacityAh)
	}
	res, err := r.counts(m.ID)
	r.must(err)
	steps, err := x.Test.Steps.Get()
	r.must(err)
	var out store.TestReading
	r.must(r.Store.DB.Where("test_id = ? AND at_step = 2", id).Order("id DESC").First(&out).Error)
	// What the module gives is what its weakest groups hold, full and empty being volts under a small current: within 1
	// %. The log counts what the device counted, though it holds only a reading each half minute.
	if m.Station != station.Grade || !res.Complete || math.Abs(res.CapacityAh/weakest-1) > 0.01 ||
		steps[2].Kind != "discharge" || math.Abs(res.CapacityAh-numeral.AmpHours(-out.Ah)) > 0.1+1e-9 {
		t.Errorf("at %s with %.2f Ah (the device: %.2f Ah) of %.2f Ah, complete %v", m.Station, res.CapacityAh, out.Ah,
			weakest, res.Complete)
	}
}

// Pandrel is killed in the middle and started again: the device went on, the step is picked up, and the log has a gap.
func TestPandrelIsStartedAgain(t *testing.T) {
	r, _, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.pass(30 * time.Minute)
	before := r.run(id)
	r.at = r.at.Add(45 * time.Minute) // nobody looks
	address := r.CyclerAddress
	r.Shop = shop.New(r.Store, func() time.Time { return r.at })
	r.CyclerAddress = address
	r.must(r.Tests.Tick(r.ctx))
	after := r.run(id)
	if after.State != test.Runs || after.Last.Seconds-before.Last.Seconds < 44*60 {
		t.Fatalf("%s, %v s after %v s", after.State, after.Last.Seconds, before.Last.Seconds)
	}
	data, n, err := r.Tests.LogOf(r.ctx, id)
	r.must(err)
	if got := strings.Count(string(data), "\n") - 1; got != n || n != 61 {
		t.Errorf("%d lines of %d readings", got, n)
	}
	gaps, err := r.Tests.GapsOf(r.ctx, id)
	if r.must(err); len(gaps) != 1 || gaps[0].FromS != before.Last.Seconds || gaps[0].ToS != after.Last.Seconds {
		t.Errorf("its gap: %+v", gaps)
	}
	r.pass(14 * time.Hour)
	if x := r.run(id); x.State != test.Done {
		t.Errorf("%s: %+v", x.State, x.Found)
	}
}

// A pause is in the log as what it was, a rest; what flowed while nobody read is what the device counted meanwhile. The
// capacity is that of a test that was read all the time, and counts.
func TestAPauseAndAGapOfADischarge(t *testing.T) {
	r, _, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	for r.run(id).Step.Kind != "discharge" || math.Abs(r.run(id).Last.Ah) < 2 {
		r.pass(time.Minute)
	}
	r.must(r.Tests.Control(r.ctx, id, "pause", r.token()))
	before := r.run(id).Last
	r.pass(20 * time.Minute)
	rested := r.run(id)
	if d := rested.Last.Seconds - before.Seconds; math.Abs(d-20*60) > 60 || rested.Last.Ah != before.Ah ||
		rested.Last.Amps != 0 {
		t.Errorf("20 minutes of rest are %.0f s, %+v", d, rested.Last)
	}
	r.must(r.Tests.Control(r.ctx, id, "go", r.token()))
	r.pass(5 * time.Minute)
	r.at = r.at.Add(40 * time.Minute) // nobody looks
	r.pass(14 * time.Hour)
	x := r.run(id)
	if x.State != test.Done || len(x.Found) > 0 {
		t.Fatalf("%s at step %d: %+v", x.State, x.AtStep+1, x.Found)
	}
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	res, err := r.counts(m.ID)
	r.must(err)
	var out store.TestReading
	r.must(r.Store.DB.Where("test_id = ? AND at_step = 2", id).Order("id DESC").First(&out).Error)
	if !res.Complete || math.Abs(res.CapacityAh+out.Ah) > 0.2 {
		t.Errorf("%.2f Ah, complete %v; the device counted %.2f Ah", res.CapacityAh, res.Complete, -out.Ah)
	}
	if gaps, err := r.Tests.GapsOf(r.ctx, id); err != nil || len(gaps) != 1 {
		t.Errorf("a pause is no gap: %+v, %v", gaps, err)
	}
}

// A cycler that is gone is said to be so, and found again; a person pauses, goes on and stops.
func TestACyclerThatIsGone(t *testing.T) {
	r, c, _ := cycling(t)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.pass(10 * time.Minute)
	r.must(r.Tests.Control(r.ctx, id, "pause", r.token()))
	r.pass(5 * time.Minute)
	ah := r.run(id).Last.Ah
	r.must(r.Tests.Control(r.ctx, id, "go", r.token()))
	r.pass(time.Minute)
	if x := r.run(id); x.State != test.Runs || x.Last.Ah <= ah || x.Last.Ah > ah+0.6 {
		t.Errorf("%s, %v Ah after %v Ah", x.State, x.Last.Ah, ah)
	}
	good := r.CyclerAddress
	r.CyclerAddress = "127.0.0.1:1"
	r.Tests.Disconnect()
	r.pass(2 * time.Minute)
	if x := r.run(id); x.Trouble == "" || x.State != test.Runs {
		t.Errorf("out of sight for two minutes: %q, %s", x.Trouble, x.State)
	}
	r.CyclerAddress = good
	r.pass(time.Minute)
	if x := r.run(id); x.Trouble != "" {
		t.Errorf("it answers again: %q", x.Trouble)
	}
	r.must(r.Tests.Control(r.ctx, id, "stop", r.token()))
	if err := r.Tests.Control(r.ctx, id, "go", r.token()); err == nil {
		t.Error("a stopped test goes on")
	}
	var n int64
	r.must(r.Store.DB.Model(&store.TestReading{}).Where("test_id = ?", id).Count(&n).Error)
	if n < 20 {
		t.Errorf("%d readings kept", n)
	}
	_ = c
}

// A device that was switched off, or told something else, knows nothing of the step: the test is over, and no reading
// is made of it.
func TestADeviceThatForgot(t *testing.T) {
	for name, forget := range map[string]func(r *rig, c *instrument.SimulatedCycler){
		"switched off": func(r *rig, c *instrument.SimulatedCycler) {
			r.must(c.Stop())
			r.Tests.Disconnect()
			c, err := instrument.StartCycler("127.0.0.1:0", 1, 2, 1, func(string) (virtual.Module, bool) {
				return virtual.Module{}, false
			})
			r.must(err)
			r.t.Cleanup(func() { _ = c.Stop() })
			r.CyclerAddress = c.Address
		},
		"told something else": func(r *rig, c *instrument.SimulatedCycler) {
			d, err := instrument.DialCycler(c.Address)
			r.must(err)
			defer d.Close()
			r.must(d.Begin(1, instrument.CyclerStep{Amps: 1, GroupMax: 4, Seconds: 60}))
		},
	} {
		r, c, _ := cycling(t)
		id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
		r.must(err)
		r.pass(20 * time.Minute)
		before, n, err := r.Tests.LogOf(r.ctx, id)
		r.must(err)
		forget(r, c)
		r.pass(2 * time.Minute)
		x := r.run(id)
		if x.State != test.Stopped || len(x.Found) != 1 || x.Found[0].Code != "forgotten" || x.Trouble != "" {
			t.Errorf("%s: %s %q %+v", name, x.State, x.Trouble, x.Found)
		}
		after, k, err := r.Tests.LogOf(r.ctx, id)
		if r.must(err); k != n || string(after) != string(before) {
			t.Errorf("%s: %d readings after %d", name, k, n)
		}
	}
}

// Nothing begins that the plan refuses, or without a cycler.
func TestWhatDoesNotBegin(t *testing.T) {
	r, _, _ := cycling(t)
	r.look("K-001", "swollen")
	if _, err := r.Tests.Start(r.ctx, "K-001", 1, r.token()); err == nil {
		t.Error("a swollen module was begun")
	}
	if _, err := r.Tests.Start(r.ctx, "K-002", 1, r.token()); err == nil {
		t.Error("a module that nobody looked at was begun")
	}
	r, _, _ = cycling(t)
	r.CyclerAddress = ""
	if _, err := r.Tests.Start(r.ctx, "K-001", 1, r.token()); err == nil {
		t.Error("begun on no device")
	}
	// Nobody has written down what its channels can do, or it has no such channel.
	r, _, _ = cycling(t)
	if _, err := r.Tests.Start(r.ctx, "K-001", 3, r.token()); !invalid(err, "channel") {
		t.Errorf("begun on a third channel of two: %v", err)
	}
	r.must(r.Store.DB.Exec("DELETE FROM bench_kits").Error)
	if _, err := r.Tests.Start(r.ctx, "K-001", 1, r.token()); !invalid(err, "channel") {
		t.Errorf("begun on a device of which nothing is known: %v", err)
	}
	var n int64
	r.must(r.Store.DB.Model(&store.Test{}).Count(&n).Error)
	if n != 0 {
		t.Errorf("%d tests are on record that never began", n)
	}
}

// What the page of a test asks for, a day into it: a reading each two seconds.
func BenchmarkRunOnScreen(b *testing.B) {
	r, _, _ := cycling(b)
	id, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	r.must(r.Store.DB.Exec("WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 43200) INSERT "+
		"INTO test_readings (test_id, at_step, seconds, volts, amps, temp_c, ah, cells, at) SELECT ?, 0, 2 * "+
		"i, 26, 13, "+
		"21, 0.007 * i, '[3.7,3.7,3.7,3.7,3.7,3.7,3.7]', ? FROM n", id, r.at).Error)
	for b.Loop() {
		_, err := r.Tests.RunByID(r.ctx, id)
		r.must(err)
		_, err = r.Tests.GapsOf(r.ctx, id)
		r.must(err)
		_, err = r.Tests.Samples(r.ctx, id, 400)
		r.must(err)
	}
}

// What is read wakes those who watch, each time.
func TestWatchersAreToldOfEachReading(t *testing.T) {
	r, _, _ := cycling(t)
	_, err := r.Tests.Start(r.ctx, "K-001", 1, r.token())
	r.must(err)
	for range 3 {
		news := r.Tests.News.Next()
		select {
		case <-news:
			t.Fatal("told before anything is read")
		default:
		}
		r.pass(30 * time.Second)
		select {
		case <-news:
		default:
			t.Fatal("not told")
		}
	}
	list, err := r.Tests.RunsNow(r.ctx)
	r.must(err)
	if len(list) != 1 || list[0].Last == nil || list[0].Whole <= list[0].Left {
		t.Errorf("%+v", list)
	}
}

// An hour of 64 channels at a reading a second: none is lost. Each look is one transaction.
func BenchmarkTick64Channels(b *testing.B) {
	r := newRig(b)
	c, err := instrument.StartCycler("127.0.0.1:0", 1, 64, 1, func(n string) (virtual.Module, bool) {
		return virtual.New(rand.New(rand.NewPCG(1, uint64(len(n)))), n, virtual.Spec{Chemistry: chem.NMC, Series: 7,
			RatedAh: 46, SoH: 0.87, SoC: 0.5, ResistanceOhms: 0.0019}), true
	})
	r.must(err)
	b.Cleanup(func() { _ = c.Stop() })
	c.SetClock(func() time.Time { return r.at })
	r.CyclerAddress = c.Address
	r.bench(64)
	r.receive("K-001", 64)
	for i := range 64 {
		n := fmt.Sprintf("K-%03d", i+1)
		r.look(n)
		if i == 0 {
			r.mapType(n)
		}
		_, err = r.survey(n, flat(3.71)...)
		r.must(err)
		_, err = r.Tests.Start(r.ctx, n, i+1, r.token())
		r.must(err)
	}
	ticks := 0
	for b.Loop() {
		r.at = r.at.Add(time.Second)
		r.must(r.Tests.Tick(r.ctx))
		ticks++
	}
	began := time.Now()
	for range 20 {
		list, err := r.Tests.RunsNow(r.ctx)
		r.must(err)
		if len(list) != 64 {
			b.Fatalf("%d run", len(list))
		}
	}
	b.ReportMetric(float64(time.Since(began).Milliseconds())/20, "ms/news") // how far behind a page is
	var n int64
	r.must(r.Store.DB.Model(&store.TestReading{}).Count(&n).Error)
	if n != int64(64*ticks) {
		b.Fatalf("%d readings of %d", n, 64*ticks)
	}
}
