package shop

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/finding"
	"pandrel/core/grade"
	"pandrel/core/survey"
	"pandrel/core/trace"
	"pandrel/store"
)

// TestResult is the newest complete result of a module, or the newest incomplete one.
type TestResult struct {
	CapacityAh     float64
	UncertaintyAh  float64
	EnergyWh       float64
	ResistanceMOhm float64
	Complete       bool
	ByHand         bool
	At             time.Time
	Stops          []finding.Finding
}

// testResult picks the result that counts: the newest complete one, whether logged or typed by
// hand. Stops of the newest log count in any case.
func testResult(db *gorm.DB, moduleID int64) (TestResult, error) {
	var best TestResult
	var logs []struct {
		UploadedAt time.Time
		Result     string
	}
	err := db.Raw("SELECT t.uploaded_at, r.result FROM traces t JOIN trace_results r ON r.trace_id = t.id WHERE t.module_id = ? ORDER BY t.id", moduleID).Scan(&logs).Error
	if err != nil {
		return best, err
	}
	better := func(x TestResult) bool {
		return x.Complete && !best.Complete || x.Complete == best.Complete && !x.At.Before(best.At)
	}
	var stops []finding.Finding
	for _, l := range logs {
		r, err := fromJSON[trace.Result](l.Result)
		if err != nil {
			return best, err
		}
		stops = nil
		for _, f := range r.Findings {
			if f.Code == "driven-above" || f.Code == "driven-below" {
				stops = append(stops, f)
			}
		}
		if r.Capacity == nil {
			continue
		}
		x := TestResult{CapacityAh: r.Capacity.Ah, UncertaintyAh: r.Capacity.UncertaintyAh, EnergyWh: r.Capacity.Wh, Complete: r.Capacity.Complete, At: l.UploadedAt}
		if mohm, ok := r.ResistanceAt(10); ok {
			x.ResistanceMOhm = mohm
		} else if mohm, ok := r.ResistanceAt(30); ok {
			x.ResistanceMOhm = mohm
		}
		if better(x) {
			best = x
		}
	}
	var hand []store.HandResult
	if err := db.Where("module_id = ?", moduleID).Order("id").Find(&hand).Error; err != nil {
		return best, err
	}
	for _, h := range hand {
		x := TestResult{CapacityAh: h.CapacityAh, EnergyWh: h.EnergyWh, ResistanceMOhm: h.ResistanceMohm, Complete: true, ByHand: true, At: h.TakenAt}
		if better(x) {
			best = x
		}
	}
	best.Stops = stops
	return best, nil
}

// lastSurvey returns the newest survey's judgement; ok is false where there is none.
func lastSurvey(db *gorm.DB, moduleID int64) (r survey.Result, at time.Time, ok bool, err error) {
	var row struct {
		TakenAt time.Time
		Result  string
	}
	err = db.Raw("SELECT s.taken_at, r.result FROM surveys s JOIN survey_results r ON r.survey_id = s.id WHERE s.module_id = ? ORDER BY s.taken_at DESC, s.id DESC LIMIT 1", moduleID).Scan(&row).Error
	if err != nil || row.Result == "" {
		return r, row.TakenAt, false, err
	}
	r, err = fromJSON[survey.Result](row.Result)
	return r, row.TakenAt, err == nil, err
}

// evidence collects what is on record of a module.
func (s *Shop) evidence(db *gorm.DB, m store.Module, t store.ModuleType) (grade.Evidence, error) {
	res, err := testResult(db, m.ID)
	if err != nil {
		return grade.Evidence{}, err
	}
	e := grade.Evidence{Module: m.Number, RatedAh: t.RatedAh, CapacityAh: res.CapacityAh, UncertaintyAh: res.UncertaintyAh, Complete: res.Complete, ByHand: res.ByHand,
		ResistanceMOhm: res.ResistanceMOhm, EverBelowNever: m.EverBelowNever, FloodOrRecall: m.FloodOrRecall, Stops: res.Stops}
	var all []float64
	if err := db.Model(&store.Module{}).Where("type_id = ? AND resistance_mohm > 0", t.ID).Pluck("resistance_mohm", &all).Error; err != nil {
		return e, err
	}
	if len(all) >= 3 { // below that a median says nothing
		slices.Sort(all)
		e.TypeMedianMOhm = all[len(all)/2]
	}
	var iso string
	if err := db.Raw("SELECT verdict FROM isolation_checks WHERE module_id = ? ORDER BY id DESC LIMIT 1", m.ID).Scan(&iso).Error; err != nil {
		return e, err
	}
	e.IsolationFailed = iso == "stop"
	var check string
	if err := db.Raw("SELECT findings FROM module_checks WHERE module_id = ? ORDER BY id DESC LIMIT 1", m.ID).Scan(&check).Error; err != nil {
		return e, err
	}
	checked, err := fromJSON[[]finding.Finding](check)
	if err != nil {
		return e, err
	}
	e.Stops = append(e.Stops, Standing(checked)...)
	sv, _, ok, err := lastSurvey(db, m.ID)
	if err != nil {
		return e, err
	}
	if ok {
		e.Survey, e.Leaking = string(sv.Verdict), sv.Verdict == survey.Leaking
		for _, f := range sv.Findings {
			if f.Level >= finding.Stop {
				e.Stops = append(e.Stops, f)
			}
		}
	}
	if m.Quarantined && !m.FloodOrRecall && !m.EverBelowNever {
		e.Stops = append(e.Stops, finding.Finding{Level: finding.Refuse, Code: "quarantined", Subject: m.Number, Rule: "hazards", Text: "In quarantine: " + m.QuarantineWhy, Do: "It goes into no bank."})
	}
	return e, nil
}

// PreviewGrade grades a module from what is on record, without saving.
func (s *Shop) PreviewGrade(ctx context.Context, m store.Module, t store.ModuleType) (grade.Grade, error) {
	e, err := s.evidence(s.st.DB.WithContext(ctx), m, t)
	if err != nil {
		return grade.Grade{}, err
	}
	return grade.Judge(e, s.Policy.Grade)
}

// GradeModule grades a module from what is on record and moves it on: accepted and watched modules
// to the stock, rejected ones off the path.
func (s *Shop) GradeModule(ctx context.Context, number, by, token string) (g grade.Grade, err error) {
	err = s.action(ctx, token, "grade", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, number)
		if err != nil {
			return err
		}
		if m.BankID != nil {
			return Bad("", "%s stands in a bank: take it out before grading it again", m.Number)
		}
		t, err := typeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		e, err := s.evidence(tx, m, t)
		if err != nil {
			return err
		}
		if g, err = grade.Judge(e, s.Policy.Grade); err != nil {
			return err
		}
		row := store.Grading{ModuleID: m.ID, GradedBy: initials(by), GradedAt: s.now(), RulesVersion: RulesVersion, Class: string(g.Class), Fitness: string(g.Fitness), Grade: toJSON(g)}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"class": row.Class, "fitness": row.Fitness}).Error; err != nil {
			return err
		}
		if err := s.log(tx, row.GradedBy, "grade", about{module: m.ID}, "Graded: %s", gradeText(g)); err != nil {
			return err
		}
		switch g.Fitness {
		case grade.Accept, grade.Watch:
			return s.moveTo(tx, &m, Design)
		case grade.Reject:
			return s.moveTo(tx, &m, Out)
		}
		return nil
	})
	return g, err
}

func gradeText(g grade.Grade) string {
	if g.Class == grade.Open {
		return string(g.Fitness)
	}
	return "class " + string(g.Class) + ", " + string(g.Fitness)
}
