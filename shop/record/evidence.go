package record

import (
	"slices"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Evidence collects what is on record of a module.
func (s *Room) Evidence(db *gorm.DB, m store.Module, t store.ModuleType) (grade.Evidence, error) {
	tests, err := TestsOf(db, m, t)
	if err != nil {
		return grade.Evidence{}, err
	}
	res, err := Newest(tests)
	if err != nil {
		return grade.Evidence{}, err
	}
	e := grade.Evidence{Module: m.Number, RatedAh: RatedAh(m, t), CapacityAh: res.CapacityAh, HighAh: res.HighAh,
		UncertaintyAh: res.UncertaintyAh, Complete: res.Complete, ByHand: res.ByHand(), Amps: res.Amps,
		TempC:    res.TempC,
		EndVolts: res.EndVolts, LowestEndVolts: res.LowestEndVolts, Others: res.Others,
		ResistanceMOhm: res.ResistanceMOhm, EverBelowNever: m.EverBelowNever, FloodOrRecall: m.FloodOrRecall,
		Stops: res.Stands}
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
	r, err := s.recordOf(db, m, t, tests)
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
		e.Stops = append(e.Stops, finding.New(finding.Refuse, kernel.CodeQuarantined).About(m.Number).By("hazards").
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
	g, err := grade.JudgeEvidence(e, p)
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
