package test

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/test/byhand"
	"pandrel/core/test/kind"
	"pandrel/core/test/logview"
	"pandrel/core/test/run"
	"pandrel/core/test/testplan"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// ByHand is a test that a person makes, as it stands.
type ByHand struct {
	Under
	Now      byhand.Status
	Readings []store.TestReading // of this step, oldest first
	Cells    [][]float64         // of each reading
	Look     time.Time           // when to look next
	Stop     time.Time           // when it is off, whatever it shows
}

// Part names the part of the module, "" for all of it.
func (h ByHand) Part() string { return h.PartName() }

// ByHandInput is a test that a person makes with what stands on the bench: of the groups From to To of a module, both 0
// for all of it. Full is that it was charged to full before.
type ByHandInput struct {
	Number   string
	From, To int
	Full     bool
	Token    string
}

// StartByHand begins a test by hand.
func (s *Room) StartByHand(ctx context.Context, in ByHandInput) (id int64, err error) {
	b, err := s.mayBegin(ctx, in.Number, in.From, in.To, "")
	if err != nil {
		return 0, err
	}
	k, _, err := s.Bench.Kit(ctx)
	if err != nil {
		return 0, err
	}
	p, err := testplan.For(b.Planned, k, "")
	if err != nil {
		return 0, kernel.Bad("", "%v", err)
	}
	if p, err = openTo(p, in.Full); err != nil {
		return 0, err
	}
	steps, err := run.Of(b.Planned, p)
	if err != nil {
		return 0, kernel.Bad("", "%v", err)
	}
	given, err := store.Raw(kind.Began{Full: in.Full})
	if err != nil {
		return 0, err
	}
	err = s.Action(ctx, in.Token, "by-hand", func(tx *gorm.DB) error {
		if err := free(tx, b.Module, 0, ""); err != nil {
			return err
		}
		now := s.Now()
		row := store.OfModule(kind.ByHand, b.Module.ID)
		row.Given, row.FromGroup, row.ToGroup = given, b.From, b.To
		row.Steps, row.StepAt, row.State, row.Findings = store.JSONOf(steps), &now, Runs,
			store.JSONOf([]finding.Finding{})
		row.By, row.At, row.Token = kernel.Who(ctx), now, in.Token
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		id = row.ID
		return s.Log(tx, "test", kernel.About{Module: b.Module.ID}, "Test by hand begun: %s", steps[0].Kind)
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
	if h.Under, err = s.under(db, id, kind.ByHand); err != nil {
		return h, err
	}
	if h.StepAt == nil {
		return h, fmt.Errorf("test %d: when its step began is not on record", id)
	}
	if h.Readings, err = readings(db, id, h.AtStep); err != nil {
		return h, err
	}
	list, err := readingsOf(h.Readings, &h.Cells)
	if err != nil {
		return h, err
	}
	if h.Now, err = byhand.Of(h.Step, h.Type.Chemistry, list, s.Now().Sub(*h.StepAt).Seconds()); err != nil {
		return h, err
	}
	if h.State == Runs {
		against, err := s.mayTest(db, h.Module, h.Type)
		if err != nil {
			return h, err
		}
		h.Now = h.Now.Against(against)
	}
	after := func(seconds float64) time.Time { return h.StepAt.Add(time.Duration(seconds * float64(time.Second))) }
	h.Look, h.Stop = after(h.Now.NextLookS), after(h.Now.HardStopS)
	return h, err
}

func readingsOf(rows []store.TestReading, cells *[][]float64) (out []byhand.Reading, err error) {
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
		case h.State != Runs:
			return kernel.Bad("", "this test is over")
		case len(in.Cells) > 0 && len(in.Cells) != h.Step.Groups:
			return kernel.Bad("g1", "%s: expected every one of %d, or none", numeral.Count(len(in.Cells), "group"),
				h.Step.Groups)
		}
		if in.Cells == nil {
			in.Cells = []float64{}
		}
		amps := in.Amps
		if h.Step.Amps < 0 {
			amps = -amps
		}
		if err := tx.Create(&store.TestReading{TestID: h.ID, AtStep: h.AtStep,
			Seconds: s.Now().Sub(*h.StepAt).Seconds(),
			Volts:   in.Volts, Amps: amps, TempC: in.TempC, Cells: store.JSONOf(in.Cells), By: kernel.Who(ctx),
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
		case h.State != Runs:
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
			set, word = map[string]any{"state": Stopped, "ended_at": s.Now()}, "stopped"
		case h.AtStep == len(h.Steps)-1:
			set, word = map[string]any{"state": Done, "ended_at": s.Now()}, "done"
		}
		if err := move(tx, id, set); err != nil {
			return err
		}
		return s.Log(tx, "test", kernel.About{Module: h.ModuleID}, "Test by hand, %s step: %s", h.Step.Kind, word)
	})
}

// keptResult keeps what a discharge gave, or says why it cannot be kept: the test itself ends all the same.
func (s *Room) keptResult(tx *gorm.DB, h ByHand, token string) error {
	err := s.handResult(tx, h, token)
	if kernel.Told(err) {
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
	in := TypedInput{Number: h.Number(), Checked: true, FromGroup: h.FromGroup, ToGroup: h.ToGroup} // read step by step
	in.Result = kind.Result{CapacityAh: h.Now.Ah, EnergyWh: h.Now.Wh, EndVolts: last.Volts, ChargeMoved: true,
		Note: fmt.Sprintf("step by step, %s", numeral.Count(len(h.Readings), "reading"))}
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
	var err error
	if in.FromFull, err = s.fullBefore(tx, h); err != nil {
		return err
	}
	m, t, err := s.stands(tx, &in)
	if err != nil {
		return err
	}
	if err := record.Gives(tx, h.ID, in.Result, logview.Thin{}); err != nil {
		return err
	}
	if err := move(tx, h.ID, map[string]any{"gave_at": s.Now(), "gave_token": token}); err != nil {
		return err
	}
	return s.afterResult(tx, m, t, h.Test, in.Result)
}

// fullBefore reports whether the charge before a discharge tapered off at its ceiling, or a person said at the start
// that the module was full.
func (s *Room) fullBefore(tx *gorm.DB, h ByHand) (bool, error) {
	at := slices.IndexFunc(h.Steps, func(st run.Step) bool { return st.Kind == "charge" })
	if at < 0 {
		return true, nil
	}
	rows, err := readings(tx, h.ID, at)
	if err != nil {
		return false, err
	}
	list, err := readingsOf(rows, nil)
	if err != nil || len(list) == 0 {
		return false, err
	}
	st, err := byhand.Of(h.Steps[at], h.Type.Chemistry, list, list[len(list)-1].Seconds)
	return st.Tapered && !finding.Blocks(st.Findings), err
}

// HandTests lists those that run, the one to look at first first.
func (s *Room) HandTests(ctx context.Context) (out []ByHand, err error) {
	db := s.Store.DB.WithContext(ctx)
	rows, err := underNow(db)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if r.Source != kind.ByHand {
			continue
		}
		h, err := s.byHand(db, r.ID)
		if err != nil {
			return nil, err
		}
		out = append(out, h)
	}
	slices.SortStableFunc(out, func(a, b ByHand) int { return a.Look.Compare(b.Look) })
	return out, nil
}
