package test

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/test/kind"
	"pandrel/core/test/noted"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// TypedInput is a test result typed by hand, of a module or a part of it.
type TypedInput struct {
	kind.Result
	Number    string
	Checked   bool // what is far from usual was looked at a second time
	FromGroup int  // of the part that was tested alone, 0 for the whole module
	ToGroup   int
	Half      int // 1 the lower half, 2 the upper, where only that was said; 0 for none
	Token     string
}

// RecordTyped keeps a result that was not logged; it is marked as typed by hand for ever.
func (s *Room) RecordTyped(ctx context.Context, in TypedInput) error {
	if err := in.check(); err != nil {
		return err
	}
	return s.Action(ctx, in.Token, "hand", func(tx *gorm.DB) error { return s.keepTyped(tx, in) })
}

// RecordTypedAll keeps several results at once, all or none. errs says what is wrong with which, by index.
func (s *Room) RecordTypedAll(ctx context.Context, list []TypedInput, token string) (errs map[int]string, err error) {
	err = s.Action(ctx, token, "hand", func(tx *gorm.DB) error {
		if errs, err = s.typedAll(tx, list, token); err == nil && len(errs) > 0 {
			return errSome
		}
		return err
	})
	if errors.Is(err, errSome) {
		err = nil
	}
	return errs, err
}

// TryTyped says what is wrong with which of several results, and keeps none.
func (s *Room) TryTyped(ctx context.Context, list []TypedInput) (errs map[int]string, err error) {
	err = s.Store.Write(ctx, func(tx *gorm.DB) error {
		if errs, err = s.typedAll(tx, list, "tried"); err == nil {
			return errSome // whatever was written is taken back
		}
		return err
	})
	if errors.Is(err, errSome) {
		err = nil
	}
	return errs, err
}

// typedAll keeps several results inside a transaction; errs says what is wrong with which.
func (s *Room) typedAll(tx *gorm.DB, list []TypedInput, token string) (errs map[int]string, err error) {
	errs = map[int]string{}
	for i, in := range list {
		in.Token = fmt.Sprintf("%s-%d", token, i)
		err := in.check()
		if err == nil {
			err = s.keepTyped(tx, in)
		}
		if text, refused := kernel.Refused(err); refused {
			errs[i] = text
		} else if err != nil {
			return nil, err
		}
	}
	return errs, nil
}

var errSome = errors.New("some results cannot be kept")

// keepTyped keeps one result inside a transaction.
func (s *Room) keepTyped(tx *gorm.DB, in TypedInput) error {
	m, t, err := s.stands(tx, &in)
	if err != nil {
		return err
	}
	in.Note = strings.TrimSpace(in.Note)
	row := store.OfModule(kind.Typed, m.ID)
	row.FromGroup, row.ToGroup = in.FromGroup, in.ToGroup
	row.By, row.At, row.Token = kernel.Acts(tx), s.Now(), in.Token
	if err := record.Typed(tx, row, in.Result); err != nil {
		return err
	}
	return s.afterResult(tx, m, t, row, in.Result)
}

// stands refuses a result that cannot be kept of its module.
func (s *Room) stands(tx *gorm.DB, in *TypedInput) (m store.Module, t store.ModuleType, err error) {
	if m, t, err = s.mayTake(tx, in.Number); err != nil {
		return m, t, err
	}
	if err := tooMuch(m, t, in.CapacityAh, "capacity_ah"); err != nil {
		return m, t, err
	}
	if err := in.half(tx, m, t); err != nil {
		return m, t, err
	}
	if in.FromGroup, in.ToGroup, err = partOf(tx, m, t, in.FromGroup, in.ToGroup); err != nil {
		return m, t, err
	}
	return m, t, in.possible(tx, m, t)
}

// mayTake is a module of which a result may be kept.
func (s *Room) mayTake(tx *gorm.DB, number string) (m store.Module, t store.ModuleType, err error) {
	if m, err = kernel.ModuleByNumber(tx, number); err != nil {
		return m, t, err
	}
	if t, err = kernel.TypeByID(tx, m.TypeID); err != nil {
		return m, t, err
	}
	return m, t, s.Record.MayTell(tx, m, t)
}

// half says which groups a half is.
func (in *TypedInput) half(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	if in.Half == 0 {
		return nil
	}
	lay, ok, err := record.LayoutFor(tx, m, t)
	switch {
	case err != nil:
		return err
	case !ok || lay.Series < 2 || lay.Series%2 != 0:
		return kernel.Bad("to_group", "a half of %s: expected the groups, since its %d do not part evenly", m.Number,
			lay.Series)
	}
	n := lay.Series / 2
	in.FromGroup, in.ToGroup = 1+(in.Half-1)*n, in.Half*n
	return nil
}

// tooMuch refuses a capacity that is far above the rating.
func tooMuch(m store.Module, t store.ModuleType, ah float64, field string) error {
	if rated := record.RatedAh(m, t); rated > 0 && ah > 1.5*rated {
		return kernel.Bad(field, "%s Ah is more than one and a half times the rated %s Ah: expected "+
			"the module's capacity. Where its plate says otherwise, put its rating right on its page first",
			numeral.Text(ah), numeral.Text(rated))
	}
	return nil
}

// afterResult says in the module's life what a person's test gave, and settles where it stands now.
func (s *Room) afterResult(tx *gorm.DB, m store.Module, t store.ModuleType, row store.Test, r kind.Result) error {
	part := ""
	if row.FromGroup > 0 {
		part = fmt.Sprintf(", groups %d to %d alone", row.FromGroup, row.ToGroup)
	}
	word := "typed by hand"
	if row.Source == kind.ByHand {
		word = "read by hand"
	}
	if err := s.Log(tx, "test", kernel.About{Module: m.ID}, "Result %s: %.1f Ah%s", word, r.CapacityAh,
		part); err != nil {
		return err
	}
	return s.afterTest(tx, m, t)
}

// afterTest refreshes the module's newest figures and sends it to grading once there is a capacity.
func (s *Room) afterTest(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	res, err := record.NewestTest(tx, m, t)
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
	if res.HighAh > 0 { // gaps that leave two classes open are no result yet
		p, _, err := s.Limits(tx)
		if err != nil {
			return err
		}
		if rated := record.RatedAh(m, t); rated <= 0 {
			return nil
		} else if g, err := grade.JudgeEvidence(grade.Evidence{RatedAh: rated, CapacityAh: res.CapacityAh,
			HighAh:   res.HighAh,
			Complete: true}, p); err != nil || g.Class == grade.Open {
			return err
		}
	}
	return s.MoveTo(tx, &m, station.Grade)
}

// mostAh is what no module holds.
const mostAh = 1e5

// check says what cannot be.
func (in TypedInput) check() error {
	c := kernel.Checks{}
	c.Need(in.CapacityAh > 0 && in.CapacityAh < mostAh, "capacity_ah", "expected the capacity, above 0 Ah")
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
func (in *TypedInput) possible(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	field, text, err := slip(tx, m, t, store.Test{FromGroup: in.FromGroup, ToGroup: in.ToGroup}, noted.Result{
		LowestEndVolts: in.LowestEndVolts, EndVolts: in.EndVolts, Ah: in.CapacityAh, FromFull: in.FromFull,
		EnergyWh: in.EnergyWh, MilliOhm: in.ResistanceMOhm, Amps: in.Amps, Checked: in.Checked})
	if err == nil && field != "" {
		err = kernel.Bad(field, "%s", text)
	}
	return err
}

// slip is what a module, or the part of it that a test is of, cannot show of a result, "" for nothing.
func slip(tx *gorm.DB, m store.Module, t store.ModuleType, row store.Test, n noted.Result) (field, text string,
	err error) {
	lay, _, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return "", "", err
	}
	n.Chemistry, n.RatedAh, n.Series = t.Chemistry, record.RatedAh(m, t), lay.Series
	if row.FromGroup > 0 {
		n.Series = row.ToGroup - row.FromGroup + 1
	}
	field, text = noted.Slip(n, max(n.RatedAh, n.Ah))
	return field, text, nil
}

// partOf checks which part of a module was tested; all of its groups are the whole, and one alone may be named once.
func partOf(tx *gorm.DB, m store.Module, t store.ModuleType, from, to int) (int, int, error) {
	if from == 0 && to == 0 {
		return 0, 0, nil
	}
	lay, ok, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return 0, 0, err
	}
	if !ok || from < 1 || to < from || to > lay.Series {
		return 0, 0, kernel.Bad("to_group", "groups %d to %d: expected a part of the %s of the module", from, to,
			numeral.Count(lay.Series, "group"))
	}
	if from == 1 && to == lay.Series {
		from, to = 0, 0
	}
	return from, to, nil
}
