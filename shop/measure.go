package shop

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/grade"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/trace"
	"pandrel/store"
)

// roles returns what the type declares of its points. A post whose name ends in a sign is declared
// main negative or main positive, as the label on the case says. Where the points were listed in their
// physical order, that is declared too.
func roles(t store.ModuleType) (out []layout.Role) {
	order := map[string]int{}
	if t.PointsInOrder {
		for i, p := range allPoints(t) {
			order[p] = i + 1
		}
	}
	defer func() {
		for i := range out {
			out[i].Order = order[out[i].Point]
		}
	}()
	for _, p := range strings.Fields(t.Posts) {
		role := layout.RolePost
		switch {
		case strings.HasSuffix(p, "+"):
			role = layout.RoleMainPositive
		case strings.HasSuffix(p, "-"), strings.HasSuffix(p, "−"):
			role = layout.RoleMainNegative
		}
		out = append(out, layout.Role{Point: p, Role: role})
	}
	for _, p := range strings.Fields(t.Pins) {
		out = append(out, layout.Role{Point: p, Role: layout.RolePin})
	}
	return out
}

// pointsInOrder returns the type's posts, a marked negative first, and its pins as they lie.
func pointsInOrder(t store.ModuleType) (posts, pins []string) {
	posts, pins = strings.Fields(t.Posts), strings.Fields(t.Pins)
	for i, p := range posts {
		if strings.HasSuffix(p, "-") || strings.HasSuffix(p, "−") {
			posts[0], posts[i] = posts[i], posts[0]
			break
		}
	}
	return posts, pins
}

// allPoints lists a type's points in the order in which they lie: the marked negative post, the pins, the
// other posts.
func allPoints(t store.ModuleType) []string {
	posts, pins := pointsInOrder(t)
	if len(posts) == 0 {
		return pins
	}
	return append(append(posts[:1:1], pins...), posts[1:]...)
}

// ProbesInput is readings typed or pasted for a module.
type ProbesInput struct {
	Number     string
	Readings   []layout.Reading
	Instrument string
	Source     string
	By         string
	Token      string
}

// TryMap maps readings for a module without saving anything.
func (s *Shop) TryMap(ctx context.Context, number string, readings []layout.Reading) (layout.Map, error) {
	m, err := s.Module(ctx, number)
	if err != nil {
		return layout.Map{}, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return layout.Map{}, err
	}
	return solveFor(t, readings)
}

func solveFor(t store.ModuleType, readings []layout.Reading) (layout.Map, error) {
	return layout.Solve(readings, mapOptions(t))
}

// mapOptions is what a type says to the map of one of its modules.
func mapOptions(t store.ModuleType) layout.Options {
	return layout.Options{Chemistry: chem.ID(t.Chemistry), Roles: roles(t), Points: allPoints(t), PlateSeries: t.PlateSeries, PlateVolts: t.PlateVolts}
}

// RecordProbes keeps the readings as they were taken and returns their set with the map.
func (s *Shop) RecordProbes(ctx context.Context, in ProbesInput) (setID int64, m layout.Map, err error) {
	err = s.action(ctx, in.Token, "probes", func(tx *gorm.DB) error {
		mod, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		t, err := typeByID(tx, mod.TypeID)
		if err != nil {
			return err
		}
		if err := s.may(tx, mod, t, passage.Measure); err != nil {
			return err
		}
		if m, err = solveFor(t, in.Readings); err != nil {
			var u *layout.UnusableError
			if errors.As(err, &u) {
				return Bad("readings", "%v", err)
			}
			return err
		}
		set := store.ProbeSet{ModuleID: mod.ID, TakenBy: initials(in.By), TakenAt: s.now(), Instrument: in.Instrument, Source: in.Source, Token: in.Token}
		if err := tx.Create(&set).Error; err != nil {
			return err
		}
		setID = set.ID
		rows := make([]store.ProbeReading, len(in.Readings))
		for i, r := range in.Readings {
			rows[i] = store.ProbeReading{SetID: set.ID, Line: i + 1, Red: r.Red, Black: r.Black, Volts: r.Volts, LastDigit: r.LastDigit, AccuracyVolts: r.AccuracyVolts}
		}
		if err := tx.CreateInBatches(&rows, 200).Error; err != nil {
			return err
		}
		if err := s.log(tx, set.TakenBy, "map", about{module: mod.ID, typ: t.ID}, "%d readings taken: %d groups in series, complete: %v", len(rows), m.Series, yes(m.Complete)); err != nil {
			return err
		}
		return s.rehold(tx, mod.ID)
	})
	return setID, m, err
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// Probes returns a set's readings in the order they were taken.
func (s *Shop) Probes(ctx context.Context, setID int64) (store.ProbeSet, []layout.Reading, error) {
	var set store.ProbeSet
	db := s.st.DB.WithContext(ctx)
	if err := db.Where("id = ?", setID).Take(&set).Error; err != nil {
		return set, nil, orMissing(err, &NotFound{fmt.Sprintf("set of readings %d", setID)})
	}
	out, err := probeReadings(db, setID)
	return set, out, err
}

// AcceptLayout makes the map of a set the layout of its module's type, and sends the type's modules
// that wait for a map on to the survey; with own it becomes the layout of that module alone. An incomplete
// map is refused.
func (s *Shop) AcceptLayout(ctx context.Context, setID int64, own bool, by, token string) (store.ModuleType, error) {
	set, readings, err := s.Probes(ctx, setID)
	if err != nil {
		return store.ModuleType{}, err
	}
	var t store.ModuleType
	err = s.action(ctx, token, "layout", func(tx *gorm.DB) error {
		var mod store.Module
		if err := tx.Where("id = ?", set.ModuleID).Take(&mod).Error; err != nil {
			return err
		}
		if t, err = typeByID(tx, mod.TypeID); err != nil {
			return err
		}
		m, err := solveFor(t, readings)
		if err != nil {
			return err
		}
		if own {
			return s.acceptOwn(tx, mod, t, m, set, initials(by))
		}
		if !m.Complete {
			return &Blocked{m.Findings}
		}
		row := store.Layout{TypeID: t.ID, SetID: setID, Map: toJSON(m), RulesVersion: RulesVersion, AcceptedBy: initials(by), AcceptedAt: s.now()}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		t.LayoutID = &row.ID
		if err := tx.Model(&store.ModuleType{}).Where("id = ?", t.ID).Updates(map[string]any{"layout_id": row.ID, "version": gorm.Expr("version + 1")}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("type_id = ? AND station = ? AND quarantined = 0", t.ID, Map).Updates(map[string]any{"station": Survey, "station_since": s.now()}).Error; err != nil {
			return err
		}
		return s.log(tx, row.AcceptedBy, "layout", about{typ: t.ID, module: mod.ID}, "Layout of %s accepted: %d groups in series, from the readings of %s", t.Name, m.Series, mod.Number)
	})
	return t, err
}

// ownMay are the findings with which a module may have a layout of its own: they say how it differs from its
// label or its type, which is what its own layout is for.
var ownMay = map[string]bool{"main-post-not-at-end": true}

// acceptOwn keeps a map as the layout of one module alone.
func (s *Shop) acceptOwn(tx *gorm.DB, mod store.Module, t store.ModuleType, m layout.Map, set store.ProbeSet, by string) error {
	for _, f := range m.Findings {
		if f.Level >= finding.Stop && !ownMay[f.Code] {
			return &Blocked{m.Findings}
		}
	}
	if m.Series < 1 || len(m.Separate) > 0 || m.NextReading != nil && m.Redundancy == 0 {
		return &Blocked{m.Findings}
	}
	row := store.Layout{TypeID: t.ID, SetID: set.ID, Map: toJSON(m), RulesVersion: RulesVersion, AcceptedBy: by, AcceptedAt: s.now()}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", mod.ID).Update("layout_id", row.ID).Error; err != nil {
		return err
	}
	mod.LayoutID = &row.ID
	if mod.Station == Map {
		if err := s.moveTo(tx, &mod, Survey); err != nil {
			return err
		}
	}
	if err := s.log(tx, by, "layout", about{typ: t.ID, module: mod.ID}, "A layout of its own accepted for %s: %d groups in series", mod.Number, m.Series); err != nil {
		return err
	}
	return s.rehold(tx, mod.ID)
}

// LayoutFor returns the layout of one module: its own, or its type's.
func (s *Shop) LayoutFor(ctx context.Context, m store.Module, t store.ModuleType) (layout.Map, bool, error) {
	return layoutFor(s.st.DB.WithContext(ctx), m, t)
}

func layoutFor(db *gorm.DB, m store.Module, t store.ModuleType) (layout.Map, bool, error) {
	if m.LayoutID != nil {
		t.LayoutID = m.LayoutID
	}
	return layoutOf(db, t)
}

// LayoutOf returns the accepted layout of a type; ok is false where there is none.
func (s *Shop) LayoutOf(ctx context.Context, t store.ModuleType) (m layout.Map, ok bool, err error) {
	return layoutOf(s.st.DB.WithContext(ctx), t)
}

func layoutOf(db *gorm.DB, t store.ModuleType) (m layout.Map, ok bool, err error) {
	if t.LayoutID == nil {
		return m, false, nil
	}
	var row store.Layout
	if err := db.Where("id = ?", *t.LayoutID).Take(&row).Error; err != nil {
		return m, false, err
	}
	m, err = fromJSON[layout.Map](row.Map)
	return m, err == nil, err
}

// TypedVolts is a group's voltage and what was typed for it.
//
// Span above 1 says that so many groups from Group on were read together, for Reason.
type TypedVolts struct {
	Group   int
	Volts   float64
	AsTyped string
	Span    int
	Reason  string
}

// SurveyInput is one sitting with one module. RestMinutes is negative where not known.
type SurveyInput struct {
	Number        string
	Readings      []TypedVolts
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	PictureID     int64     // of the instrument's screen it was typed from, 0 for none
	TakenAt       time.Time // zero for now; an instrument's file may tell of an earlier sitting
	By            string
	Token         string
}

// RecordSurvey keeps a survey, judges it, and moves the module on where nothing stands against it.
func (s *Shop) RecordSurvey(ctx context.Context, in SurveyInput) (id int64, r survey.Result, err error) {
	err = s.action(ctx, in.Token, "survey", func(tx *gorm.DB) error {
		var err error
		id, r, err = s.recordSurvey(tx, in)
		return err
	})
	return id, r, err
}

// recordSurvey is RecordSurvey inside a transaction.
func (s *Shop) recordSurvey(tx *gorm.DB, in SurveyInput) (id int64, r survey.Result, err error) {
	m, err := moduleByNumber(tx, in.Number)
	if err != nil {
		return 0, r, err
	}
	t, err := typeByID(tx, m.TypeID)
	if err != nil {
		return 0, r, err
	}
	if err := s.may(tx, m, t, passage.Measure); err != nil {
		return 0, r, err
	}
	for _, v := range in.Readings {
		if v.Span > 1 && len(strings.Fields(v.Reason)) < 1 {
			return 0, r, Bad(fmt.Sprintf("g%d", v.Group), "groups %d to %d together: expected the reason, such as 'tap broken'", v.Group, v.Group+v.Span-1)
		}
	}
	told := !in.TakenAt.IsZero()
	if !told {
		in.TakenAt = s.now()
	}
	in.TakenAt = in.TakenAt.UTC().Truncate(time.Second)
	if in.TakenAt.After(s.now().Add(time.Minute)) {
		return 0, r, Bad("taken_at", "taken on %s: expected a time that has passed", in.TakenAt.Format("2006-01-02 15:04"))
	}
	if told { // the same file twice must not count twice
		var same int64
		if err := tx.Model(&store.Survey{}).Where("module_id = ? AND taken_at = ?", m.ID, in.TakenAt).Count(&same).Error; err != nil {
			return 0, r, err
		}
		if same > 0 {
			return 0, r, Bad("taken_at", "a survey of %s at that time is on record already", m.Number)
		}
	}
	if same, err := s.savedJustNow(tx, m.ID, in); err != nil {
		return 0, r, err
	} else if same {
		return 0, r, &Again{}
	}
	lay, ok, err := layoutFor(tx, m, t)
	if err != nil {
		return 0, r, err
	}
	if !ok {
		return 0, r, Bad("", "%s has no layout yet: map one module of this type first", t.Name)
	}
	if r, err = s.judgeSurvey(tx, m, t, lay.Series, in); err != nil {
		var u *survey.UnusableError
		if errors.As(err, &u) {
			return 0, r, Bad(fmt.Sprintf("g%d", u.Group), "%v", err)
		}
		return 0, r, err
	}
	row := store.Survey{ModuleID: m.ID, TakenBy: initials(in.By), TakenAt: in.TakenAt, Instrument: in.Instrument, AccuracyVolts: in.AccuracyVolts, RestMinutes: in.RestMinutes, TempC: in.TempC, PictureID: ref(in.PictureID), Token: in.Token}
	if err := s.ownPicture(tx, m.ID, in.PictureID); err != nil {
		return 0, r, err
	}
	if err := tx.Create(&row).Error; err != nil {
		return 0, r, err
	}
	id = row.ID
	var rows []store.SurveyReading
	for _, v := range in.Readings {
		rows = append(rows, store.SurveyReading{SurveyID: row.ID, GroupNo: v.Group, Volts: v.Volts, AsTyped: v.AsTyped, Span: max(1, v.Span), Reason: strings.TrimSpace(v.Reason)})
	}
	if err := tx.Create(&rows).Error; err != nil {
		return 0, r, err
	}
	if err := tx.Create(&store.SurveyResult{SurveyID: row.ID, RulesVersion: RulesVersion, Verdict: string(r.Verdict), Result: toJSON(r)}).Error; err != nil {
		return 0, r, err
	}
	if err := s.log(tx, row.TakenBy, "survey", about{module: m.ID}, "Surveyed%s: %s, spread %.0f mV", earlier(in.TakenAt, s.now()), r.Verdict, r.SpreadMV); err != nil {
		return 0, r, err
	}
	// A sitting that lies before another one tells of the past: only what can never be taken back, a
	// group below never-recharge, still changes where the module stands.
	var later int64
	if err := tx.Model(&store.Survey{}).Where("module_id = ? AND taken_at > ?", m.ID, in.TakenAt).Count(&later).Error; err != nil {
		return 0, r, err
	}
	if later > 0 && r.Verdict != survey.Quarantine {
		return id, r, s.rehold(tx, m.ID)
	}
	if later == 0 {
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("verdict", string(r.Verdict)).Error; err != nil {
			return 0, r, err
		}
	}
	if err := s.afterSurvey(tx, m, row.TakenBy, r); err != nil {
		return 0, r, err
	}
	return id, r, s.rehold(tx, m.ID)
}

// sameSitting is how far apart two saves of the same voltages by the same person count as one survey that
// two tabs held.
const sameSitting = 15 * time.Minute

// savedJustNow reports whether this very survey was saved a moment ago, from another tab.
func (s *Shop) savedJustNow(tx *gorm.DB, moduleID int64, in SurveyInput) (bool, error) {
	last, ok, err := find[store.Survey](tx.Where("module_id = ? AND taken_by = ? AND instrument = ?", moduleID, initials(in.By), in.Instrument).Order("id DESC"))
	if err != nil || !ok || last.TakenAt.Sub(in.TakenAt).Abs() > sameSitting || s.now().Sub(last.TakenAt).Abs() > sameSitting {
		return false, err
	}
	if was, err := resultOf(tx, last.ID); err != nil || was.Verdict == survey.Reread {
		return false, err // the second reading that it asks for may well say the same
	}
	var rows []store.SurveyReading
	if err := tx.Where("survey_id = ?", last.ID).Order("group_no").Find(&rows).Error; err != nil || len(rows) != len(in.Readings) {
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

// earlier says for the log when a sitting was, where that is not now.
func earlier(at, now time.Time) string {
	if now.Sub(at) < time.Hour {
		return ""
	}
	return " on " + at.Format("2006-01-02 15:04")
}

// judgeSurvey asks the core, with what is on record: an earlier reading below never-recharge
// confirms a new one, and short modules are compared with their kind.
func (s *Shop) judgeSurvey(tx *gorm.DB, m store.Module, t store.ModuleType, series int, in SurveyInput) (survey.Result, error) {
	c := survey.Module{Name: m.Number, Chemistry: chem.ID(t.Chemistry), RatedAh: t.RatedAh, Series: series, RestMinutes: in.RestMinutes, AccuracyVolts: in.AccuracyVolts}
	var err error
	if c.Curve, err = curveOf(t); err != nil {
		return survey.Result{}, err
	}
	at := in.TakenAt
	if at.IsZero() {
		at = s.now()
	}
	last, err := voltsUpTo(tx, m.ID, at)
	if err != nil {
		return survey.Result{}, err
	}
	for _, v := range in.Readings {
		before, ok := last[v.Group]
		c.Readings = append(c.Readings, survey.Reading{Group: v.Group, Volts: v.Volts, TempC: in.TempC, Span: v.Span, Confirmed: ok && survey.Confirms(c.Chemistry, before, v.Volts)})
	}
	if series-1 < s.Policy.Survey.MinSiblings {
		err := tx.Raw(`SELECT r.volts FROM survey_readings r JOIN surveys v ON v.id = r.survey_id JOIN modules m ON m.id = v.module_id
			WHERE m.type_id = ? AND m.id <> ? AND v.taken_at BETWEEN ? AND ? ORDER BY v.id DESC LIMIT 400`, t.ID, m.ID, at.Add(-7*24*time.Hour), at.Add(7*24*time.Hour)).Scan(&c.Lot).Error
		if err != nil {
			return survey.Result{}, err
		}
	}
	r, err := survey.Judge(c, s.Policy.Survey)
	if err != nil || r.Series < series {
		return r, err
	}
	return s.drift(tx, r, c, m.ID, at)
}

// drift compares a survey with the oldest and with the newest earlier one that can tell, and keeps the worse
// judgement: a leak that began lately hides in a long time, a slow one in a short.
func (s *Shop) drift(tx *gorm.DB, r survey.Result, c survey.Module, moduleID int64, at time.Time) (survey.Result, error) {
	rows, err := s.comparable(tx, moduleID, at)
	if err != nil || len(rows) == 0 {
		return r, err
	}
	out := r
	for i, row := range rows {
		earlier, err := s.judgedAgain(tx, c, row)
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
func (s *Shop) comparable(db *gorm.DB, moduleID int64, at time.Time) ([]store.Survey, error) {
	var rows []store.Survey
	err := db.Raw(`SELECT v.* FROM surveys v JOIN survey_results r ON r.survey_id = v.id WHERE v.module_id = ? AND v.taken_at <= ? AND r.verdict NOT IN ('reread', 'quarantine')
		AND (v.rest_minutes < 0 OR v.rest_minutes >= ?)
		AND v.taken_at > coalesce((SELECT max(at) FROM (SELECT max(uploaded_at) AS at FROM traces WHERE module_id = ? AND uploaded_at < ? UNION ALL SELECT max(taken_at) FROM hand_results WHERE module_id = ? AND taken_at < ? AND charge_moved = 1)), '')
		ORDER BY v.taken_at, v.id`, moduleID, at.Add(-12*time.Hour), chem.FullRestMinutes, moduleID, at, moduleID, at).Scan(&rows).Error
	if err != nil || len(rows) < 2 {
		return rows, err
	}
	return []store.Survey{rows[0], rows[len(rows)-1]}, nil
}

// judgedAgain judges the readings of an earlier survey as now's are: the rest curve may have been replaced in
// between, and offsets by two curves would show a drift that is none.
func (s *Shop) judgedAgain(db *gorm.DB, now survey.Module, row store.Survey) (survey.Result, error) {
	var readings []store.SurveyReading
	if err := db.Where("survey_id = ?", row.ID).Order("group_no").Find(&readings).Error; err != nil {
		return survey.Result{}, err
	}
	then := now
	then.RestMinutes, then.AccuracyVolts, then.Readings, then.Series = row.RestMinutes, row.AccuracyVolts, nil, 0
	for _, x := range readings {
		then.Readings = append(then.Readings, survey.Reading{Group: x.GroupNo, Volts: x.Volts, TempC: row.TempC, Span: x.Span})
	}
	return survey.Judge(then, s.Policy.Survey)
}

// lastVolts returns the group voltages of a module's newest survey.
func lastVolts(db *gorm.DB, moduleID int64) (map[int]float64, error) {
	return voltsUpTo(db, moduleID, time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC))
}

// voltsUpTo returns the group voltages of a module's newest survey up to a time.
func voltsUpTo(db *gorm.DB, moduleID int64, at time.Time) (map[int]float64, error) {
	var rows []store.SurveyReading
	err := db.Raw(`SELECT * FROM survey_readings r WHERE survey_id = (SELECT id FROM surveys WHERE module_id = ? AND taken_at <= ? ORDER BY taken_at DESC, id DESC LIMIT 1)
		AND NOT EXISTS (SELECT 1 FROM withdrawals w WHERE w.survey_id = r.survey_id AND w.group_no = r.group_no)`, moduleID, at).Scan(&rows).Error
	out := make(map[int]float64, len(rows))
	for _, r := range rows {
		for k := range max(1, r.Span) {
			out[r.GroupNo+k] = r.Volts / float64(max(1, r.Span))
		}
	}
	return out, err
}

func (s *Shop) afterSurvey(tx *gorm.DB, m store.Module, by string, r survey.Result) error {
	switch r.Verdict {
	case survey.Quarantine:
		never := false
		for _, f := range r.Findings {
			never = never || f.Code == "below-never-recharge"
		}
		if never {
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("ever_below_never", true).Error; err != nil {
				return err
			}
		}
		return s.quarantine(tx, &m, by, r.Findings[0].Text)
	case survey.Leaking: // nothing is gained by testing it
		if m.Station == Survey || m.Station == Test {
			return s.moveTo(tx, &m, Grade)
		}
		return nil
	case survey.Reread, survey.Over, survey.Unknown:
		return nil // it stays until the reading, the group or the chemistry is settled
	}
	if m.Station == Survey {
		return s.moveTo(tx, &m, Test)
	}
	return nil
}

// MaxTraceBytes is the largest log that is taken.
const MaxTraceBytes = 64 << 20

// TraceInput is a log to keep and judge. FloorVolts 0 takes the chemistry's floor.
type TraceInput struct {
	Number      string
	FileName    string
	Data        []byte
	FlipCurrent bool
	FloorVolts  float64
	ReadAs      ReadAs
	KeepHeld    bool // keep the file although its figures cannot be right, without a result
	By          string
	Token       string
}

// ReadAs is what a person says of a log: what its columns hold, the order of its dates, and which group was at
// its floor where the log has no group voltages.
type ReadAs struct {
	Columns      map[int]trace.Assign
	DateOrder    string
	EndedByGroup int
	EndedAtVolts float64
}

// TryTrace reads and judges a log without keeping anything, to be looked at first.
func (s *Shop) TryTrace(ctx context.Context, in TraceInput) (r trace.Result, thin trace.Thin, table trace.Table, err error) {
	m, err := s.Module(ctx, in.Number)
	if err != nil {
		return r, thin, table, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return r, thin, table, err
	}
	lay, ok, err := s.LayoutFor(ctx, m, t)
	if err != nil {
		return r, thin, table, err
	}
	if !ok {
		return r, thin, table, Bad("file", "%s has no layout yet: map one module of this type first, so that the voltage of a group is known", t.Name)
	}
	r, thin, table, err = analyse(t, lay.Series, in)
	if err != nil {
		return r, thin, table, Bad("file", "%s: %v", in.FileName, err)
	}
	return r, thin, table, nil
}

// analyse reads and judges a log for a module type.
func analyse(t store.ModuleType, series int, in TraceInput) (trace.Result, trace.Thin, trace.Table, error) {
	log, err := trace.ParseWith(in.Data, trace.ParseOptions{Columns: in.ReadAs.Columns, DateOrder: in.ReadAs.DateOrder})
	if err != nil {
		return trace.Result{}, trace.Thin{}, trace.Table{}, err
	}
	own, err := curveOf(t)
	if err != nil {
		return trace.Result{}, trace.Thin{}, trace.Table{}, err
	}
	opt := trace.Options{Series: series, Chemistry: chem.ID(t.Chemistry), Curve: own, RatedAh: t.RatedAh, FloorVolts: in.FloorVolts, FlipCurrent: in.FlipCurrent, FullVolts: t.FullVolts, EndedByGroup: in.ReadAs.EndedByGroup, EndedAtVolts: in.ReadAs.EndedAtVolts}
	r, err := trace.Analyse(log, opt)
	if err != nil {
		return trace.Result{}, trace.Thin{}, trace.Table{}, err
	}
	thin := trace.Thinned(log, 700)
	thin.Segments, thin.Gaps = r.Segments, r.Gaps
	thin.FloorV = in.FloorVolts
	if c, err := chem.Lookup(opt.Chemistry); err == nil && in.FloorVolts == 0 {
		thin.FloorV = c.FloorVolts
	}
	return r, thin, log.Table, nil
}

// RecordTrace keeps the original file under its hash and judges it.
func (s *Shop) RecordTrace(ctx context.Context, in TraceInput) (id int64, r trace.Result, err error) {
	if len(in.Data) > MaxTraceBytes {
		return 0, r, Bad("file", "the file has %.0f MiB: expected at most %d MiB", float64(len(in.Data))/(1<<20), MaxTraceBytes>>20)
	}
	m, err := s.Module(ctx, in.Number)
	if err != nil {
		return 0, r, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return 0, r, err
	}
	if err := s.may(s.st.DB.WithContext(ctx), m, t, passage.Test); err != nil {
		return 0, r, err
	}
	lay, ok, err := s.LayoutFor(ctx, m, t)
	if err != nil {
		return 0, r, err
	}
	if !ok {
		return 0, r, Bad("file", "%s has no layout yet: map one module of this type first, so that the voltage of a group is known", t.Name)
	}
	// Parsing and compressing take long: both are done before the transaction.
	r, thin, _, err := analyse(t, lay.Series, in)
	if err != nil {
		return 0, r, Bad("file", "%s: %v", in.FileName, err)
	}
	if r.Held != nil && !in.KeepHeld {
		return 0, r, Bad("file", "held: %s %s", r.Held.Text, r.Held.Try)
	}
	if n := len(r.Columns.Groups); n > 0 && n != lay.Series {
		return 0, r, Bad("file", "%s has voltages of %d groups: %s has %d", in.FileName, n, t.Name, lay.Series)
	}
	file, err := compressed(in.Data)
	if err != nil {
		return 0, r, err
	}
	err = s.action(ctx, in.Token, "trace", func(tx *gorm.DB) error {
		readAs := toJSON(in.ReadAs)
		if twin, ok, err := find[store.Trace](tx.Where("module_id = ? AND sha256 = ? AND flip_current = ? AND floor_volts = ? AND read_as = ?", m.ID, file.Sha256, in.FlipCurrent, in.FloorVolts, readAs)); err != nil {
			return err
		} else if ok {
			return Bad("file", "this very file is on record for %s already, as %s", m.Number, twin.FileName)
		}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&file).Error; err != nil {
			return err
		}
		row := store.Trace{ModuleID: m.ID, FileName: in.FileName, Sha256: file.Sha256, TakenBy: initials(in.By), UploadedAt: s.now(), FlipCurrent: in.FlipCurrent, FloorVolts: in.FloorVolts, ReadAs: readAs, Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		id = row.ID
		if err := tx.Create(&store.TraceResult{TraceID: row.ID, RulesVersion: RulesVersion, Result: toJSON(r), Thin: toJSON(thin)}).Error; err != nil {
			return err
		}
		text := "no capacity in it"
		if r.Capacity != nil {
			text = fmt.Sprintf("%.1f Ah, complete: %s", r.Capacity.Ah, yes(r.Capacity.Complete))
		}
		if err := s.log(tx, row.TakenBy, "test", about{module: m.ID}, "Log %s kept: %s", row.FileName, text); err != nil {
			return err
		}
		for _, f := range r.Findings {
			if f.Code == "driven-below" {
				if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("ever_below_never", true).Error; err != nil {
					return err
				}
				return s.quarantine(tx, &m, row.TakenBy, f.Text)
			}
		}
		if err := s.afterTest(tx, m); err != nil {
			return err
		}
		return s.rehold(tx, m.ID)
	})
	return id, r, err
}

// OriginalFile returns an uploaded log as it was.
func (s *Shop) OriginalFile(ctx context.Context, traceID int64) (store.Trace, []byte, error) {
	var t store.Trace
	db := s.st.DB.WithContext(ctx)
	if err := db.Where("id = ?", traceID).Take(&t).Error; err != nil {
		return t, nil, orMissing(err, &NotFound{fmt.Sprintf("log %d", traceID)})
	}
	data, err := blob(db, t.Sha256)
	return t, data, err
}

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
	ChargeMoved    bool    // it was tested after the newest survey
	Note           string
	By             string
	Token          string
}

// RecordHandResult keeps a result that was not logged; it is marked as typed by hand for ever.
func (s *Shop) RecordHandResult(ctx context.Context, in HandInput) error {
	c := checks{}
	c.need(in.CapacityAh > 0 && in.CapacityAh < 1e5, "capacity_ah", "expected the capacity, above 0 Ah")
	c.need(in.EnergyWh >= 0 && in.EnergyWh < 1e7, "energy_wh", "expected 0 Wh or more")
	c.need(in.ResistanceMOhm >= 0 && in.ResistanceMOhm < 1e5, "resistance_mohm", "expected 0 mΩ or more")
	c.need(in.Amps >= 0 && in.Amps < 1e4, "amps", "expected the size of the current, 0 A or more")
	c.need(in.EndVolts >= 0 && in.EndVolts < 1500, "end_volts", "expected the module's voltage at the end: below zero it was driven backwards, say so in a look and do not test on")
	c.need(in.LowestEndVolts > -10 && in.LowestEndVolts < 10, "lowest_end_v", "expected the lowest group's voltage at the end")
	c.need(in.TempC == nil || *in.TempC > -40 && *in.TempC < 90, "temp_c", "expected −40 to 90 °C")
	if err := c.err(); err != nil {
		return err
	}
	return s.action(ctx, in.Token, "hand", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		t, err := typeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		if err := s.may(tx, m, t, passage.Test); err != nil {
			return err
		}
		if in.CapacityAh > 1.5*t.RatedAh {
			return Bad("capacity_ah", "%s Ah is more than one and a half times the rated %s Ah: expected the module's capacity", numeral.Text(in.CapacityAh), numeral.Text(t.RatedAh))
		}
		row := store.HandResult{ModuleID: m.ID, TakenBy: initials(in.By), TakenAt: s.now(), CapacityAh: in.CapacityAh, EnergyWh: in.EnergyWh, ResistanceMohm: in.ResistanceMOhm, Amps: in.Amps, TempC: in.TempC, EndVolts: in.EndVolts, LowestEndVolts: in.LowestEndVolts, FromFull: in.FromFull, ChargeMoved: in.ChargeMoved, Note: strings.TrimSpace(in.Note), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if err := s.log(tx, row.TakenBy, "test", about{module: m.ID}, "Result typed by hand: %.1f Ah", row.CapacityAh); err != nil {
			return err
		}
		if c, err := chem.Lookup(chem.ID(t.Chemistry)); err == nil && in.LowestEndVolts != 0 && in.LowestEndVolts < c.NeverRechargeVolts {
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("ever_below_never", true).Error; err != nil {
				return err
			}
			return s.quarantine(tx, &m, row.TakenBy, fmt.Sprintf("its lowest group was driven to %.3f V in a test, below %.2f V", in.LowestEndVolts, c.NeverRechargeVolts))
		}
		if err := s.afterTest(tx, m); err != nil {
			return err
		}
		return s.rehold(tx, m.ID)
	})
}

// afterTest refreshes the module's newest figures and sends it to grading once there is a capacity.
func (s *Shop) afterTest(tx *gorm.DB, m store.Module) error {
	res, err := testResult(tx, m.ID)
	if err != nil {
		return err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"capacity_ah": res.CapacityAh, "resistance_mohm": res.ResistanceMOhm}).Error; err != nil {
		return err
	}
	if !res.Complete || m.Station != Test && m.Station != Survey {
		return nil
	}
	t, err := typeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	if res.HighAh > 0 { // gaps that leave two classes open are no result yet
		if g, err := grade.Judge(grade.Evidence{RatedAh: t.RatedAh, CapacityAh: res.CapacityAh, HighAh: res.HighAh, Complete: true}, s.Policy.Grade); err != nil || g.Class == grade.Open {
			return err
		}
	}
	return s.moveTo(tx, &m, Grade)
}

// ModuleOfSet returns the module that a set of readings was taken on, and its type.
func (s *Shop) ModuleOfSet(ctx context.Context, set store.ProbeSet) (m store.Module, t store.ModuleType, err error) {
	db := s.st.DB.WithContext(ctx)
	if err = db.Where("id = ?", set.ModuleID).Take(&m).Error; err != nil {
		return m, t, err
	}
	t, err = typeByID(db, m.TypeID)
	return m, t, err
}

// TrySurvey judges the groups typed so far without saving anything; ok is false while fewer than
// the first groups are there without a hole.
func (s *Shop) TrySurvey(ctx context.Context, m store.Module, t store.ModuleType, series int, in SurveyInput) (r survey.Result, ok bool) {
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
	r, err := s.judgeSurvey(s.st.DB.WithContext(ctx), m, t, series, in)
	return r, err == nil
}
