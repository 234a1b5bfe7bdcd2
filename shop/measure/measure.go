package measure

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// ProbesInput is readings typed or pasted for a module.
type ProbesInput struct {
	Number     string
	Readings   []layout.Reading
	Instrument string
	Source     string
	Token      string
}

// TryMap maps readings for a module of a type without saving anything.
func TryMap(t store.ModuleType, readings []layout.Reading) (layout.Map, error) {
	return record.SolveFor(t, readings)
}

// RecordProbes keeps the readings as they were taken and returns their set with the map.
func (s *Room) RecordProbes(ctx context.Context, in ProbesInput) (setID int64, m layout.Map, err error) {
	// Mapping may take long: it is done before the transaction, for the type as it is now.
	_, before, err := s.ModuleWithType(ctx, in.Number)
	if err != nil {
		return 0, m, err
	}
	m, solveErr := record.SolveFor(before, in.Readings)
	err = s.Action(ctx, in.Token, "probes", func(tx *gorm.DB) error {
		mod, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		t, err := kernel.TypeByID(tx, mod.TypeID)
		if err != nil {
			return err
		}
		if err := s.Record.May(tx, mod, t, passage.Measure); err != nil {
			return err
		}
		if t.ID != before.ID || t.Version != before.Version { // somebody changed it meanwhile
			m, solveErr = record.SolveFor(t, in.Readings)
		}
		if solveErr != nil {
			var u *layout.UnusableError
			if errors.As(solveErr, &u) {
				return kernel.Bad("readings", "%v", solveErr)
			}
			return solveErr
		}
		set := store.ProbeSet{ModuleID: mod.ID, TakenBy: kernel.Who(ctx), TakenAt: s.Now(),
			Instrument: in.Instrument, Source: in.Source, Token: in.Token}
		if err := tx.Create(&set).Error; err != nil {
			return err
		}
		setID = set.ID
		rows := make([]store.ProbeReading, len(in.Readings))
		for i, r := range in.Readings {
			rows[i] = store.ProbeReading{SetID: set.ID, Line: i + 1, Red: r.Red, Black: r.Black, Volts: r.Volts,
				LastDigit: r.LastDigit, AccuracyVolts: r.AccuracyVolts}
		}
		if err := tx.CreateInBatches(&rows, 200).Error; err != nil {
			return err
		}
		return s.Log(tx, "map", kernel.About{Module: mod.ID, Typ: t.ID}, "%s taken: %d "+
			"groups in series, complete: %v", numeral.Count(len(rows), "reading"), m.Series, kernel.Yes(m.Complete))
	})
	return setID, m, err
}

// Probes returns a set's readings in the order they were taken.
func (s *Room) Probes(ctx context.Context, setID int64) (store.ProbeSet, []layout.Reading, error) {
	db := s.Store.DB.WithContext(ctx)
	set, err := kernel.ByID[store.ProbeSet](db, setID, "set of readings")
	if err != nil {
		return set, nil, err
	}
	out, err := record.ProbeReadings(db, setID)
	return set, out, err
}

// AcceptLayout makes the map of a set the layout of its module's type, and sends the type's modules that wait for a map
// on to the survey; with own it becomes the layout of that module alone. An incomplete map is refused.
func (s *Room) AcceptLayout(ctx context.Context, setID int64, own bool, token string) (store.ModuleType, error) {
	set, readings, err := s.Probes(ctx, setID)
	if err != nil {
		return store.ModuleType{}, err
	}
	var t store.ModuleType
	err = s.Action(ctx, token, "layout", func(tx *gorm.DB) error {
		mod, err := kernel.ByID[store.Module](tx, set.ModuleID, "module")
		if err != nil {
			return err
		}
		if t, err = kernel.TypeByID(tx, mod.TypeID); err != nil {
			return err
		}
		m, err := record.SolveFor(t, readings)
		if err != nil {
			return err
		}
		if own {
			return s.acceptOwn(tx, mod, t, m, set)
		}
		if !m.Complete {
			return kernel.Stopped(m.Findings)
		}
		row := store.Layout{TypeID: t.ID, SetID: &setID, Map: store.JSONOf(m), RulesVersion: kernel.RulesVersion,
			AcceptedBy: kernel.Who(ctx), AcceptedAt: s.Now()}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		t.LayoutID = &row.ID
		if err := tx.Model(&store.ModuleType{}).Where("id = ?", t.ID).Updates(map[string]any{"layout_id": row.ID,
			"rated_ah": record.Rated(t, m.Series), "version": gorm.Expr("version + 1")}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("type_id = ? AND station = ? AND quarantined = 0", t.ID,
			station.Map).Updates(map[string]any{"station": station.Survey,
			"station_since": s.Now()}).Error; err != nil {
			return err
		}
		return s.Log(tx, "layout", kernel.About{Typ: t.ID, Module: mod.ID},
			"Layout of %s accepted: %s in series, from the readings of %s", t.Name, numeral.Count(m.Series, "group"),
			mod.Number)
	})
	return t, err
}

// acceptOwn keeps a map as the layout of one module alone.
func (s *Room) acceptOwn(tx *gorm.DB, mod store.Module, t store.ModuleType, m layout.Map, set store.ProbeSet) error {
	if !m.MayBeOwn() {
		return kernel.Stopped(m.Findings)
	}
	row := store.Layout{TypeID: t.ID, SetID: &set.ID, Map: store.JSONOf(m), RulesVersion: kernel.RulesVersion,
		AcceptedBy: kernel.Acts(tx), AcceptedAt: s.Now()}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", mod.ID).Update("layout_id", row.ID).Error; err != nil {
		return err
	}
	mod.LayoutID = &row.ID
	if mod.Station == station.Map {
		if err := s.MoveTo(tx, &mod, station.Survey); err != nil {
			return err
		}
	}
	return s.Log(tx, "layout", kernel.About{Typ: t.ID, Module: mod.ID},
		"A layout of its own accepted for %s: %s in series", mod.Number, numeral.Count(m.Series, "group"))
}

// SurveyInput is one sitting with one module. RestMinutes is negative where not known.
type SurveyInput struct {
	Number        string
	Readings      []record.TypedVolts
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	Beside        []float64 // of other modules of the same sitting
	PictureID     int64     // of the instrument's screen it was typed from, 0 for none
	TakenAt       time.Time // zero for now; an instrument's file may tell of an earlier sitting
	Token         string
}

// Together makes surveys of one sitting each other's siblings: those with as many groups.
func Together(in []SurveyInput) {
	for i := range in {
		in[i].Beside = nil
		for k := range in {
			if i == k || len(in[k].Readings) != len(in[i].Readings) {
				continue
			}
			for _, r := range in[k].Readings {
				in[i].Beside = append(in[i].Beside, r.Volts)
			}
		}
	}
}

// RecordSurvey keeps a survey, judges it, and moves the module on where nothing stands against it.
func (s *Room) RecordSurvey(ctx context.Context, in SurveyInput) (id int64, r survey.Result, err error) {
	err = s.Action(ctx, in.Token, "survey", func(tx *gorm.DB) error {
		var err error
		id, r, err = s.recordSurvey(tx, in)
		return err
	})
	return id, r, err
}

// recordSurvey is RecordSurvey inside a transaction.
func (s *Room) recordSurvey(tx *gorm.DB, in SurveyInput) (id int64, r survey.Result, err error) {
	m, err := kernel.ModuleByNumber(tx, in.Number)
	if err != nil {
		return 0, r, err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return 0, r, err
	}
	if err := s.Record.May(tx, m, t, passage.Measure); err != nil {
		return 0, r, err
	}
	for _, v := range in.Readings {
		if v.Span > 1 && len(strings.Fields(v.Reason)) < 1 {
			return 0, r, kernel.Bad(fmt.Sprintf("g%d", v.Group), "groups %d to %d together: expected the reason, "+
				"such as 'tap broken'", v.Group, v.Group+v.Span-1)
		}
	}
	if err := s.dated(tx, m, &in); err != nil {
		return 0, r, err
	}
	if same, err := s.savedJustNow(tx, m.ID, in); err != nil {
		return 0, r, err
	} else if same {
		return 0, r, &kernel.Again{}
	}
	lay, ok, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return 0, r, err
	}
	if !ok {
		return 0, r, kernel.Bad("", "%s has no layout yet: map one module of this type first", t.Name)
	}
	if r, err = s.judgeSurvey(tx, m, t, lay.Series, in); err != nil {
		var u *survey.UnusableError
		if errors.As(err, &u) {
			return 0, r, kernel.Bad(fmt.Sprintf("g%d", u.Group), "%v", err)
		}
		return 0, r, err
	}
	id, err = s.keep(tx, m, in, r)
	if err != nil {
		return 0, r, err
	}
	return id, r, s.settle(tx, m, in, r)
}

// dated gives a sitting its time: now, or when it was. The same file twice must not count twice.
func (s *Room) dated(tx *gorm.DB, m store.Module, in *SurveyInput) error {
	told := !in.TakenAt.IsZero()
	if !told {
		in.TakenAt = s.Now()
	}
	in.TakenAt = in.TakenAt.UTC().Truncate(time.Second)
	if in.TakenAt.After(s.Now().Add(time.Minute)) {
		return kernel.Bad("taken_at", "taken on %s: expected a time that has passed",
			s.Here(in.TakenAt).Format("2006-01-02 15:04"))
	}
	if !told {
		return nil
	}
	_, same, err := kernel.Find[store.Survey](record.Counting(tx,
		"surveys").Where("module_id = ? AND taken_at = ?", m.ID, in.TakenAt))
	if err == nil && same {
		err = kernel.Bad("taken_at", "a survey of %s at that time is on record already", m.Number)
	}
	return err
}

// keep writes a sitting down as it was taken, with what the rules make of it.
func (s *Room) keep(tx *gorm.DB, m store.Module, in SurveyInput, r survey.Result) (id int64, err error) {
	row := store.Survey{ModuleID: m.ID, TakenBy: kernel.Acts(tx), TakenAt: in.TakenAt,
		Instrument: in.Instrument, AccuracyVolts: in.AccuracyVolts, RestMinutes: in.RestMinutes, TempC: in.TempC,
		PictureID: kernel.Ref(in.PictureID), Token: in.Token}
	if err := s.Record.OwnPicture(tx, m.ID, in.PictureID); err != nil {
		return 0, err
	}
	if err := tx.Create(&row).Error; err != nil {
		return 0, err
	}
	var rows []store.SurveyReading
	for _, v := range in.Readings {
		rows = append(rows, store.SurveyReading{SurveyID: row.ID, GroupNo: v.Group, Volts: v.Volts,
			AsTyped: v.AsTyped, Span: max(1, v.Span), Reason: strings.TrimSpace(v.Reason)})
	}
	if err := tx.Create(&rows).Error; err != nil {
		return 0, err
	}
	if err := tx.Create(&store.SurveyResult{SurveyID: row.ID, RulesVersion: kernel.RulesVersion, Verdict: r.Verdict,
		Result: store.JSONOf(r)}).Error; err != nil {
		return 0, err
	}
	return row.ID, s.Log(tx, "survey", kernel.About{Module: m.ID}, "Surveyed%s: %s, spread %.0f mV",
		record.Earlier(s.Here(in.TakenAt), s.Now()), r.Verdict, r.SpreadMV)
}

// settle moves the module on, or back, by what a sitting says.
func (s *Room) settle(tx *gorm.DB, m store.Module, in SurveyInput, r survey.Result) error {
	// A sitting that lies before another one tells of the past: only what can never be taken back, a
	// group below never-recharge, still changes where the module stands.
	var later int64
	if err := record.Counting(tx, "surveys").Where("module_id = ? AND taken_at > ?", m.ID,
		in.TakenAt).Count(&later).Error; err != nil {
		return err
	}
	if later > 0 && r.Verdict != survey.Quarantine {
		return nil
	}
	if later == 0 {
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("verdict", r.Verdict).Error; err != nil {
			return err
		}
	}
	return s.AfterSurvey(tx, m, r)
}

// sameSitting is how far apart two saves of the same voltages by the same person count as one survey that
// two tabs held.
const sameSitting = 15 * time.Minute

// savedJustNow reports whether this very survey was saved a moment ago, from another tab.
func (s *Room) savedJustNow(tx *gorm.DB, moduleID int64, in SurveyInput) (bool, error) {
	last, ok, err := kernel.Find[store.Survey](record.Counting(tx, "surveys").Where("module_id = ? AND taken_by = ? "+
		"AND instrument = ?", moduleID, kernel.Acts(tx), in.Instrument).Order("id DESC"))
	if err != nil || !ok || last.TakenAt.Sub(in.TakenAt).Abs() > sameSitting ||
		s.Now().Sub(last.TakenAt).Abs() > sameSitting {
		return false, err
	}
	if was, err := record.ResultOf(tx, last.ID); err != nil || was.Verdict == survey.Reread {
		return false, err // the second reading that it asks for may well say the same
	}
	var rows []store.SurveyReading
	if err := tx.Where("survey_id = ?", last.ID).Order("group_no").Find(&rows).Error; err != nil ||
		len(rows) != len(in.Readings) {
		return false, err
	}
	for i, v := range in.Readings {
		if rows[i].GroupNo != v.Group || rows[i].Volts != v.Volts || rows[i].AsTyped != v.AsTyped {
			return false, nil
		}
	}
	// The monitor may read the same twice: only what was typed is one survey.
	return in.Instrument != MonitorInstrument, nil
}

// judgeSurvey asks the core, with what is on record: an earlier reading below never-recharge
// confirms a new one, and short modules are compared with their kind.
func (s *Room) judgeSurvey(tx *gorm.DB, m store.Module, t store.ModuleType, series int,
	in SurveyInput) (survey.Result, error) {
	c := survey.Module{Name: m.Number, Chemistry: t.Chemistry, RatedAh: t.RatedAh, Series: series,
		RestMinutes: in.RestMinutes, AccuracyVolts: in.AccuracyVolts}
	var err error
	if c.Curve, err = record.CurveOf(t); err != nil {
		return survey.Result{}, err
	}
	at := in.TakenAt
	if at.IsZero() {
		at = s.Now()
	}
	last, err := record.VoltsUpTo(tx, m.ID, at)
	if err != nil {
		return survey.Result{}, err
	}
	for _, v := range in.Readings {
		before, ok := last[v.Group]
		c.Readings = append(c.Readings, survey.Reading{Group: v.Group, Volts: v.Volts, TempC: in.TempC, Span: v.Span,
			LastDigit: lastDigit(v.AsTyped), Confirmed: ok && survey.Confirms(c.Chemistry, before, v.Volts),
			Repeated: ok && survey.Alike(before, v.Volts)})
	}
	if c.Lot = in.Beside; survey.WantsLot(series, s.Policy.Survey) && len(c.Lot) <= s.Policy.Survey.MinSiblings {
		// Newest first and no further than needed: the joins are walked in this order, not planned.
		err := tx.Raw(`SELECT r.volts FROM counting_surveys v CROSS JOIN modules m ON m.id = v.module_id
			CROSS JOIN survey_readings r ON r.survey_id = v.id
			WHERE m.type_id = ? AND m.id <> ? AND v.taken_at BETWEEN ? AND ? ORDER BY v.id DESC LIMIT 400`,
			t.ID, m.ID, at.Add(-7*24*time.Hour), at.Add(7*24*time.Hour)).Scan(&c.Lot).Error
		if err != nil {
			return survey.Result{}, err
		}
	}
	r, err := survey.JudgeGroups(c, s.Policy.Survey)
	if err != nil || r.Series < series {
		return r, err
	}
	return s.drift(tx, r, c, m.ID, at)
}

// lastDigit is the weight of the last digit of a reading as it was typed, 0 where that is no number.
func lastDigit(typed string) float64 {
	n, err := numeral.Parse(typed)
	if err != nil {
		return 0
	}
	return n.LastDigit
}

// drift compares a survey with the oldest and with the newest earlier one that can tell, and keeps the worse
// judgement: a leak that began lately hides in a long time, a slow one in a short.
func (s *Room) drift(tx *gorm.DB, r survey.Result, c survey.Module, moduleID int64, at time.Time) (survey.Result,
	error) {
	rows, err := s.comparable(tx, moduleID, at)
	if err != nil || len(rows) == 0 {
		return r, err
	}
	out := r
	for i, row := range rows {
		earlier, err := s.JudgedAgain(tx, c, row)
		if err != nil {
			return r, err
		}
		x := r
		x.Groups, x.Findings = slices.Clone(r.Groups), slices.Clone(r.Findings)
		survey.Drift(&x, earlier, c, at.Sub(row.TakenAt).Hours()/24, s.Policy.Survey)
		if i == 0 || survey.Worse(out.Verdict, x.Verdict) != out.Verdict {
			out = x
		}
	}
	return out, nil
}

// comparable returns the oldest and the newest survey whose offsets may be compared with one taken at a
// time: at rest, half a day or more before it, and after the last test, since a test charges groups.
func (s *Room) comparable(db *gorm.DB, moduleID int64, at time.Time) ([]store.Survey, error) {
	var rows []store.Survey
	err := db.Raw(`SELECT v.* FROM counting_surveys v JOIN survey_results r ON r.survey_id = v.id WHERE
		v.module_id = ? AND
		v.taken_at <= ? AND r.verdict NOT IN ?
		AND (v.rest_minutes < 0 OR v.rest_minutes >= ?)
		AND v.taken_at > coalesce((SELECT max(at) FROM charge_moved WHERE module_id = ? AND at < ?), '')
		ORDER BY v.taken_at,
			v.id`, moduleID, at.Add(-12*time.Hour), survey.Void, chem.FullRestMinutes, moduleID, at).Scan(&rows).Error
	if err != nil || len(rows) < 2 {
		return rows, err
	}
	return []store.Survey{rows[0], rows[len(rows)-1]}, nil
}

// JudgedAgain judges the readings of an earlier survey as now's are: the rest curve may have been replaced in
// between, and offsets by two curves would show a drift that is none.
func (s *Room) JudgedAgain(db *gorm.DB, now survey.Module, row store.Survey) (survey.Result, error) {
	var readings []store.SurveyReading
	if err := db.Where("survey_id = ?", row.ID).Order("group_no").Find(&readings).Error; err != nil {
		return survey.Result{}, err
	}
	then := now
	then.RestMinutes, then.AccuracyVolts, then.Readings, then.Series = row.RestMinutes, row.AccuracyVolts, nil, 0
	for _, x := range readings {
		then.Readings = append(then.Readings, survey.Reading{Group: x.GroupNo, Volts: x.Volts, TempC: row.TempC,
			LastDigit: lastDigit(x.AsTyped), Span: x.Span})
	}
	return survey.JudgeGroups(then, s.Policy.Survey)
}

// AfterSurvey does what follows from a verdict: a module that is never charged again leaves the path, one that may be
// tested goes on to it.
func (s *Room) AfterSurvey(tx *gorm.DB, m store.Module, r survey.Result) error {
	switch r.Verdict {
	case survey.Quarantine:
		if r.NeverRecharge {
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("ever_below_never",
				true).Error; err != nil {
				return err
			}
		}
		return s.Quarantine(tx, &m, r.Findings[0].Text)
	case survey.Leaking: // nothing is gained by testing it
		if m.Station == station.Survey || m.Station == station.Test {
			return s.MoveTo(tx, &m, station.Grade)
		}
		return nil
	case survey.Reread, survey.Over, survey.Unknown:
		return nil // it stays until the reading, the group or the chemistry is settled
	}
	if m.Station == station.Survey {
		return s.MoveTo(tx, &m, station.Test)
	}
	return nil
}

// ModuleOfSet returns the module that a set of readings was taken on, and its type.
func (s *Room) ModuleOfSet(ctx context.Context, set store.ProbeSet) (m store.Module, t store.ModuleType, err error) {
	db := s.Store.DB.WithContext(ctx)
	if m, err = kernel.ByID[store.Module](db, set.ModuleID, "module"); err != nil {
		return m, t, err
	}
	t, err = kernel.TypeByID(db, m.TypeID)
	return m, t, err
}

// TrySurvey judges the groups typed so far without saving anything; ok is false while fewer than
// the first groups are there without a hole.
func (s *Room) TrySurvey(ctx context.Context, m store.Module, t store.ModuleType, series int,
	in SurveyInput) (r survey.Result, ok bool) {
	n := 0
	for i := 0; i < len(in.Readings) && in.Readings[i].Group == n+1; i++ {
		n += max(1, in.Readings[i].Span)
	}
	last := len(in.Readings) - 1
	if n == 0 || in.Readings[last].Group+max(1, in.Readings[last].Span)-1 != n {
		return r, false
	}
	if n < series {
		series = n
	}
	r, err := s.judgeSurvey(s.Store.DB.WithContext(ctx), m, t, series, in)
	return r, err == nil
}
