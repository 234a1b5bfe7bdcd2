package procedure

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/procedure/standing"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// StandingReadings are the group voltages of a bank in one sitting, from the main negative up, or what was read of it
// where not every group was.
type StandingReadings struct {
	Volts      []float64
	Part       whole.Read
	Instrument string
	Accuracy   float64 // volts, 0 not known
	Rest       float64 // minutes, negative where not known
	TempC      *float64
	Token      string

	anew bool // read before, and judged anew by what is known now
}

// judgedAnew marks a survey that is an earlier one, judged by what is known now.
const judgedAnew = ", judged anew"

// SurveyOfBank is a kept survey of a standing bank. Volts are those of every group, nil where not all were read, which
// Part then says.
type SurveyOfBank struct {
	store.BankSurvey
	Volts  []float64
	Part   whole.Read
	Judged whole.Standing
}

// TestOfBank is a kept discharge of a whole bank.
type TestOfBank struct {
	store.Test
	Whole whole.Test
	Found []finding.Finding
}

// RecordStandingSurvey keeps the group voltages of a standing bank, and what they say.
func (s *Room) RecordStandingSurvey(ctx context.Context, id int64, in StandingReadings) error {
	return s.Action(ctx, in.Token, "standing-survey", func(tx *gorm.DB) error {
		v, err := LoadStanding(tx, id)
		if err != nil {
			return err
		}
		cells := v.Cells
		if !cells.Known() && len(in.Volts) > 0 {
			cells.Series = len(in.Volts)
			cells = cells.Rated()
			if err := tx.Model(&store.Bank{}).Where("id = ?", id).Update("cells",
				store.JSONOf(cells)).Error; err != nil {
				return err
			}
		}
		return s.keepStandingSurvey(tx, v.Standing, cells, in)
	})
}

func (s *Room) keepStandingSurvey(tx *gorm.DB, row store.Bank, c standing.Cells, in StandingReadings) error {
	if len(in.Volts) == 0 {
		return s.keepPart(tx, row, c, in)
	}
	if len(in.Volts) != c.Series {
		return kernel.Bad("grid", "%s for %s: expected one for each, from the main negative up",
			numeral.Count(len(in.Volts), "voltage"), numeral.Count(c.Series, "group"))
	}
	if field, text := in.Part.Beside(in.Volts); field != "" {
		return kernel.Bad(field, "%s", text)
	}
	of := whole.Bank{Name: row.Name, Series: c.Series, Chemistry: c.Chemistry, Ah: c.Ah}
	e, err := s.asSurveyed(tx, row)
	if err != nil {
		return err
	}
	of.Curve = e.Curve
	if of.Before, err = before(tx, row.ID, in, c.Series); err != nil {
		return err
	}
	judged, err := whole.JudgeSurvey(of, in.Volts, in.Rest, in.Accuracy, s.Policy.Survey)
	if err != nil {
		return kernel.Bad("grid", "%v", err)
	}
	judged.Held = e.StopsAt("in a survey", in.Volts)
	kept := store.BankSurvey{BankID: row.ID, TakenBy: kernel.Acts(tx), TakenAt: s.Now(),
		Instrument: in.Instrument, AccuracyVolts: in.Accuracy, RestMinutes: in.Rest, TempC: in.TempC,
		Volts: store.JSONOf(in.Volts), Result: store.JSONOf(judged), Token: in.Token}
	if in.Part.Is() { // what was read of the whole beside its groups
		kept.Part = store.JSONOf(in.Part)
	}
	if err := tx.Create(&kept).Error; err != nil {
		return err
	}
	if err := s.Record.TouchStopped(tx, judged.Held); err != nil {
		return err
	}
	return s.Log(tx, "service", kernel.About{Bank: row.ID}, "%s surveyed: %s", row.Name, judged.Text)
}

// before is what each group read the time before, nil where none was: the newest of each, whether the others were read
// with it or not, in a survey or at rest in a test. What is judged anew is no second reading of itself, and none of a
// test that came since.
func before(tx *gorm.DB, bank int64, in StandingReadings, series int) (out []float64, err error) {
	all, err := surveysOf(tx, bank)
	if err != nil {
		return nil, err
	}
	tests, err := testsOf(tx, bank)
	if err != nil {
		return nil, err
	}
	type reading struct {
		at    time.Time
		volts []float64
	}
	var list []reading
	if len(tests) > 0 && !in.anew {
		list = append(list, reading{tests[0].At, byGroup(tests[0].Whole.LastRead(nil), whole.Read{}, series)})
	}
	itself := in.anew
	for _, x := range all {
		switch {
		case in.anew && strings.HasSuffix(x.Instrument, judgedAnew):
		case itself && (len(x.Volts) > 0) == (len(in.Volts) > 0):
			itself = false
		default:
			list = append(list, reading{x.TakenAt, byGroup(x.Volts, x.Part, series)})
		}
	}
	slices.SortStableFunc(list, func(a, b reading) int { return b.at.Compare(a.at) })
	for _, x := range list {
		if out == nil {
			out = byGroup(nil, whole.Read{}, series)
		}
		for g, v := range x.volts {
			if math.IsNaN(out[g]) {
				out[g] = v
			}
		}
	}
	return out, nil
}

// byGroup are the volts of each of so many groups, no number for one that was not read.
func byGroup(volts []float64, part whole.Read, series int) []float64 {
	out := slices.Repeat([]float64{math.NaN()}, series)
	copy(out, volts)
	for _, r := range part.Groups {
		if r.Group <= series {
			out[r.Group-1] = r.Volts
		}
	}
	return out
}

// keepPart keeps a sitting in which not every group of a bank was read, and what it says all the same.
func (s *Room) keepPart(tx *gorm.DB, row store.Bank, c standing.Cells, in StandingReadings) error {
	e, err := s.asSurveyed(tx, row)
	if err != nil {
		return err
	}
	of := whole.Bank{Name: row.Name, Series: c.Series, Chemistry: c.Chemistry, Ah: c.Ah, Curve: e.Curve}
	if of.Before, err = before(tx, row.ID, in, c.Series); err != nil {
		return err
	}
	judged, err := whole.JudgeRead(of, in.Part, in.Rest, in.Accuracy, s.Policy.Survey)
	if err != nil && in.anew { // it was read before: what cannot be is what is said of it now
		return kernel.Bad("series", "%v", err)
	}
	if err != nil {
		return badSlip(err)
	}
	judged.Held = e.StopsAt("in a survey", byGroup(nil, in.Part, c.Series))
	kept := store.BankSurvey{BankID: row.ID, TakenBy: kernel.Acts(tx), TakenAt: s.Now(), Instrument: in.Instrument,
		AccuracyVolts: in.Accuracy, RestMinutes: in.Rest, TempC: in.TempC, Part: store.JSONOf(in.Part),
		Result: store.JSONOf(judged), Token: in.Token}
	if err := tx.Create(&kept).Error; err != nil {
		return err
	}
	if err := s.Record.TouchStopped(tx, judged.Held); err != nil {
		return err
	}
	return s.Log(tx, "service", kernel.About{Bank: row.ID}, "%s read in part: %s", row.Name, judged.Text)
}

// badSlip puts what cannot be to its field.
func badSlip(err error) error {
	var slip *whole.SlipError
	if errors.As(err, &slip) {
		return kernel.Bad(slip.Field, "%s", slip.Text)
	}
	return kernel.Bad("", "%v", err)
}

// asSurveyed is a bank that was built here as a survey of it as a whole needs it: its groups, with the modules that
// share each. A group of one that stands is shared by no module that is known.
func (s *Room) asSurveyed(tx *gorm.DB, b store.Bank) (whole.Expected, error) {
	if b.Origin != store.Built {
		return whole.Expected{}, nil
	}
	d, err := b.Design.Get()
	if err != nil {
		return whole.Expected{}, err
	}
	if n := d.Strings(); n > 1 {
		return whole.Expected{}, kernel.Bad("grid", "%s has %s with groups of their own: one list of voltages "+
			"does not say whose they are. Survey its modules", b.Name, numeral.Count(n, "string"))
	}
	return expected(tx, b, &d)
}

func surveysOf(db *gorm.DB, id int64) (out []SurveyOfBank, err error) {
	var rows []store.BankSurvey
	if err := record.Counting(db, "bank_surveys").Where("bank_id = ?", id).
		Order("id DESC").Limit(20).Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		x := SurveyOfBank{BankSurvey: r}
		if x.Volts, err = r.Volts.Get(); err != nil {
			return nil, err
		}
		if x.Part, err = r.Part.Get(); err != nil {
			return nil, err
		}
		if x.Judged, err = r.Result.Get(); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

func testsOf(db *gorm.DB, id int64) (out []TestOfBank, err error) {
	rows, err := record.OfBank(db, id)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		x := TestOfBank{Test: r.Test}
		if x.Whole, err = store.Read[whole.Test](r.Gave); err != nil {
			return nil, err
		}
		if x.Found, err = r.Findings.Get(); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

// BankTests are the discharges of a bank that was built here, newest first.
func (s *Room) BankTests(ctx context.Context, bankID int64) ([]TestOfBank, error) {
	return testsOf(s.Store.DB.WithContext(ctx), bankID)
}

// RecordBankTest keeps a discharge of a whole bank, standing or built here.
func (s *Room) RecordBankTest(ctx context.Context, id int64, in whole.Test, token string) (fs []finding.Finding,
	err error) {
	b, err := s.ByID(ctx, id)
	if err != nil {
		return nil, err
	}
	var built *plan.Design
	if b.Origin != store.Stands {
		if b, _, built, err = s.Bank.ByID(ctx, id); err != nil {
			return nil, err
		}
		if built == nil {
			return nil, kernel.Bad("", "%s is not designed yet: there is nothing to test", b.Name)
		}
	}
	err = s.Action(ctx, token, "bank-test", func(tx *gorm.DB) error {
		e, err := expected(tx, b, built)
		if err != nil {
			return err
		}
		var t whole.Test
		if t, fs, err = whole.JudgeTest(in, e); err != nil {
			return badSlip(err)
		}
		row := store.Test{Subject: "bank", SubjectID: id, By: kernel.Who(ctx), At: s.Now(), Token: token,
			Findings: store.JSONOf(fs)}
		if err := record.Whole(tx, row, in, t); err != nil {
			return err
		}
		if err := s.Record.TouchStopped(tx, t.Stopped); err != nil {
			return err
		}
		return s.Log(tx, "test", kernel.About{Bank: id}, "%s tested whole: %.1f Ah%s", e.Name, t.CapacityAh,
			map[bool]string{true: "", false: ", part of a discharge"}[t.Complete])
	})
	return fs, err
}

// expected is what a bank should have given, and the run before.
func expected(tx *gorm.DB, b store.Bank, d *plan.Design) (e whole.Expected, err error) {
	if d != nil {
		ah := d.OfModules().Ah()
		e = whole.Expected{Bank: whole.Bank{Name: b.Name, Series: d.Candidate.Series, Chemistry: d.Candidate.Chemistry},
			LowAh: ah.Low(), HighAh: ah.High(), Parallel: d.Candidate.Parallel, Groups: d.GroupNames(),
			Modules: d.GroupModules()}
		if t, found, err := kernel.Find[store.ModuleType](tx.Where("id = ?", d.TypeID)); err != nil {
			return e, err
		} else if found && len(d.Candidate.Types) == 0 {
			e.RatedAh = t.RatedAh * float64(max(1, d.Candidate.Parallel))
			if e.Curve, err = record.CurveOf(t); err != nil {
				return e, err
			}
		}
	} else {
		v, err := LoadStanding(tx, b.ID)
		if err != nil {
			return e, err
		}
		if !v.Cells.Known() {
			return e, kernel.Bad("", "survey it first: how many groups it has is not known")
		}
		e = v.expected()
	}
	last, err := testsOf(tx, b.ID)
	if err == nil && len(last) > 0 {
		e.Last = &last[0].Whole
	}
	return e, err
}

// Extend makes the need of a second string for a standing bank: as many groups of the same chemistry, with a BMS and a
// fuse of its own, and joined by the rule of joining.
func (s *Room) Extend(ctx context.Context, id int64, token string) (store.Bank, error) {
	v, err := s.StandingByID(ctx, id)
	if err != nil {
		return store.Bank{}, err
	}
	c := v.Cells
	switch {
	case !c.Known():
		return store.Bank{}, kernel.Bad("", "survey it first: a second string needs the same number of groups")
	case c.Chemistry == "":
		return store.Bank{}, kernel.Bad("", "its chemistry is not declared: strings of unlike chemistry are never "+
			"joined")
	}
	if fs := standing.OfGroups(v.Holds); len(fs) > 0 {
		return store.Bank{}, kernel.Stopped(fs)
	}
	nominal, full := c.Volts(0)
	n := plan.Need{Need: window.Need{Series: c.Series, Chemistry: c.Chemistry, ChargeMaxVolts: full,
		CutoffVolts: 0.8 * nominal}, Beside: &plan.Beside{ID: id, Name: v.Standing.Name, Series: c.Series, Ah: c.Ah}}
	if last, read := v.Newest(); read {
		n.Beside.Volts = last.Judged.TotalV
	}
	name, err := bank.FreeName(s.Store.DB.WithContext(ctx), fmt.Sprintf("%s, %s string", v.Standing.Name,
		ordinal(len(v.Joined)+2)))
	if err != nil {
		return store.Bank{}, err
	}
	return s.Bank.SaveNeed(ctx, bank.NeedInput{Name: name, Client: v.Standing.Client, Need: n, Token: token})
}

// ordinal is which string of a bank another one is.
func ordinal(n int) string {
	if words := []string{"", "first", "second", "third", "fourth", "fifth"}; n < len(words) {
		return words[n]
	}
	return fmt.Sprintf("%dth", n)
}

// DeclareCells writes down what was found out of a standing bank's inside since.
func (s *Room) DeclareCells(ctx context.Context, id int64, version int, c standing.Cells, token string) error {
	if field, text := c.Check(); field != "" {
		return kernel.Bad(field, "%s", text)
	}
	c = c.Rated()
	return s.Action(ctx, token, "standing", func(tx *gorm.DB) error {
		v, err := LoadStanding(tx, id)
		if err != nil {
			return err
		}
		if v.Standing.Origin != store.Stands {
			return kernel.Bad("", "%s was built here: its inside is its design", v.Standing.Name)
		}
		c.ReadV, c.ReadDigit = v.Cells.ReadV, v.Cells.ReadDigit
		read := c.ReadV > 0 && c.Known() // its groups are counted now: what was read before is a reading of them
		if read {
			c.ReadV, c.ReadDigit = 0, 0
		}
		if len(v.Surveys) > 0 && len(v.Surveys[0].Volts) != c.Series {
			return kernel.Bad("series", "expected as many as voltages were read: %d", len(v.Surveys[0].Volts))
		}
		if _, err := c.Owned(v.Bank.Strings); err != nil {
			return kernel.Bad("owners", "%v", err)
		}
		if text := c.Contradicts(max(v.Before, v.Cells.ReadV)); text != "" {
			return kernel.Bad("series", "%s", text)
		}
		b := v.Bank
		if c.Known() || len(c.May) > 0 {
			b.NominalVolts, b.FullVolts = c.Volts(max(b.NominalVolts, v.Cells.ReadV))
		}
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", id, version).Updates(map[string]any{
			"cells": store.JSONOf(c), "opened": store.JSONOf(b), "version": version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &kernel.Conflict{What: v.Standing.Name, Version: v.Standing.Version, Saved: map[string]string{}}
		}
		if err := s.Log(tx, "service", kernel.About{Bank: id}, "%s: %s", v.Standing.Name, c); err != nil {
			return err
		}
		if read {
			return s.keepStandingSurvey(tx, v.Standing, c, StandingReadings{Part: whole.Read{TotalV: v.Cells.ReadV,
				TotalDigit: v.Cells.ReadDigit},
				Rest:  -1,
				Token: token})
		}
		// What was read before is judged anew by what is known now: all groups, and what was read in part since.
		if len(v.Surveys) > 0 {
			if err := s.judgeAnew(tx, v.Standing, c, v.Surveys[0], token); err != nil {
				return err
			}
		}
		if last, read := v.Newest(); read && len(last.Volts) == 0 {
			return s.judgeAnew(tx, v.Standing, c, last, token+"-part")
		}
		return nil
	})
}

// judgeAnew judges an earlier reading of a bank once more.
func (s *Room) judgeAnew(tx *gorm.DB, row store.Bank, c standing.Cells, was SurveyOfBank, token string) error {
	return s.keepStandingSurvey(tx, row, c, StandingReadings{Volts: was.Volts, Part: was.Part,
		Instrument: strings.TrimSuffix(was.Instrument, judgedAnew) + judgedAnew, anew: true,
		Accuracy: was.AccuracyVolts, Rest: was.RestMinutes, TempC: was.TempC, Token: token})
}
