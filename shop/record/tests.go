package record

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/noted"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/trace"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// TestResult is the newest complete result of a module, or the newest incomplete one.
type TestResult struct {
	CapacityAh     float64
	UncertaintyAh  float64
	EnergyWh       float64
	ResistanceMOhm float64
	HighAh         float64 // with what gaps may hide, 0 for no gaps
	AtLeastAh      float64 // the most that a part of a discharge gave, 0 for none
	Said           bool    // typed without a word of how it began, ended or was taken: somebody's word
	Amps           float64
	TempC          *float64
	LowestEndVolts float64 // typed by hand, 0 not known
	EndVolts       float64
	Complete       bool
	ByHand         bool
	At             time.Time
	Stops          []finding.Finding
	Others         []float64 // other complete results
}

// TestOf is the result of a module that counts.
func (s *Room) TestOf(ctx context.Context, moduleID int64) (TestResult, error) {
	return NewestTest(s.Store.DB.WithContext(ctx), moduleID)
}

// testResult picks the result that counts: the first complete one, a log before what was typed by hand; while
// none is complete, the newest. A later one never replaces it in silence: it is listed beside it, and the
// grade says where they differ. Stops of the newest log count in any case.
func NewestTest(db *gorm.DB, moduleID int64) (TestResult, error) {
	logs, stops, err := loggedTests(db, moduleID)
	if err != nil {
		return TestResult{}, err
	}
	hand, err := handTests(db, moduleID)
	if err != nil {
		return TestResult{}, err
	}
	var best TestResult
	var complete []float64
	atLeast := 0.0
	for _, x := range append(logs, hand...) {
		if x.Complete {
			complete = append(complete, x.CapacityAh)
		}
		if x.better(best) {
			best = x
		}
		if !x.Complete && !x.Said {
			atLeast = max(atLeast, x.CapacityAh)
		}
	}
	if !best.Complete {
		r, ok, err := wholeByParts(db, moduleID)
		if err != nil {
			return TestResult{}, err
		}
		if ok {
			best = r
			complete = append(complete, r.CapacityAh)
		}
	}
	best.Stops, best.AtLeastAh = stops, atLeast
	for _, ah := range complete {
		if ah != best.CapacityAh {
			best.Others = append(best.Others, ah)
		}
	}
	return best, nil
}

// better reports whether a result is to be taken before another: a complete one before one that is not, and the newest
// among those that are complete or not alike.
func (x TestResult) better(best TestResult) bool {
	if best.CapacityAh == 0 || x.Complete != best.Complete {
		return x.Complete || best.CapacityAh == 0
	}
	return !x.Complete && !x.At.Before(best.At)
}

// loggedTests are the results of logs, oldest first, and what the newest log says of the module beside its capacity.
func loggedTests(db *gorm.DB, moduleID int64) (out []TestResult, stops []finding.Finding, err error) {
	var logs []struct {
		UploadedAt time.Time
		FromGroup  int
		Result     store.JSON[trace.Result]
	}
	err = db.Raw("SELECT t.uploaded_at, t.from_group, r.result FROM counting_traces t JOIN trace_results r ON "+
		"r.trace_id = t.id WHERE t.module_id = ? ORDER BY t.id", moduleID).Scan(&logs).Error
	for _, l := range logs {
		r, err := l.Result.Get()
		if err != nil {
			return nil, nil, err
		}
		stops = r.Driven()
		if r.Capacity == nil || l.FromGroup > 0 {
			continue
		}
		x := TestResult{CapacityAh: numeral.AmpHours(r.Capacity.Ah), UncertaintyAh: r.Capacity.UncertaintyAh,
			EnergyWh: r.Capacity.Wh, Complete: r.Capacity.Complete || r.Capacity.Whole, At: l.UploadedAt,
			Amps: r.Capacity.MeanAmps, TempC: r.Capacity.TempC, EndVolts: r.Capacity.EndVolts}
		if r.Capacity.GapAh > 0 {
			x.HighAh = numeral.AmpHours(r.Capacity.Ah + r.Capacity.GapAh)
		}
		x.ResistanceMOhm, _ = tenSeconds(r)
		out = append(out, x)
	}
	return out, stops, err
}

// Ended is what the newest complete log of a module tells of its groups, 0 where no log tells.
func (s *Room) Ended(db *gorm.DB, moduleID int64) (k grade.Known, err error) {
	var logs []struct{ Result store.JSON[trace.Result] }
	if err := db.Raw("SELECT r.result FROM counting_traces t JOIN trace_results r ON r.trace_id = t.id WHERE "+
		"t.module_id = ? AND t.from_group = 0 ORDER BY t.id DESC LIMIT 5", moduleID).Scan(&logs).Error; err != nil {
		return k, err
	}
	for _, l := range logs {
		r, err := l.Result.Get()
		if err != nil {
			return k, err
		}
		if r.Capacity == nil || !r.Capacity.Complete || r.LimitingGroup == nil {
			continue
		}
		k.EndedBy = *r.LimitingGroup
		if r.BalancedAh != nil {
			k.BalancedAh = *r.BalancedAh
		}
		if r.OthersAh != nil {
			k.OthersAh = *r.OthersAh
		}
		return k, nil
	}
	return k, nil
}

// handTests are the results typed by hand, oldest first.
func handTests(db *gorm.DB, moduleID int64) (out []TestResult, err error) {
	var hand []store.HandResult
	err = Counting(db, "hand_results").Where("module_id = ? AND from_group = 0", moduleID).Order("id").Find(&hand).Error
	for _, h := range hand {
		x := TestResult{CapacityAh: h.CapacityAh, EnergyWh: h.EnergyWh, ResistanceMOhm: h.ResistanceMohm,
			Complete: handComplete(db, h), ByHand: true, At: h.TakenAt, Amps: h.Amps, TempC: h.TempC,
			EndVolts: h.EndVolts, LowestEndVolts: h.LowestEndVolts}
		x.Said = !x.Complete && noted.OnlySaid(noted.Result{FromFull: h.FromFull, EndVolts: h.EndVolts,
			LowestEndVolts: h.LowestEndVolts, Amps: h.Amps, EnergyWh: h.EnergyWh})
		if x.EndVolts == 0 {
			x.EndVolts = h.LowestEndVolts
		}
		out = append(out, x)
	}
	return out, err
}

// handComplete reports whether a result typed by hand is a capacity: from full to the first group at its floor.
func handComplete(db *gorm.DB, h store.HandResult) bool {
	lacks, err := handLacks(db, h)
	return err == nil && lacks == ""
}

func handLacks(db *gorm.DB, h store.HandResult) (string, error) {
	m, ok, err := kernel.Find[store.Module](db.Where("id = ?", h.ModuleID))
	if err != nil || !ok {
		return "it is of no module", err
	}
	t, err := kernel.TypeByID(db, m.TypeID)
	if err != nil {
		return "", err
	}
	lay, ok, err := LayoutFor(db, m, t)
	if err != nil || !ok {
		return "its layout is not known", err
	}
	return noted.Lacks(noted.Result{FromFull: h.FromFull, LowestEndVolts: h.LowestEndVolts, EndVolts: h.EndVolts,
		Series: lay.Series, Chemistry: t.Chemistry}), nil
}

// Waits says why the newest result typed by hand of a module is no capacity yet, "" where it is one or there is none.
func (s *Room) Waits(ctx context.Context, moduleID int64) (ah float64, lacks string, err error) {
	db := s.Store.DB.WithContext(ctx)
	h, ok, err := kernel.Find[store.HandResult](Counting(db, "hand_results").Where("module_id = ? AND from_group = 0",
		moduleID).Order("id DESC"))
	if err != nil || !ok {
		return 0, "", err
	}
	lacks, err = handLacks(db, h)
	return h.CapacityAh, lacks, err
}

// Evidence collects what is on record of a module.
func (s *Room) Evidence(db *gorm.DB, m store.Module, t store.ModuleType) (grade.Evidence, error) {
	res, err := NewestTest(db, m.ID)
	if err != nil {
		return grade.Evidence{}, err
	}
	e := grade.Evidence{Module: m.Number, RatedAh: RatedAh(m, t), CapacityAh: res.CapacityAh, HighAh: res.HighAh,
		UncertaintyAh: res.UncertaintyAh, Complete: res.Complete, ByHand: res.ByHand, Amps: res.Amps, TempC: res.TempC,
		EndVolts: res.EndVolts, LowestEndVolts: res.LowestEndVolts, Others: res.Others,
		ResistanceMOhm: res.ResistanceMOhm, EverBelowNever: m.EverBelowNever, FloodOrRecall: m.FloodOrRecall,
		Stops: res.Stops}
	if c, err := chem.Lookup(t.Chemistry); err == nil {
		e.FloorVolts = c.FloorVolts
	}
	var all []float64
	if err := db.Model(&store.Module{}).Where("type_id = ? AND resistance_mohm > 0", t.ID).Pluck("resistance_mohm",
		&all).Error; err != nil {
		return e, err
	}
	if len(all) >= 3 { // below that a median says nothing
		slices.Sort(all)
		e.TypeMedianMOhm = all[len(all)/2]
	}
	r, err := s.record(db, m, t)
	if err != nil {
		return e, err
	}
	e.Looked, e.IsolationFailed = r.Looked, r.Isolation == isolation.Stop
	e.Stops, e.Holds = passage.ForGrading(r)
	sv, _, ok, err := LastSurvey(db, m.ID)
	if err != nil {
		return e, err
	}
	if ok {
		e.Survey, e.Leaking = string(sv.Verdict), sv.Verdict == survey.Leaking
		for _, f := range sv.Findings { // what waits for a second reading holds, and does not reject
			if f.Level >= finding.Stop && sv.Verdict != survey.Reread && sv.Verdict != survey.Over {
				e.Stops = append(e.Stops, f)
			}
		}
	}
	if m.Quarantined && !m.FloodOrRecall && !m.EverBelowNever {
		e.Stops = append(e.Stops, finding.New(finding.Refuse, "quarantined").About(m.Number).By("hazards").
			Says("%s", "In quarantine: "+m.QuarantineWhy).
			Then("It goes into no bank."))
	}
	return e, nil
}

// gradeStale says why a module's grade no longer holds by what is on record now, or why one that was never graded
// would be rejected; "" where nothing speaks against it.
func (s *Room) gradeStale(db *gorm.DB, m store.Module, t store.ModuleType) (string, error) {
	e, err := s.Evidence(db, m, t)
	if err != nil {
		return "", err
	}
	graded := m.Fitness == grade.Accept || m.Fitness == grade.Watch
	if e.RatedAh == 0 { // without a rating there is no class, but what rejects a module does so all the same
		e.RatedAh, e.CapacityAh, e.HighAh = 1, 0, 0
	}
	p, _, err := s.Limits(db)
	if err != nil {
		return "", err
	}
	g, err := grade.Judge(e, p)
	switch {
	case err != nil || g.Fitness == grade.Accept || g.Fitness == m.Fitness:
		return "", err
	case !graded && g.Fitness != grade.Reject:
		return "", nil
	case m.Fitness == grade.Reject:
		return "", nil // said by the grade itself
	}
	why := string(g.Fitness)
	if len(g.Reasons) > 0 {
		why = g.Reasons[0].Text
	}
	return why, nil
}

// GradeFalls takes a grade back that what is left on record would not give.
func (s *Room) GradeFalls(tx *gorm.DB, m *store.Module, t store.ModuleType) error {
	if m.Fitness == "" {
		return nil
	}
	why, err := s.gradeStale(tx, *m, t)
	if err != nil || why == "" {
		return err
	}
	m.Class, m.Fitness = "", ""
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"class": "",
		"fitness": ""}).Error; err != nil {
		return err
	}
	return s.Note(tx, "grade", kernel.About{Module: m.ID}, "Grade taken back: what it rested on counts no more. %s",
		why)
}
