package shop

import (
	"pandrel/core/bank/plan"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/survey"
	"pandrel/store"
)

// measuredOn reports whether anything was measured on a module of a type.
func (s *Shop) measuredOn(tx *gorm.DB, typeID int64) (bool, error) {
	var n int64
	err := tx.Raw(`SELECT (SELECT count(*) FROM surveys v JOIN modules m ON m.id = v.module_id WHERE m.type_id = ?) + (SELECT count(*) FROM traces t JOIN modules m ON m.id = t.module_id WHERE m.type_id = ?)
		+ (SELECT count(*) FROM hand_results h JOIN modules m ON m.id = h.module_id WHERE m.type_id = ?)`, typeID, typeID, typeID).Scan(&n).Error
	return n > 0, err
}

// judgeAnew judges the newest survey of every module of a type again, by what the type says now; the readings
// stay as they are. Grades fall, because they were given under other limits, and designs that are not in
// service are taken back. A rest curve of the type's own belonged to the other chemistry.
func (s *Shop) judgeAnew(tx *gorm.DB, typeID int64, chemistry bool, by string) error {
	if chemistry {
		if err := tx.Model(&store.ModuleType{}).Where("id = ?", typeID).Update("curve", "").Error; err != nil {
			return err
		}
	}
	t, err := typeByID(tx, typeID)
	if err != nil {
		return err
	}
	if err := s.takeBackDesigns(tx, t, by); err != nil {
		return err
	}
	var mods []store.Module
	if err := tx.Where("type_id = ?", typeID).Find(&mods).Error; err != nil {
		return err
	}
	for _, m := range mods {
		if err := s.judgeModuleAnew(tx, m, t, by); err != nil {
			return err
		}
	}
	return nil
}

func (s *Shop) judgeModuleAnew(tx *gorm.DB, m store.Module, t store.ModuleType, by string) error {
	set := map[string]any{"class": "", "fitness": ""}
	if m.Station == Design || m.Station == Out && !m.Quarantined {
		set["station"], set["station_since"] = Grade, s.now()
	}
	if m.Class == "" {
		delete(set, "station")
	}
	row, ok, err := find[store.Survey](tx.Where("module_id = ?", m.ID).Order("taken_at DESC, id DESC"))
	if err != nil {
		return err
	}
	if ok {
		r, err := s.judgedAgain(tx, survey.Module{Name: m.Number, Chemistry: chem.ID(t.Chemistry), RatedAh: t.RatedAh}, row)
		if err != nil {
			return err
		}
		if err := tx.Model(&store.SurveyResult{}).Where("survey_id = ?", row.ID).Updates(map[string]any{"rules_version": RulesVersion, "verdict": string(r.Verdict), "result": toJSON(r)}).Error; err != nil {
			return err
		}
		set["verdict"] = string(r.Verdict)
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(set).Error; err != nil {
		return err
	}
	if m.Class != "" {
		if err := s.log(tx, by, "grade", about{module: m.ID}, "Grade taken back: its type was changed to %s, %s Ah", t.Chemistry, numeral.Text(t.RatedAh)); err != nil {
			return err
		}
	}
	return s.rehold(tx, m.ID)
}

// takeBackDesigns returns the modules of banks that are not in service, and were designed with a type, to the
// stock.
func (s *Shop) takeBackDesigns(tx *gorm.DB, t store.ModuleType, by string) error {
	var banks []store.Bank
	if err := tx.Where("design <> '' AND station = ?", Wire).Find(&banks).Error; err != nil {
		return err
	}
	for _, b := range banks {
		d, err := fromJSON[plan.Design](b.Design)
		if err != nil {
			return err
		}
		if d.TypeID != t.ID {
			continue
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil, "station": Grade, "station_since": s.now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "", "station": Design, "station_since": s.now(), "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error; err != nil {
			return err
		}
		if err := s.log(tx, by, "design", about{bank: b.ID}, "Design taken back: the module type %s was changed", t.Name); err != nil {
			return err
		}
	}
	return nil
}
