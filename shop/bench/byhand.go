package bench

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/bench/byhand"
	"pandrel/core/bench/run"
	"pandrel/core/bench/testplan"
	"pandrel/core/module/passage"
	"pandrel/shop/kernel"
	"pandrel/shop/results"
	"pandrel/store"
)

// ByHand is a test that a person makes, as it stands.
type ByHand struct {
	store.HandTest
	Number   string
	Step     run.Step
	Steps    []run.Step
	Now      byhand.Status
	Readings []store.HandReading // of this step, oldest first
	Cells    [][]float64         // of each reading
	Look     time.Time           // when to look next
	Stop     time.Time           // when it is off, whatever it shows
}

// Part names the part of the module, "" for all of it.
func (h ByHand) Part() string {
	return store.Trace{FromGroup: h.FromGroup, ToGroup: h.ToGroup}.PartName()
}

// ByHandInput is a test that a person makes with what stands on the bench: of the groups From to To of a module, both 0
// for all of it. Full is that it was charged to full before.
type ByHandInput struct {
	Number   string
	From, To int
	Full     bool
	Token    string
}

// StartByHand begins a test by hand.
//
// In one piece: what must be known before a test begins, in the order in which it is asked.
func (s *Room) StartByHand(ctx context.Context, in ByHandInput) (id int64, err error) {
	from, to, full, token := in.From, in.To, in.Full, in.Token
	m, t, err := s.ModuleWithType(ctx, in.Number)
	if err != nil {
		return 0, err
	}
	db := s.Store.DB.WithContext(ctx)
	if err := s.Record.May(db, m, t, passage.Test); err != nil {
		return 0, err
	}
	if err := s.Record.PeopleStand(db, m, t); err != nil {
		return 0, err
	}
	x, why, err := s.planned(db, m, t)
	switch {
	case err != nil:
		return 0, err
	case why != "":
		return 0, kernel.Bad("", "%s: %s", m.Number, why)
	}
	if from != 0 && to == 0 {
		to = from
	}
	if why, err := s.part(ctx, &x, m, t, from, to); err != nil {
		return 0, err
	} else if why != "" {
		return 0, kernel.Bad("from_group", "%s", why)
	}
	k, _, err := s.Kit(ctx)
	if err != nil {
		return 0, err
	}
	p, err := testplan.For(x, k, "")
	if err != nil {
		return 0, kernel.Bad("", "%v", err)
	}
	if p, err = openTo(p, full); err != nil {
		return 0, err
	}
	steps, err := run.Of(x, p)
	if err != nil {
		return 0, kernel.Bad("", "%v", err)
	}
	err = s.Action(ctx, token, "by-hand", func(tx *gorm.DB) error {
		open, taken, err := kernel.Find[store.HandTest](tx.Where("module_id = ? AND state = ?", m.ID, RunRuns))
		if err != nil {
			return err
		}
		if taken {
			return kernel.Bad("", "a test of %s by hand runs already: see /hand/%d", m.Number, open.ID)
		}
		if id, _, err := s.OnBench(ctx, m.ID); err != nil {
			return err
		} else if id > 0 {
			return kernel.Bad("", "a test of %s runs on the cycler", m.Number)
		}
		row := store.HandTest{ModuleID: m.ID, Steps: store.JSONOf(steps), StepAt: s.Now(), FromGroup: x.From,
			ToGroup: x.To, State: RunRuns, By: kernel.Who(ctx), StartedAt: s.Now(), Token: token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		id = row.ID
		return s.Log(tx, "test", kernel.About{Module: m.ID}, "Test by hand begun: %s", steps[0].Kind)
	})
	return id, err
}

// openTo leaves out the charge of what is full already. A plan that is refused for more than that stays refused.
func openTo(p testplan.Plan, full bool) (testplan.Plan, error) {
	if stands := p.Standing(full); len(stands) > 0 {
		return p, kernel.Stopped(stands)
	}
	if full {
		k := slices.IndexFunc(p.Steps, func(st testplan.Step) bool { return st.Kind == "discharge" })
		p.Steps = p.Steps[max(0, k):]
	}
	p.Refused = false
	return p, nil
}

// ByHandByID is a test by hand with where it stands now.
func (s *Room) ByHandByID(ctx context.Context, id int64) (h ByHand, err error) {
	return s.byHand(s.Store.DB.WithContext(ctx), id)
}

func (s *Room) byHand(db *gorm.DB, id int64) (h ByHand, err error) {
	if h.HandTest, err = kernel.ByID[store.HandTest](db, id, "test"); err != nil {
		return h, err
	}
	m, err := kernel.ByID[store.Module](db, h.ModuleID, "module")
	if err != nil {
		return h, err
	}
	t, err := kernel.TypeByID(db, m.TypeID)
	if err != nil {
		return h, err
	}
	h.Number = m.Number
	if h.Steps, err = h.HandTest.Steps.Get(); err != nil {
		return h, err
	}
	h.Step = h.Steps[h.AtStep]
	if err = db.Where("test_id = ? AND at_step = ?", id, h.AtStep).Order("seconds, id").Find(&h.Readings).Error; err !=
		nil {
		return h, err
	}
	list, err := readingsOf(h.Readings, &h.Cells)
	if err != nil {
		return h, err
	}
	if h.Now, err = byhand.Of(h.Step, t.Chemistry, list, s.Now().Sub(h.StepAt).Seconds()); err != nil {
		return h, err
	}
	if h.State == RunRuns {
		against, err := s.mayTest(db, m, t)
		if err != nil {
			return h, err
		}
		h.Now = h.Now.Against(against)
	}
	after := func(seconds float64) time.Time { return h.StepAt.Add(time.Duration(seconds * float64(time.Second))) }
	h.Look, h.Stop = after(h.Now.NextLookS), after(h.Now.HardStopS)
	return h, err
}

func readingsOf(rows []store.HandReading, cells *[][]float64) (out []byhand.Reading, err error) {
	for _, r := range rows {
		c, err := r.Cells.Get()
		if err != nil {
			return nil, err
		}
		if cells != nil {
			*cells = append(*cells, c)
		}
		out = append(out, byhand.Reading{Seconds: r.Seconds, Volts: r.Volts, Amps: r.Amps, TempC: r.TempC, Groups: c})
	}
	return out, nil
}

// HandReadingInput is what was read. Amps are a magnitude: the step says which way they flow.
type HandReadingInput struct {
	ID    int64
	Volts float64
	Amps  float64
	TempC *float64
	Cells []float64
	Token string
}

// RecordHandReading writes a reading down under the moment at which it comes.
func (s *Room) RecordHandReading(ctx context.Context, in HandReadingInput) error {
	c := kernel.Checks{}
	c.Need(in.Volts > 0 && in.Volts < 1500, "volts", "expected the volts in all")
	c.Need(in.Amps >= 0 && in.Amps < 1e4, "amps", "expected the size of the current, 0 A or more")
	c.Need(in.TempC == nil || *in.TempC > -40 && *in.TempC < 120, "temp_c", "expected −40 to 120 °C")
	for i, v := range in.Cells {
		c.Need(v > -10 && v < 10, fmt.Sprintf("g%d", i+1), "expected the volts of a group")
	}
	if err := c.Err(); err != nil {
		return err
	}
	return s.Action(ctx, in.Token, "hand-reading", func(tx *gorm.DB) error {
		h, err := s.byHand(tx, in.ID)
		switch {
		case err != nil:
			return err
		case h.State != RunRuns:
			return kernel.Bad("", "this test is over")
		case len(in.Cells) > 0 && len(in.Cells) != h.Step.Groups:
			return kernel.Bad("g1", "%d groups: expected every one of %d, or none", len(in.Cells), h.Step.Groups)
		}
		if in.Cells == nil {
			in.Cells = []float64{}
		}
		amps := in.Amps
		if h.Step.Amps < 0 {
			amps = -amps
		}
		if err := tx.Create(&store.HandReading{TestID: h.ID, AtStep: h.AtStep, Seconds: s.Now().Sub(h.StepAt).Seconds(),
			Volts: in.Volts, Amps: amps, TempC: in.TempC, Cells: store.JSONOf(in.Cells), By: kernel.Who(ctx),
			At: s.Now(), Token: in.Token}).Error; err != nil {
			return err
		}
		kernel.Touch(tx, h.ModuleID)
		return nil
	})
}

// MoveByHand ends the step under way and begins the next, or ends the test. A discharge that ends gives its result to
// the module, as one that was typed by hand with its conditions.
func (s *Room) MoveByHand(ctx context.Context, id int64, what, token string) error {
	return s.Action(ctx, token, "hand-"+what, func(tx *gorm.DB) error {
		h, err := s.byHand(tx, id)
		switch {
		case err != nil:
			return err
		case h.State != RunRuns:
			return kernel.Bad("", "this test is over")
		case what != "next" && what != "stop":
			return kernel.Bad("", "expected next or stop")
		case what == "next" && len(h.Now.Held()) > 0:
			return kernel.Stopped(h.Now.Held())
		}
		if h.Step.Kind == "discharge" {
			if err := s.keptResult(tx, h, token); err != nil {
				return err
			}
		}
		set := map[string]any{"at_step": h.AtStep + 1, "step_at": s.Now()}
		word := "goes on"
		switch {
		case what == "stop":
			set, word = map[string]any{"state": RunStopped, "ended_at": s.Now()}, "stopped"
		case h.AtStep == len(h.Steps)-1:
			set, word = map[string]any{"state": RunDone, "ended_at": s.Now()}, "done"
		}
		if err := tx.Model(&store.HandTest{}).Where("id = ?", id).Updates(set).Error; err != nil {
			return err
		}
		return s.Log(tx, "test", kernel.About{Module: h.ModuleID}, "Test by hand, %s step: %s", h.Step.Kind, word)
	})
}

// keptResult keeps what a discharge gave, or says why it cannot be kept: the test itself ends all the same.
func (s *Room) keptResult(tx *gorm.DB, h ByHand, token string) error {
	err := s.handResult(tx, h, token)
	var inv *kernel.Invalid
	var blk *kernel.Blocked
	if errors.As(err, &inv) || errors.As(err, &blk) {
		return s.Log(tx, "test", kernel.About{Module: h.ModuleID}, "The result was not kept: %v", err)
	}
	return err
}

// handResult keeps what a discharge by hand gave.
func (s *Room) handResult(tx *gorm.DB, h ByHand, token string) error {
	if len(h.Readings) < 2 || !(h.Now.Ah > 0) {
		return nil // nothing that a figure could rest on
	}
	last := h.Readings[len(h.Readings)-1]
	in := results.HandInput{Number: h.Number, CapacityAh: h.Now.Ah, EnergyWh: h.Now.Wh, EndVolts: last.Volts,
		ChargeMoved: true, Checked: true, // read step by step
		FromGroup: h.FromGroup, ToGroup: h.ToGroup, Token: token + "-result",
		Note: fmt.Sprintf("step by step, %d readings", len(h.Readings))}
	if last.Seconds > 0 {
		in.Amps = h.Now.Ah * 3600 / last.Seconds
	}
	if c := h.Cells[len(h.Cells)-1]; len(c) > 0 {
		in.LowestEndVolts = slices.Min(c)
	}
	for _, r := range h.Readings {
		if r.TempC != nil {
			in.TempC = r.TempC
		}
	}
	full, err := s.fullBefore(tx, h)
	if err != nil {
		return err
	}
	in.FromFull = full
	return s.Results.KeepHand(tx, in)
}

// fullBefore reports whether the charge before a discharge tapered off at its ceiling, or a person said at the start
// that the module was full.
func (s *Room) fullBefore(tx *gorm.DB, h ByHand) (bool, error) {
	at := slices.IndexFunc(h.Steps, func(st run.Step) bool { return st.Kind == "charge" })
	if at < 0 {
		return true, nil
	}
	m, err := kernel.ByID[store.Module](tx, h.ModuleID, "module")
	if err != nil {
		return false, err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return false, err
	}
	var rows []store.HandReading
	if err := tx.Where("test_id = ? AND at_step = ?", h.ID, at).Order("seconds, id").Find(&rows).Error; err != nil {
		return false, err
	}
	list, err := readingsOf(rows, nil)
	if err != nil || len(list) == 0 {
		return false, err
	}
	st, err := byhand.Of(h.Steps[at], t.Chemistry, list, list[len(list)-1].Seconds)
	return st.Tapered && !finding.Blocks(st.Findings), err
}

// HandTests lists those that run, the one to look at first first.
func (s *Room) HandTests(ctx context.Context) (out []ByHand, err error) {
	db := s.Store.DB.WithContext(ctx)
	var ids []int64
	if err := db.Model(&store.HandTest{}).Where("state = ?", RunRuns).Order("id").Pluck("id", &ids).Error; err != nil {
		return nil, err
	}
	for _, id := range ids {
		h, err := s.byHand(db, id)
		if err != nil {
			return nil, err
		}
		out = append(out, h)
	}
	slices.SortStableFunc(out, func(a, b ByHand) int { return a.Look.Compare(b.Look) })
	return out, nil
}

// HandTestOf is the test by hand that runs with a module, 0 for none.
func (s *Room) HandTestOf(ctx context.Context, moduleID int64) (id int64, err error) {
	err = s.Store.DB.WithContext(ctx).Raw("SELECT coalesce(max(id), 0) FROM hand_tests WHERE module_id = ? AND "+
		"state = ?", moduleID, RunRuns).Scan(&id).Error
	return id, err
}
