package types

import (
	"fmt"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// measuredOn reports whether anything was measured on a module of a type; what was struck too, it may come back.
func (s *Room) measuredOn(tx *gorm.DB, typeID int64) (bool, error) {
	var n int64
	err := tx.Raw(`SELECT (SELECT count(*) FROM surveys v JOIN modules m ON m.id = v.module_id WHERE m.type_id =
		?) + (SELECT count(*) FROM tests t JOIN modules m ON m.id = t.module_id WHERE m.type_id = ? AND
		t.gave_at IS NOT NULL)`, typeID, typeID).Scan(&n).Error
	return n > 0, err
}

// Moved is what a change of a type moves, before it is made.
type Moved struct {
	Modules int      // that were measured, and are judged anew
	Falls   []string // numbers whose grade would be another, first of them those in banks
	InBanks int      // of these, in a bank
	Designs []string // of banks that are not in service, which are taken back
}

// Many reports whether somebody is asked before.
func (m Moved) Many() bool { return len(m.Falls) > 0 || len(m.Designs) > 0 }

// String says it in a sentence.
func (m Moved) String() string {
	text := numeral.Count(m.Modules, "module") + " judged anew"
	if n := len(m.Falls); n > 0 {
		text += fmt.Sprintf(", %d grades are taken back (%s)", n, finding.Names(m.Falls, "modules"))
		if m.InBanks > 0 {
			text += fmt.Sprintf(", %d of modules in banks", m.InBanks)
		}
	}
	if n := len(m.Designs); n > 0 {
		text += fmt.Sprintf(", the design of %s is taken back", finding.Names(m.Designs, "banks"))
	}
	return text
}

// moved works out what a change of a type to t moves; nothing is changed.
func (s *Room) moved(tx *gorm.DB, t store.ModuleType, chemistry bool) (out Moved, err error) {
	var mods []store.Module
	if err := tx.Where("type_id = ? AND (class <> '' OR verdict <> '' OR capacity_ah > 0)", t.ID).
		Order("bank_id IS NULL, number").Find(&mods).Error; err != nil {
		return out, err
	}
	out.Modules = len(mods)
	for _, m := range mods {
		if m.Class == "" {
			continue
		}
		g, err := s.gradeBy(tx, m, t)
		if err != nil {
			return out, err
		}
		if chemistry || g.Class != m.Class || g.Fitness != m.Fitness {
			out.Falls = append(out.Falls, m.Number)
			if m.BankID != nil {
				out.InBanks++
			}
		}
	}
	if !chemistry {
		return out, nil
	}
	banks, err := designsOf(tx, t)
	for _, b := range banks {
		out.Designs = append(out.Designs, b.Name)
	}
	return out, err
}

// gradeBy is the grade that a module would get as one of a type.
func (s *Room) gradeBy(tx *gorm.DB, m store.Module, t store.ModuleType) (grade.Grade, error) {
	e, err := s.Record.Evidence(tx, m, t)
	if err != nil || !(e.RatedAh > 0) {
		return grade.Grade{}, err
	}
	p, _, err := s.Limits(tx)
	if err != nil {
		return grade.Grade{}, err
	}
	return grade.JudgeEvidence(e, p)
}

// judgeAnew judges the newest survey of every module of a type again, by what the type says now; the readings
// stay as they are. Grades that would be others fall, and come back where a later change gives them again. Where the
// chemistry is another all of them fall, and designs that are not in service are taken back. A rest curve of the type's
// own belonged to the other chemistry.
func (s *Room) judgeAnew(tx *gorm.DB, typeID int64, chemistry bool) error {
	if chemistry {
		if err := tx.Model(&store.ModuleType{}).Where("id = ?", typeID).Update("curve", "").Error; err != nil {
			return err
		}
	}
	t, err := kernel.TypeByID(tx, typeID)
	if err != nil {
		return err
	}
	if chemistry {
		if err := s.takeBackDesigns(tx, t); err != nil {
			return err
		}
	}
	var mods []store.Module
	if err := tx.Where("type_id = ?", typeID).Order("id").Find(&mods).Error; err != nil {
		return err
	}
	for _, m := range mods {
		if err := s.judgeModuleAnew(tx, m, t, chemistry); err != nil {
			return err
		}
	}
	return nil
}

func (s *Room) judgeModuleAnew(tx *gorm.DB, m store.Module, t store.ModuleType, chemistry bool) error {
	if err := s.surveyAnew(tx, &m, t); err != nil {
		return err
	}
	g, err := s.gradeBy(tx, m, t)
	if err != nil {
		return err
	}
	set, text := map[string]any{}, ""
	again := string(g.Class) == m.ClassWas && string(g.Fitness) == m.FitnessWas
	switch {
	case m.Class != "" && (chemistry || g.Class != m.Class || g.Fitness != m.Fitness):
		set = map[string]any{"class": "", "fitness": "", "class_was": m.Class, "fitness_was": m.Fitness}
		if m.Station == station.Design || m.Station == station.Out && !m.Quarantined {
			set["station"], set["station_since"] = station.Grade, s.Now()
		}
		text = "Grade taken back: its type was changed to %s, %s Ah"
	case m.Class == "" && m.ClassWas != "" && again:
		set = map[string]any{"class": m.ClassWas, "fitness": m.FitnessWas, "class_was": "", "fitness_was": ""}
		if to := gradedAt(g.Fitness); m.Station == station.Grade && to != "" {
			set["station"], set["station_since"] = to, s.Now()
		}
		text = "Grade given back: its type is %s, %s Ah again"
	}
	if text != "" {
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(set).Error; err != nil {
			return err
		}
		if err := s.Log(tx, "grade", kernel.About{Module: m.ID}, text, t.Chemistry,
			numeral.Text(t.RatedAh)); err != nil {
			return err
		}
	}
	kernel.Touch(tx, m.ID)
	return nil
}

// gradedAt is where a graded module stands that is in no bank.
func gradedAt(f grade.Fitness) station.Station {
	switch f {
	case grade.Accept, grade.Watch:
		return station.Design
	case grade.Reject:
		return station.Out
	}
	return ""
}

// surveyAnew judges the newest survey of a module by its type as it is now. Where it waited for the chemistry, what
// follows from a survey follows now, also from an older one that shows a group which is never charged again.
func (s *Room) surveyAnew(tx *gorm.DB, m *store.Module, t store.ModuleType) error {
	var rows []store.Survey
	if err := record.Counting(tx, "surveys").Where("module_id = ?", m.ID).
		Order("taken_at DESC, id DESC").Find(&rows).Error; err != nil || len(rows) == 0 {
		return err
	}
	as := survey.Module{Name: m.Number, Chemistry: t.Chemistry, RatedAh: t.RatedAh}
	r, err := s.Measure.JudgedAgain(tx, as, rows[0])
	if err != nil {
		return err
	}
	if err := tx.Model(&store.SurveyResult{}).Where("survey_id = ?",
		rows[0].ID).Updates(map[string]any{"rules_version": kernel.RulesVersion, "verdict": r.Verdict,
		"result": store.JSONOf(r)}).Error; err != nil {
		return err
	}
	waited := m.Verdict == survey.Unknown && r.Verdict != survey.Unknown
	m.Verdict = r.Verdict
	err = tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("verdict", r.Verdict).Error
	if err != nil || !waited {
		return err
	}
	if err := s.Measure.AfterSurvey(tx, *m, r); err != nil {
		return err
	}
	for _, row := range rows[1:] {
		old, err := s.Measure.JudgedAgain(tx, as, row)
		if err != nil {
			return err
		}
		if old.Verdict == survey.Quarantine {
			if err := s.Measure.AfterSurvey(tx, *m, old); err != nil {
				return err
			}
		}
	}
	return s.onward(tx, m, t)
}

// onward moves a module that was waiting for its chemistry past what is on record already.
func (s *Room) onward(tx *gorm.DB, m *store.Module, t store.ModuleType) (err error) {
	if *m, err = kernel.ByID[store.Module](tx, m.ID, "module"); err != nil || m.Station != station.Test {
		return err
	}
	at, err := s.Record.StationOf(tx, *m, t)
	if err != nil || at == m.Station {
		return err
	}
	err = s.MoveTo(tx, m, at)
	m.Station = at
	return err
}

// MayUndo says which change of a type a form made within the time in which it may be taken back.
func (s *Room) MayUndo(db *gorm.DB, saved string, since time.Time) (string, error) {
	t, ok, err := changedBy(db, saved, since)
	if err != nil || !ok {
		return "", err
	}
	return "change of " + t.Name, nil
}

// Undo puts chemistry, rating and rest curve of a type back, and judges its modules by them again. Designs that were
// taken back stay so.
func (s *Room) Undo(tx *gorm.DB, saved string, since time.Time) error {
	t, ok, err := changedBy(tx, saved, since)
	if err != nil || !ok {
		return err
	}
	was, err := t.Was.Get()
	if err != nil {
		return err
	}
	if err := tx.Model(&store.ModuleType{}).Where("id = ?", t.ID).Updates(map[string]any{"chemistry": was.Chemistry,
		"rated_ah": was.RatedAh, "curve": was.Curve, "was": "", "change_token": "", "version": t.Version +
			1}).Error; err != nil {
		return err
	}
	if err := s.Log(tx, "type", kernel.About{Typ: t.ID}, "Change taken back: %s, %s Ah again",
		was.Chemistry, numeral.Text(was.RatedAh)); err != nil {
		return err
	}
	return s.judgeAnew(tx, t.ID, false)
}

func changedBy(db *gorm.DB, saved string, since time.Time) (store.ModuleType, bool, error) {
	return kernel.Find[store.ModuleType](db.Where("change_token = ? AND was <> '' AND EXISTS (SELECT 1 FROM "+
		"submissions x WHERE x.token = module_types.change_token AND x.at >= ?)", saved, since))
}

// takeBackDesigns returns the modules of banks that are not in service, and were designed with a type, to the stock.
func (s *Room) takeBackDesigns(tx *gorm.DB, t store.ModuleType) error {
	banks, err := designsOf(tx, t)
	if err != nil {
		return err
	}
	for _, b := range banks {
		d, err := b.Design.Get()
		if err != nil {
			return err
		}
		if d.Candidate.Chemistry == "" { // drawn before it was declared: nothing of it was by another one
			continue
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil,
			"bank_doubt": "", "station": station.Grade, "station_since": s.Now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "",
			"drawing_id": nil, "built_by_id": nil,
			"station": station.Design, "station_since": s.Now(), "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		if err := s.Log(tx, "design", kernel.About{Bank: b.ID}, "Design taken back: the module type %s was "+
			"changed", t.Name); err != nil {
			return err
		}
	}
	return nil
}

// designsOf are the banks that are not in service and were designed with a type.
func designsOf(tx *gorm.DB, t store.ModuleType) (out []store.Bank, err error) {
	var banks []store.Bank
	if err := tx.Where("design <> '' AND station = ?", station.Wire).Order("id").Find(&banks).Error; err != nil {
		return nil, err
	}
	for _, b := range banks {
		d, err := b.Design.Get()
		if err != nil {
			return nil, err
		}
		if d.TypeID == t.ID {
			out = append(out, b)
		}
	}
	return out, nil
}
