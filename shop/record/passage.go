package record

import (
	"context"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/teardown"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// record collects what is on record of a module for the one rule of what it may do next.
func (s *Room) record(db *gorm.DB, m store.Module, t store.ModuleType) (r passage.Record, err error) {
	tests, err := TestsOf(db, m, t)
	if err != nil {
		return r, err
	}
	return s.recordOf(db, m, t, tests)
}

func (s *Room) recordOf(db *gorm.DB, m store.Module, t store.ModuleType, tests []Tested) (r passage.Record,
	err error) {
	r = passage.Record{Number: m.Number, Chemistry: t.Chemistry != "", OwnLayout: m.LayoutID != nil, Fitness: m.Fitness,
		Allowed: m.Allowed, Regrouping: m.Regroup != "", Became: m.Became}
	if m.Quarantined {
		r.Quarantined = m.QuarantineWhy
	}
	if err := s.lookRecord(db, m, &r); err != nil {
		return r, err
	}
	o, ok, err := OpeningOf(db, m)
	if err != nil {
		return r, err
	}
	if ok && o.Begun {
		if f := teardown.Missing(o.Findings); f != nil {
			r.Open = strings.TrimSuffix(f.Text, ".")
		}
		if r.Open == "" && anyOff(o) && !o.Done {
			r.Open = "it is open"
		}
	}
	var iso []isolation.Verdict
	if err := Counting(db, "isolation_checks").Where("module_id = ?",
		m.ID).Order("id DESC").Limit(1).Pluck("verdict", &iso).Error; err != nil {
		return r, err
	}
	if len(iso) > 0 {
		r.Isolation = iso[0]
	}
	check, ok, err := kernel.Find[store.ModuleCheck](Counting(db, "module_checks").Where("module_id = ?",
		m.ID).Order("id DESC"))
	if err != nil {
		return r, err
	}
	if ok && (t.LayoutID == nil || check.LayoutID == *t.LayoutID) {
		fs, err := check.Findings.Get()
		if err != nil {
			return r, err
		}
		r.CheckStops = texts(finding.Standing(fs))
	}
	if err := ownMapRecord(db, m, t, &r); err != nil {
		return r, err
	}
	if r.PartsApart, err = s.partsApart(db, m, t, tests); err != nil {
		return r, err
	}
	return r, s.surveyRecord(db, m, t, tests, &r)
}

// lookRecord fills in what the newest look says.
func (s *Room) lookRecord(db *gorm.DB, m store.Module, r *passage.Record) error {
	row, ok, err := kernel.Find[store.Inspection](Counting(db, "inspections").Where("module_id = ?",
		m.ID).Order("id DESC"))
	if err != nil || !ok {
		return err
	}
	r.Looked = true
	if row.Outcome == look.Clean {
		fs, err := row.Findings.Get()
		if err != nil {
			return err
		}
		if r.LookHeld = look.Told(fs); len(fs) == 0 {
			r.LookHeld = row.Signs
		}
	}
	return nil
}

func anyOff(o Opening) bool {
	for _, st := range o.States {
		if st.IsOff && !st.IsOn {
			return true
		}
	}
	return false
}

func texts(fs []finding.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, f.Text)
	}
	return out
}

// OwnMap is the map of a module's own newest readings; ok is false where there are none, or they cannot be
// mapped, which says nothing of the module.
func OwnMap(db *gorm.DB, m store.Module, t store.ModuleType) (lay layout.Map, ok bool, err error) {
	set, ok, err := kernel.Find[store.ProbeSet](Counting(db, "probe_sets").Where("module_id = ?",
		m.ID).Order("id DESC"))
	if err != nil || !ok {
		return lay, false, err
	}
	readings, err := ProbeReadings(db, set.ID)
	if err != nil {
		return lay, false, err
	}
	lay, err = SolveFor(t, readings)
	return lay, err == nil, nil
}

// ownMapRecord fills in what the module's own map says of it: stops, and points that are dead.
func ownMapRecord(db *gorm.DB, m store.Module, t store.ModuleType, r *passage.Record) error {
	lay, ok, err := OwnMap(db, m, t)
	if err != nil || !ok {
		return err
	}
	for _, f := range lay.NotAsLabelled() {
		r.OwnMapStops = append(r.OwnMapStops, f.Text)
	}
	if len(lay.Floating) == 0 {
		return nil
	}
	of, ok, err := LayoutOf(db, t)
	if err != nil || !ok {
		return err
	}
	for _, n := range of.Nodes {
		alive := slices.DeleteFunc(slices.Clone(n.Points),
			func(p string) bool { return slices.Contains(lay.Floating, p) })
		if len(alive) == 0 && r.DeadTap == "" {
			r.DeadTap = n.Points[0]
		}
	}
	return nil
}

// surveyRecord fills in what the newest survey and the logs since say.
func (s *Room) surveyRecord(db *gorm.DB, m store.Module, t store.ModuleType, tests []Tested,
	r *passage.Record) error {
	sv, at, ok, err := LastSurvey(db, m.ID)
	if err != nil {
		return err
	}
	if ok {
		r.Surveyed = true
		r.OverLimit = sv.Verdict == survey.Over
		r.Leaking = sv.Verdict == survey.Leaking
		r.SurveyDoubt = sv.Verdict.Doubt()
		for _, g := range sv.Groups {
			r.ReadTogether = r.ReadTogether || g.Shared > 1
		}
		for _, f := range sv.Findings {
			if f.Level >= finding.Stop && sv.Verdict == survey.Reread && r.SurveyHeld == "" {
				r.SurveyHeld = strings.TrimSuffix(f.Text, ".")
			}
		}
	}
	part, ok, err := LastRead(db, m, t)
	if err != nil {
		return err
	}
	if ok && r.SurveyHeld == "" {
		r.SurveyHeld = strings.TrimSuffix(part.Holds(), ".")
	}
	if err := handDoubt(db, m, t, at, r); err != nil {
		return err
	}
	if err := drivenBelow(db, m, t, tests, r); err != nil {
		return err
	}
	for _, x := range slices.Backward(tests) {
		for _, f := range x.Unsettled {
			if x.Came().After(at) {
				r.LogDoubt = "has a log that must be settled: " + f.Text
			}
		}
	}
	return nil
}

// May returns a Blocked when what is on record keeps a module from an action at this moment.
func (s *Room) May(db *gorm.DB, m store.Module, t store.ModuleType, a passage.Action) error {
	r, err := s.record(db, m, t)
	if err != nil {
		return err
	}
	if a >= passage.Design {
		if r.GradeStale, err = s.gradeStale(db, m, t); err != nil {
			return err
		}
	}
	if fs := finding.Standing(passage.May(r, a)); len(fs) > 0 {
		return kernel.Stopped(fs)
	}
	return nil
}

// MayTell is May of a result of what was tested already.
func (s *Room) MayTell(db *gorm.DB, m store.Module, t store.ModuleType) error {
	r, err := s.record(db, m, t)
	if err != nil {
		return err
	}
	if fs := finding.Standing(passage.MayTell(r)); len(fs) > 0 {
		return kernel.Stopped(fs)
	}
	return nil
}

// MayNow lists what keeps a module from an action, for its page.
func (s *Room) MayNow(ctx context.Context, m store.Module, t store.ModuleType, a passage.Action) ([]finding.Finding,
	error) {
	return s.MayIn(s.Store.DB.WithContext(ctx), m, t, a)
}

// MayIn is MayNow inside a transaction.
func (s *Room) MayIn(db *gorm.DB, m store.Module, t store.ModuleType, a passage.Action) ([]finding.Finding, error) {
	r, err := s.record(db, m, t)
	if err != nil {
		return nil, err
	}
	return passage.May(r, a), nil
}

// Rehold works out anew what keeps a module from a bank, and keeps it with the module.
func (s *Room) Rehold(tx *gorm.DB, moduleID int64) error {
	m, ok, err := kernel.Find[store.Module](tx.Where("id = ?", moduleID))
	if err != nil || !ok {
		return err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	r, err := s.record(tx, m, t)
	if err != nil {
		return err
	}
	hold := passage.Hold(r)
	if m.Quarantined {
		hold = "" // said by the quarantine itself
	}
	doubt, err := s.bankDoubt(tx, m, t, r)
	if err != nil {
		return err
	}
	if hold == m.Hold && doubt == m.BankDoubt && m.HoldRules == kernel.RulesVersion {
		return nil
	}
	return tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"hold": hold, "bank_doubt": doubt,
		"hold_rules": kernel.RulesVersion}).Error
}

// bankDoubt is what would refuse today that a module stands in the bank that it is in, "" where nothing would, or its
// hold or quarantine says it: what refuses a way in calls back what stands.
func (s *Room) bankDoubt(tx *gorm.DB, m store.Module, t store.ModuleType, r passage.Record) (string, error) {
	if m.BankID == nil || m.Quarantined {
		return "", nil
	}
	b, ok, err := kernel.Find[store.Bank](tx.Where("id = ?", *m.BankID))
	if err != nil || !ok {
		return "", err
	}
	a := passage.Design
	if b.Station == station.Keep {
		a = passage.Service
	}
	if r.GradeStale, err = s.gradeStale(tx, m, t); err != nil {
		return "", err
	}
	if fs := finding.Standing(passage.May(r, a)); len(fs) > 0 {
		return strings.TrimSuffix(strings.TrimPrefix(fs[0].Text, m.Number+" "), "."), nil
	}
	if m.Fitness != "" || b.Station != station.Keep || !b.Design.Set() { // on the bench its bank is tested as a whole
		return "", nil
	}
	d, err := b.Design.Get()
	if at := d.At(m.Number); err == nil && at >= 0 && !d.Places[at].Provisional() {
		return "was placed by a grade that was taken back since", nil
	}
	return "", err
}

// RefreshHolds works out the holds of modules that were judged by older rules. It is called at start.
func (s *Room) RefreshHolds(ctx context.Context) error {
	var ids []int64
	if err := s.Store.DB.WithContext(ctx).Model(&store.Module{}).Where("hold_rules <> ?",
		kernel.RulesVersion).Order("id").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for len(ids) > 0 {
		n := min(len(ids), 200)
		err := s.Store.Write(ctx, func(tx *gorm.DB) error {
			for _, id := range ids[:n] {
				if err := s.Rehold(tx, id); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		ids = ids[n:]
	}
	return nil
}

// Troubles lists the modules of a bank that are quarantined, held, leaking, or were surveyed worse since.
func (s *Room) Troubles(ctx context.Context, bankID int64) ([]passage.Trouble, error) {
	return Troubles(s.Store.DB.WithContext(ctx), "bank_id = ?", bankID)
}

// Troubled picks the modules of banks that must not be in one as things stand.
func Troubled(db *gorm.DB) *gorm.DB {
	return db.Where("quarantined = 1 OR hold <> '' OR bank_doubt <> '' OR fitness = ? OR fitness = ? AND "+
		"allowed = '' OR verdict IN ?",
		grade.Reject, grade.Watch, survey.Troubling)
}

func Troubles(db *gorm.DB, where string, args ...any) (out []passage.Trouble, err error) {
	var mods []store.Module
	err = db.Where(where, args...).Where(Troubled(db)).Order("number").Find(&mods).Error
	for _, m := range mods {
		out = append(out, passage.Standing{Number: m.Number, Quarantined: m.Quarantined, Why: m.QuarantineWhy,
			Hold: m.Hold, Doubt: m.BankDoubt, Verdict: m.Verdict, Fitness: m.Fitness, Allowed: m.Allowed}.Trouble())
	}
	return out, err
}

// ProbeReadings returns the readings of a set in the order they were taken.
func ProbeReadings(db *gorm.DB, setID int64) ([]layout.Reading, error) {
	var rows []store.ProbeReading
	if err := db.Where("set_id = ?", setID).Order("line").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]layout.Reading, len(rows))
	for i, r := range rows {
		out[i] = layout.Reading{Red: r.Red, Black: r.Black, Volts: r.Volts, LastDigit: r.LastDigit,
			AccuracyVolts: r.AccuracyVolts, Line: r.Line}
	}
	return out, nil
}
