package results

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/noted"
	"pandrel/core/module/passage"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// HandInput is a test result typed by hand. Zero means not measured, except the capacity.
type HandInput struct {
	Number         string
	CapacityAh     float64
	EnergyWh       float64
	ResistanceMOhm float64
	Amps           float64
	TempC          *float64
	EndVolts       float64
	LowestEndVolts float64 // of a group at the end of the discharge
	FromFull       bool    // it began full
	Checked        bool    // what is far from usual was looked at a second time
	ChargeMoved    bool    // it was tested after the newest survey
	FromGroup      int     // of the part that was tested alone, 0 for the whole module
	ToGroup        int
	Note           string
	Token          string
}

// RecordHandResult keeps a result that was not logged; it is marked as typed by hand for ever.
func (s *Room) RecordHandResult(ctx context.Context, in HandInput) error {
	if err := in.check(); err != nil {
		return err
	}
	return s.Action(ctx, in.Token, "hand", func(tx *gorm.DB) error { return s.KeepHand(tx, in) })
}

// RecordHandResults keeps several results at once, all or none. errs says what is wrong with which, by index.
func (s *Room) RecordHandResults(ctx context.Context, list []HandInput, token string) (errs map[int]string, err error) {
	err = s.Action(ctx, token, "hand", func(tx *gorm.DB) error {
		if errs, err = s.hands(tx, list, token); err == nil && len(errs) > 0 {
			return errSome
		}
		return err
	})
	if errors.Is(err, errSome) {
		err = nil
	}
	return errs, err
}

// TryHandResults says what is wrong with which of several results, and keeps none.
func (s *Room) TryHandResults(ctx context.Context, list []HandInput) (errs map[int]string, err error) {
	err = s.Store.Write(ctx, func(tx *gorm.DB) error {
		if errs, err = s.hands(tx, list, "tried"); err == nil {
			return errSome // whatever was written is taken back
		}
		return err
	})
	if errors.Is(err, errSome) {
		err = nil
	}
	return errs, err
}

// hands keeps several results inside a transaction; errs says what is wrong with which.
func (s *Room) hands(tx *gorm.DB, list []HandInput, token string) (errs map[int]string, err error) {
	errs = map[int]string{}
	for i, in := range list {
		in.Token = fmt.Sprintf("%s-%d", token, i)
		err := in.check()
		if err == nil {
			err = s.KeepHand(tx, in)
		}
		var inv *kernel.Invalid
		var nf *kernel.NotFound
		var blk *kernel.Blocked
		switch {
		case err == nil:
		case errors.As(err, &inv), errors.As(err, &nf), errors.As(err, &blk):
			errs[i] = err.Error()
		default:
			return nil, err
		}
	}
	return errs, nil
}

var errSome = errors.New("some results cannot be kept")

// KeepHand keeps one result inside a transaction.
func (s *Room) KeepHand(tx *gorm.DB, in HandInput) error {
	m, err := kernel.ModuleByNumber(tx, in.Number)
	if err != nil {
		return err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	if err := s.Record.May(tx, m, t, passage.Test); err != nil {
		return err
	}
	if rated := record.RatedAh(m, t); rated > 0 && in.CapacityAh > 1.5*rated {
		return kernel.Bad("capacity_ah", "%s Ah is more than one and a half times the rated %s Ah: expected "+
			"the module's capacity. Where its plate says otherwise, put its rating right on its page first",
			numeral.Text(in.CapacityAh), numeral.Text(rated))
	}
	if err := in.part(tx, m, t); err != nil {
		return err
	}
	if err := in.possible(tx, m, t); err != nil {
		return err
	}
	row := store.HandResult{ModuleID: m.ID, TakenBy: kernel.Acts(tx), TakenAt: s.Now(), CapacityAh: in.CapacityAh,
		EnergyWh: in.EnergyWh, ResistanceMohm: in.ResistanceMOhm, Amps: in.Amps, TempC: in.TempC, EndVolts: in.EndVolts,
		LowestEndVolts: in.LowestEndVolts, FromFull: in.FromFull, FromGroup: in.FromGroup, ToGroup: in.ToGroup,
		ChargeMoved: in.ChargeMoved, Note: strings.TrimSpace(in.Note), Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := s.Log(tx, "test", kernel.About{Module: m.ID}, "Result typed by hand: %.1f Ah%s",
		row.CapacityAh, partText(row)); err != nil {
		return err
	}
	return s.afterTest(tx, m)
}

// afterTest refreshes the module's newest figures and sends it to grading once there is a capacity.
func (s *Room) afterTest(tx *gorm.DB, m store.Module) error {
	res, err := record.NewestTest(tx, m.ID)
	if err != nil {
		return err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"capacity_ah": res.CapacityAh,
		"resistance_mohm": res.ResistanceMOhm}).Error; err != nil {
		return err
	}
	if !res.Complete || m.Station != station.Test && m.Station != station.Survey {
		return nil
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	if res.HighAh > 0 { // gaps that leave two classes open are no result yet
		p, _, err := s.Limits(tx)
		if err != nil {
			return err
		}
		if rated := record.RatedAh(m, t); rated <= 0 {
			return nil
		} else if g, err := grade.Judge(grade.Evidence{RatedAh: rated, CapacityAh: res.CapacityAh, HighAh: res.HighAh,
			Complete: true}, p); err != nil || g.Class == grade.Open {
			return err
		}
	}
	return s.MoveTo(tx, &m, station.Grade)
}

// check says what cannot be.
func (in HandInput) check() error {
	c := kernel.Checks{}
	c.Need(in.CapacityAh > 0 && in.CapacityAh < 1e5, "capacity_ah", "expected the capacity, above 0 Ah")
	c.Need(in.EnergyWh >= 0 && in.EnergyWh < 1e7, "energy_wh", "expected 0 Wh or more")
	c.Need(in.ResistanceMOhm >= 0 && in.ResistanceMOhm < 1e5, "resistance_mohm", "expected 0 mΩ or more")
	c.Need(in.Amps >= 0 && in.Amps < 1e4, "amps", "expected the size of the current, 0 A or more")
	c.Need(in.EndVolts >= 0 && in.EndVolts < 1500, "end_volts", "expected the module's voltage at the end: below "+
		"zero it was driven backwards, say so in a look and do not test on")
	c.Need(in.LowestEndVolts > -10 && in.LowestEndVolts < 10, "lowest_end_v",
		"expected the lowest group's voltage at the end")
	c.Need(in.TempC == nil || *in.TempC > -40 && *in.TempC < 90, "temp_c", "expected −40 to 90 °C")
	return c.Err()
}

// possible refuses what a module of its groups cannot show.
func (in *HandInput) possible(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	lay, _, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return err
	}
	rated := record.RatedAh(m, t)
	h := noted.Result{LowestEndVolts: in.LowestEndVolts, EndVolts: in.EndVolts, Series: lay.Series, Ah: in.CapacityAh,
		FromFull: in.FromFull, Chemistry: t.Chemistry, RatedAh: rated, EnergyWh: in.EnergyWh,
		MilliOhm: in.ResistanceMOhm, Amps: in.Amps, Checked: in.Checked}
	if in.FromGroup > 0 {
		h.Series = in.ToGroup - in.FromGroup + 1
	}
	if field, text := noted.Slip(h, max(rated, in.CapacityAh)); field != "" {
		return kernel.Bad(field, "%s", text)
	}
	return nil
}

// part checks which part of a module was tested; all of its groups are the whole.
func (in *HandInput) part(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	if in.FromGroup == 0 && in.ToGroup == 0 {
		return nil
	}
	lay, ok, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return err
	}
	if !ok || in.FromGroup < 1 || in.ToGroup < in.FromGroup || in.ToGroup > lay.Series {
		return kernel.Bad("to_group", "groups %d to %d: expected a part of the %d groups of the module",
			in.FromGroup, in.ToGroup, lay.Series)
	}
	if in.FromGroup == 1 && in.ToGroup == lay.Series {
		in.FromGroup, in.ToGroup = 0, 0
	}
	return nil
}

// partText says which part of a module was tested, "" for the whole.
func partText(r store.HandResult) string {
	if r.FromGroup == 0 {
		return ""
	}
	return fmt.Sprintf(", groups %d to %d alone", r.FromGroup, r.ToGroup)
}
