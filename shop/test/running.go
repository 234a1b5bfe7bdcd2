package test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/test/kind"
	"pandrel/core/test/run"
	"pandrel/core/test/testplan"
	"pandrel/instrument"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// lost is after how long without an answer a running test is said to be out of sight.
const lostAfter = 10 * time.Second

// cycler tells the cycler, or asks it.
func (s *Room) cycler(f func(c *instrument.Cycler) error) error {
	if s.CyclerAddress == "" {
		return kernel.Bad("channel", "no cycler is connected: start with --cycler host:port")
	}
	return s.line.With(s.CyclerAddress, s.Now(), f)
}

// Disconnect lets the connection to the cycler go; the next look makes it anew.
func (s *Room) Disconnect() { s.line.Close() }

// Running is a test on the cycler with its newest reading.
type Running struct {
	Under
	Last  *store.TestReading
	Volts []float64
	Left  float64 // seconds of this step, about
	Whole float64 // and of the whole test
}

// TempC is what the device read last.
func (r Running) TempC() float64 {
	if r.Last == nil || r.Last.TempC == nil {
		return 0
	}
	return *r.Last.TempC
}

// Start begins a test on a channel of the cycler. The device is told before anything is written, so that what is
// written runs.
func (s *Room) Start(ctx context.Context, number string, channel int, token string) (id int64, err error) {
	b, err := s.mayBegin(ctx, number, 0, 0, "channel")
	if err != nil {
		return 0, err
	}
	m := b.Module
	steps, err := s.stepsOn(ctx, b.Planned, channel)
	if err != nil {
		return 0, err
	}
	err = s.Action(ctx, token, "run", func(tx *gorm.DB) error {
		if err := free(tx, m, channel, "channel"); err != nil {
			return err
		}
		if err := s.begin(m.Number, channel, steps[0], true); err != nil {
			return kernel.Bad("channel", "%v", err)
		}
		row := store.OfModule(kind.Cycler, m.ID)
		row.Channel, row.Steps, row.State, row.Findings = channel, store.JSONOf(steps), Runs,
			store.JSONOf([]finding.Finding{})
		row.By, row.At, row.Token = kernel.Who(ctx), s.Now(), token
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		id = row.ID
		return s.Log(tx, "test", kernel.About{Module: m.ID}, "Test begun on channel %d of the cycler", channel)
	})
	return id, err
}

// stepsOn are the steps of a test as a channel of the workshop's own bench can do them alone.
func (s *Room) stepsOn(ctx context.Context, x testplan.Module, channel int) ([]run.Step, error) {
	k, own, err := s.Bench.Kit(ctx)
	if err != nil {
		return nil, err
	}
	at := k.Cyclers()
	switch {
	case !own:
		return nil, kernel.Bad("channel", "what the channels of the cycler can do is not written down: write the "+
			"bench down first, at /bench")
	case channel < 1 || channel > len(at):
		return nil, kernel.Bad("channel", "the bench has %s that charge, discharge, end by themselves and "+
			"read every group: expected one of them, or write the others down at /bench", numeral.Count(len(at),
			"channel"))
	}
	p, err := testplan.On(x, k, at[channel-1])
	if err != nil {
		return nil, kernel.Bad("channel", "%v", err)
	}
	switch {
	case p.Refused:
		return nil, kernel.Stopped(finding.Standing(p.Findings))
	case p.Attended() > 0.01:
		return nil, kernel.Bad("channel", "somebody has to stay beside this test: it is done by hand")
	}
	steps, err := run.Of(x, p)
	if err != nil {
		return nil, kernel.Bad("channel", "%v", err)
	}
	return steps, nil
}

func (s *Room) begin(number string, channel int, st run.Step, plug bool) error {
	if plug && st.Attended() {
		return kernel.Bad("channel", "nothing on the cycler reads the groups of the %s step: it is done by hand",
			st.Kind)
	}
	return s.cycler(func(c *instrument.Cycler) error {
		if plug {
			if err := c.Plug(channel, number); err != nil {
				return err
			}
		}
		return c.Begin(channel, instrument.CyclerStep{Amps: st.Amps, GroupMax: st.GroupMax, GroupMin: st.GroupMin,
			TaperAmps: st.TaperAmps, Seconds: st.Seconds, Ah: st.Ah, TempMaxC: st.TempMaxC})
	})
}

// against is what the record holds against a test of a module at this moment: whatever would refuse its start. It is
// asked at each look, and worked out anew when something was written down since, or a minute has passed.
func (s *Room) against(db *gorm.DB, m store.Module, t store.ModuleType) ([]finding.Finding, error) {
	var newest int64
	if err := db.Raw("SELECT coalesce(max(id), 0) FROM events").Scan(&newest).Error; err != nil {
		return nil, err
	}
	s.watch.Lock()
	was, ok := s.holds[m.ID]
	s.watch.Unlock()
	if now := s.Now(); ok && was.event == newest && now.Sub(was.at) < time.Minute && !now.Before(was.at) {
		return was.found, nil
	}
	found, err := s.mayTest(db, m, t)
	if err != nil {
		return nil, err
	}
	s.watch.Lock()
	defer s.watch.Unlock()
	if s.holds == nil {
		s.holds = map[int64]held{}
	}
	s.holds[m.ID] = held{newest, s.Now(), found}
	return found, nil
}

// held is what was found against a module, and by when.
type held struct {
	event int64
	at    time.Time
	found []finding.Finding
}

// look holds a device's clock and counter against ours.
func (s *Room) look(r store.Test, x run.Reading, asked run.Asked) []finding.Finding {
	s.watch.Lock()
	defer s.watch.Unlock()
	if s.marks == nil {
		s.marks = map[markOf]run.Mark{}
	}
	at := markOf{r.ID, r.AtStep}
	m, fs := s.marks[at].Look(x, asked)
	if !x.Running {
		delete(s.marks, at)
	} else {
		s.marks[at] = m
	}
	return fs
}

// forget lets go of what was kept of tests that run no more.
func (s *Room) forget(rows []store.Test) {
	s.watch.Lock()
	defer s.watch.Unlock()
	maps.DeleteFunc(s.marks, func(k markOf, _ run.Mark) bool {
		return !slices.ContainsFunc(rows, func(r store.Test) bool { return r.ID == k.run && r.AtStep == k.step })
	})
	maps.DeleteFunc(s.holds, func(id int64, _ held) bool {
		return !slices.ContainsFunc(rows, func(r store.Test) bool { return r.ModuleID == id })
	})
}

type markOf struct {
	run  int64
	step int
}

// Control pauses a running test, lets it go on, or stops it for good. What would refuse its start refuses that it goes
// on.
func (s *Room) Control(ctx context.Context, id int64, what, token string) error {
	defer s.News.Tell()
	return s.Action(ctx, token, "run-"+what, func(tx *gorm.DB) error {
		r, err := s.under(tx, id, kind.Cycler)
		if err != nil {
			return err
		}
		if !r.Active() {
			return kernel.Bad("", "this test is over: it is %s", r.State)
		}
		state := map[string]string{"pause": Paused, "go": Runs, "stop": Stopped}[what]
		if state == "" {
			return kernel.Bad("", "expected pause, go or stop")
		}
		if what == "go" {
			if fs, err := s.mayTest(tx, r.Module, r.Type); err != nil {
				return err
			} else if len(fs) > 0 {
				return kernel.Stopped(fs)
			}
		}
		err = s.cycler(func(c *instrument.Cycler) error {
			if what != "go" {
				return c.Hold(r.Channel)
			}
			if got, err := c.Read(r.Channel); err != nil || got.State == instrument.Done {
				return err // its step is over: the next look lets the next one follow
			}
			return c.Go(r.Channel)
		})
		if err != nil {
			return kernel.Bad("", "%v. Switch it off at the device.", err)
		}
		set := map[string]any{"state": state}
		if what == "stop" {
			set["ended_at"] = s.Now()
		}
		if err := move(tx, id, set); err != nil {
			return err
		}
		return s.Log(tx, "test", kernel.About{Module: r.ModuleID}, "Test on channel %d: %s",
			r.Channel, map[string]string{"pause": "paused", "go": "goes on", "stop": "stopped by hand"}[what])
	})
}

// Tick asks the device for every running test once, keeps what it reads, and lets the next step follow.
func (s *Room) Tick(ctx context.Context) error {
	rows, err := underNow(s.Store.DB.WithContext(ctx))
	if err != nil {
		return err
	}
	rows = slices.DeleteFunc(rows, func(r store.Test) bool { return r.Source != kind.Cycler })
	if len(rows) == 0 {
		return nil
	}
	defer s.News.Tell()
	var keep []func(tx *gorm.DB) error // readings that change nothing are written down together
	s.forget(rows)
	for _, r := range rows {
		if err := s.tick(ctx, r, &keep); err != nil {
			return errors.Join(err, s.keepAll(ctx, keep))
		}
	}
	return s.keepAll(ctx, keep)
}

func (s *Room) keepAll(ctx context.Context, keep []func(tx *gorm.DB) error) error {
	if len(keep) == 0 {
		return nil
	}
	return s.Store.Write(ctx, func(tx *gorm.DB) error {
		for _, k := range keep {
			if err := k(tx); err != nil {
				return err
			}
		}
		return nil
	})
}

// tick is one running test. What it reads is put into keep where the test goes on as it was, and written at once where
// something follows from it.
//
// In one piece: one look at one channel, from the device to what is written.
func (s *Room) tick(ctx context.Context, r store.Test, keep *[]func(tx *gorm.DB) error) error {
	db := s.Store.DB.WithContext(ctx)
	u, err := s.underWay(db, r)
	if err != nil {
		return err
	}
	steps, m, t := u.Steps, u.Module, u.Type
	var against run.Against
	if against.Record, err = s.against(db, m, t); err != nil {
		return err
	}
	var got instrument.CyclerReading
	rate := 1.0
	var from, to time.Duration
	err = s.cycler(func(c *instrument.Cycler) error {
		from = s.Now().Sub(r.At)
		got, err = c.Read(r.Channel)
		to = s.Now().Sub(r.At)
		rate = c.Rate()
		return err
	})
	if err != nil {
		return s.unheard(ctx, r, err, against.Record)
	}
	x := run.Reading{Running: got.State == instrument.Run, Paused: got.State == instrument.Pause, Ended: got.Ended,
		Volts: got.Volts, Amps: got.Amps, TempC: got.TempC, Groups: got.Groups, Ah: got.Ah, Seconds: got.Seconds}
	var rests bool
	if got.State != instrument.Idle {
		if x, err = s.asOurs(ctx, r, x); err == nil && x.Paused {
			r.BaseSeconds, rests, err = s.resting(ctx, r, x, rate)
		}
		if err != nil {
			return err
		}
	}
	idle := !x.Running && !x.Paused && x.Ended == ""
	against.Device = s.look(r, x, run.Asked{From: from.Seconds() * rate, To: to.Seconds() * rate})
	v, fs := run.JudgeReading(steps[r.AtStep], t.Chemistry, x, against)
	if r.State == Paused && v == run.Next { // a person lets it go on
		v = run.GoesOn
	}
	held := ""
	if (v == run.Stopped || v == run.Waits && x.Running) && !idle { // nothing flows from here on
		err := s.cycler(func(c *instrument.Cycler) error { return c.Hold(r.Channel) })
		if err != nil { // it is told again at the next look
			held = fmt.Sprintf("The cycler could not be told to stop: switch it off at the device. %v", err)
		}
	}
	last := r.AtStep == len(steps)-1
	follows := v == run.Next && !last
	if follows {
		if err := s.begin(m.Number, r.Channel, steps[r.AtStep+1], false); err != nil {
			return s.unheard(ctx, r, err, nil)
		}
	}
	write := func(tx *gorm.DB) error { return s.keepReading(tx, r, steps, look{x, v, fs, held, rests}) }
	if v == run.GoesOn {
		*keep = append(*keep, write)
		return nil
	}
	err = s.Store.Write(ctx, write)
	switch {
	case err != nil || held != "" || v == run.Waits:
		return err
	case follows: // how the step begins is read at once: its current stands from its first second
		r, err := kernel.ByID[store.Test](s.Store.DB.WithContext(ctx), r.ID, "test")
		if err != nil {
			return err
		}
		return s.tick(ctx, r, keep)
	}
	return s.finish(ctx, r, m)
}

// asOurs gives a reading back where it can be of the running step; one whose time went back is of something else, that
// was begun at the device: of the step nothing is known.
func (s *Room) asOurs(ctx context.Context, r store.Test, x run.Reading) (run.Reading, error) {
	last, ok, err := kernel.Find[store.TestReading](s.Store.DB.WithContext(ctx).Where("test_id = ? AND at_step "+
		"= ?", r.ID,
		r.AtStep).Order("id DESC"))
	if err != nil || !ok || r.BaseSeconds+x.Seconds > last.Seconds-1 {
		return x, err
	}
	return run.Reading{}, nil
}

// restEvery is how far apart the readings of a pause are kept, in seconds of the device.
const restEvery = 10.0

// resting is where a paused step stands in the time of its test, and whether a reading of the pause is due. The
// device's own clock stands still meanwhile; the module rests, and the log says so.
func (s *Room) resting(ctx context.Context, r store.Test, x run.Reading, rate float64) (base float64, due bool,
	err error) {
	last, ok, err := kernel.Find[store.TestReading](s.Store.DB.WithContext(ctx).Where("test_id = ?", r.ID).Order(
		"id DESC"))
	if err != nil || !ok {
		return r.BaseSeconds, false, err
	}
	since := s.Now().Sub(last.At).Seconds() * rate
	if since <= 0 || since < restEvery && last.Amps == 0 {
		return r.BaseSeconds, false, nil
	}
	return max(r.BaseSeconds, last.Seconds+since-x.Seconds), true, nil
}

// look is a reading with what follows from it. Rests is whether it is one of a pause that is due to be kept.
type look struct {
	x     run.Reading
	v     run.Verdict
	found []finding.Finding
	held  string
	rests bool
}

// keepReading writes a reading down and moves the test on.
func (s *Room) keepReading(tx *gorm.DB, r store.Test, steps []run.Step, l look) error {
	x, v := l.x, l.v
	row := store.TestReading{TestID: r.ID, AtStep: r.AtStep, Seconds: r.BaseSeconds + x.Seconds, Volts: x.Volts,
		Amps: x.Amps, TempC: &x.TempC, Ah: x.Ah, Cells: store.JSONOf(x.Groups), At: s.Now()}
	waits := v == run.Waits || r.State == Paused && v == run.GoesOn
	if x.Running || x.Ended != "" && !waits || x.Paused && (l.rests || v == run.Stopped) {
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	set, err := changes(r, l)
	if err != nil {
		return err
	}
	if r.Trouble != "" {
		if err := s.Note(tx, "test", kernel.About{Module: r.ModuleID}, "The cycler answers again: what was not "+
			"read in between is a gap in the log"); err != nil {
			return err
		}
	}
	if err := s.follows(tx, r, l, r.AtStep == len(steps)-1, set); err != nil || len(set) == 0 {
		return err
	}
	return move(tx, r.ID, set)
}

// follows sets what follows from the verdict on a look.
func (s *Room) follows(tx *gorm.DB, r store.Test, l look, last bool, set map[string]any) error {
	switch {
	case l.v == run.Waits && l.held == "" && r.State != Paused:
		set["state"] = Paused
		return s.Note(tx, "test", kernel.About{Module: r.ModuleID}, "Test on channel %d waits: %s", r.Channel,
			worst(l.found))
	case l.v == run.Waits:
	case l.v == run.Stopped && l.held == "":
		set["state"], set["ended_at"] = Stopped, s.Now()
	case l.v == run.Next && last:
		set["state"], set["ended_at"] = Done, s.Now()
	case l.v == run.Next:
		// What passed between two steps is not known to the device: a second stands for it.
		set["at_step"], set["base_seconds"] = r.AtStep+1, r.BaseSeconds+l.x.Seconds+1
	}
	return nil
}

// changes is what a look changes of a test that goes on as it was: most often nothing, so that whatever was worked out
// of the records stands.
func changes(r store.Test, l look) (map[string]any, error) {
	set := map[string]any{}
	if l.held != r.Trouble {
		set["trouble"] = l.held
	}
	if l.rests {
		set["base_seconds"] = r.BaseSeconds
	}
	was, err := r.Findings.Get()
	if err != nil {
		return nil, err
	}
	if !reflect.DeepEqual(was, l.found) && len(was)+len(l.found) > 0 {
		set["findings"] = store.JSONOf(l.found)
	}
	return set, nil
}

// worst is what the worst of findings says.
func worst(fs []finding.Finding) string {
	if fs = finding.Sorted(fs); len(fs) == 0 {
		return ""
	}
	return fs[0].Text
}

// unheard says that a running test is out of sight; the device goes on by its own limits. What the record holds against
// the test is said at once: somebody must switch the device off.
func (s *Room) unheard(ctx context.Context, r store.Test, cause error, record []finding.Finding) error {
	since := s.line.Lost()
	if len(record) > 0 {
		text := fmt.Sprintf("The cycler could not be told to stop: switch it off at the device. %v", cause)
		known, err := r.Findings.Get()
		if err != nil || r.Trouble == text && worst(known) == worst(record) {
			return err
		}
		return s.Store.Write(ctx, func(tx *gorm.DB) error {
			if err := s.Note(tx, "test", kernel.About{Module: r.ModuleID}, "Channel %d: %s %s", r.Channel,
				worst(record), text); err != nil {
				return err
			}
			return move(tx, r.ID, map[string]any{"trouble": text, "findings": store.JSONOf(record)})
		})
	}
	if r.Trouble != "" || s.Now().Sub(since) < lostAfter {
		return nil
	}
	return s.Store.Write(ctx, func(tx *gorm.DB) error {
		text := fmt.Sprintf("%v. It goes on by its own limits; nothing is read since %s.", cause,
			s.Here(since).Format("15:04:05"))
		if err := s.Note(tx, "test", kernel.About{Module: r.ModuleID}, "Channel %d: %s", r.Channel, text); err != nil {
			return err
		}
		return move(tx, r.ID, map[string]any{"trouble": text})
	})
}

// finish reads the log of a test that is over, as any other log.
func (s *Room) finish(ctx context.Context, r store.Test, m store.Module) error {
	data, n, err := s.LogOf(ctx, r.ID)
	if err != nil || n < 10 {
		return err
	}
	_, _, err = s.RecordLog(kernel.By(ctx, r.By), LogInput{Number: m.Number, Of: r.ID, KeepHeld: true, Data: data,
		FileName: fmt.Sprintf("test-%d.csv", r.ID), Token: fmt.Sprintf("%s-log", r.Token)})
	if kernel.Told(err) { // what was read stays, and can be taken from its page
		return s.Store.Write(ctx, func(tx *gorm.DB) error {
			return s.Note(tx, "test", kernel.About{Module: m.ID}, "The log of the test was not taken over: %v", err)
		})
	}
	return err
}

// LogOf is a test as a log, and how many readings it has.
func (s *Room) LogOf(ctx context.Context, id int64) (data []byte, n int, err error) {
	out, err := s.samples(ctx, id)
	return run.CSV(out), len(out), err
}

// GapsOf are the times in which nothing was read of a test.
func (s *Room) GapsOf(ctx context.Context, id int64) ([]run.Gap, error) {
	var at []float64
	err := s.Store.DB.WithContext(ctx).Model(&store.TestReading{}).Where("test_id = ?", id).Order("id").Pluck("seconds",
		&at).Error
	return run.Gaps(at), err
}

// samples are the readings of a test in the order of its own time.
func (s *Room) samples(ctx context.Context, id int64) (out []run.Sample, err error) {
	db := s.Store.DB.WithContext(ctx)
	u, err := s.under(db, id, kind.Cycler)
	if err != nil {
		return nil, err
	}
	rows, err := readings(db, id, -1)
	if err != nil {
		return nil, err
	}
	last := -1.0
	for _, x := range rows {
		if x.Seconds <= last { // two looks within one second of the device
			continue
		}
		last = x.Seconds
		volts, err := x.Cells.Get()
		if err != nil {
			return nil, err
		}
		one := run.Sample{Seconds: x.Seconds, Step: u.Steps[x.AtStep].Kind, Volts: x.Volts, Amps: x.Amps, Ah: x.Ah,
			Groups: volts}
		if x.TempC != nil {
			one.TempC = *x.TempC
		}
		out = append(out, one)
	}
	return out, nil
}

// Runs lists the tests on the cycler: those that run, and the newest that are over.
func (s *Room) Runs(ctx context.Context) ([]Running, error) {
	return s.runs(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Order("CASE WHEN state IN ('running','paused') THEN 0 ELSE 1 END, id DESC").Limit(24)
	})
}

// RunsNow lists the tests that run on the cycler, by their channels.
func (s *Room) RunsNow(ctx context.Context) ([]Running, error) {
	return s.runs(ctx, func(db *gorm.DB) *gorm.DB { return db.Where("state IN ?", active).Order("channel, id") })
}

// runs are those on the cycler that pick picks; struck too, since what a device does is shown whatever it counts for.
func (s *Room) runs(ctx context.Context, pick func(db *gorm.DB) *gorm.DB) (out []Running, err error) {
	var ids []int64
	db := s.Store.DB.WithContext(ctx)
	if err := pick(db.Model(&store.Test{}).Where("source = ?", kind.Cycler)).Pluck("id", &ids).Error; err != nil {
		return nil, err
	}
	for _, id := range ids {
		x, err := s.RunByID(ctx, id)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

// RunByID is a test on the cycler with its newest reading.
func (s *Room) RunByID(ctx context.Context, id int64) (out Running, err error) {
	db := s.Store.DB.WithContext(ctx)
	if out.Under, err = s.under(db, id, kind.Cycler); err != nil {
		return out, err
	}
	if out.Active() { // what was written down since the last look counts at once
		against, err := s.against(db, out.Module, out.Type)
		if err != nil {
			return out, err
		}
		for _, f := range against {
			if !slices.ContainsFunc(out.Found, func(x finding.Finding) bool { return x.Code == f.Code }) {
				out.Found = append(out.Found, f)
			}
		}
		out.Found = finding.Sorted(out.Found)
	}
	out.Left = out.Step.Expected // until something is read
	last, ok, err := kernel.Find[store.TestReading](db.Where("test_id = ?", id).Order("id DESC"))
	if err != nil {
		return out, err
	}
	if ok {
		out.Last = &last
		if out.Volts, err = last.Cells.Get(); err != nil {
			return out, err
		}
		out.Left = run.Left(out.Step, run.Reading{Amps: last.Amps, Ah: last.Ah,
			Seconds: last.Seconds - out.BaseSeconds})
	}
	out.Whole = run.After(out.Steps, out.AtStep) + out.Left
	return out, nil
}

// Samples are the readings of a test for its picture: at most so many, evenly taken.
func (s *Room) Samples(ctx context.Context, id int64, most int) ([]store.TestReading, error) {
	db := s.Store.DB.WithContext(ctx)
	var n int64
	if err := db.Model(&store.TestReading{}).Where("test_id = ?", id).Count(&n).Error; err != nil {
		return nil, err
	}
	every := max(1, int(n)/most)
	var rows []store.TestReading
	// Counted on the index alone: only the rows that are drawn are
	//
	// read.
	err := db.Raw("SELECT * FROM test_readings WHERE id IN (SELECT id FROM (SELECT id, row_number() OVER "+
		"(ORDER BY id) "+
		"AS k FROM test_readings WHERE test_id = ?) WHERE k % ? = 0) ORDER BY id", id, every).Scan(&rows).Error
	return rows, err
}
