package types

import (
	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// measuredOn reports whether anything was measured on a module of a type; what was struck too, it may come back.
func (s *Room) measuredOn(tx *gorm.DB, typeID int64) (bool, error) {
	var n int64
	err := tx.Raw(`SELECT (SELECT count(*) FROM surveys v JOIN modules m ON m.id = v.module_id WHERE m.type_id =
		?) + (SELECT count(*) FROM traces t JOIN modules m ON m.id = t.module_id WHERE m.type_id = ?)
		+ (SELECT count(*) FROM hand_results h JOIN modules m ON m.id = h.module_id WHERE m.type_id =
		?)`, typeID, typeID, typeID).Scan(&n).Error
	return n > 0, err
}

// judgeAnew judges the newest survey of every module of a type again, by what the type says now; the readings
// stay as they are. Grades fall, because they were given under other limits, and designs that are not in
// service are taken back. A rest curve of the type's own belonged to the other chemistry.
func (s *Room) judgeAnew(tx *gorm.DB, typeID int64, chemistry bool, by string) error {
	if chemistry {
		if err := tx.Model(&store.ModuleType{}).Where("id = ?", typeID).Update("curve", "").Error; err != nil {
			return err
		}
	}
	t, err := kernel.TypeByID(tx, typeID)
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

func (s *Room) judgeModuleAnew(tx *gorm.DB, m store.Module, t store.ModuleType, by string) error {
	set := map[string]any{"class": "", "fitness": ""}
	if m.Station == station.Design || m.Station == station.Out && !m.Quarantined {
		set["station"], set["station_since"] = station.Grade, s.Now()
	}
	if m.Class == "" {
		delete(set, "station")
	}
	row, ok, err := kernel.Find[store.Survey](record.Counting(tx, "surveys").Where("module_id = ?",
		m.ID).Order("taken_at DESC, id DESC"))
	if err != nil {
		return err
	}
	if ok {
		r, err := s.Measure.JudgedAgain(tx, survey.Module{Name: m.Number, Chemistry: t.Chemistry, RatedAh: t.RatedAh},
			row)
		if err != nil {
			return err
		}
		if err := tx.Model(&store.SurveyResult{}).Where("survey_id = ?",
			row.ID).Updates(map[string]any{"rules_version": kernel.RulesVersion, "verdict": r.Verdict,
			"result": store.JSONOf(r)}).Error; err != nil {
			return err
		}
		set["verdict"] = string(r.Verdict)
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(set).Error; err != nil {
		return err
	}
	if m.Class != "" {
		if err := s.Log(tx, by, "grade", kernel.About{Module: m.ID}, "Grade taken back: its type was changed to "+
			"%s, %s Ah", t.Chemistry, numeral.Text(t.RatedAh)); err != nil {
			return err
		}
	}
	return s.Record.Rehold(tx, m.ID)
}

// takeBackDesigns returns the modules of banks that are not in service, and were designed with a type, to the
// stock.
func (s *Room) takeBackDesigns(tx *gorm.DB, t store.ModuleType, by string) error {
	var banks []store.Bank
	if err := tx.Where("design <> '' AND station = ?", station.Wire).Find(&banks).Error; err != nil {
		return err
	}
	for _, b := range banks {
		d, err := b.Design.Get()
		if err != nil {
			return err
		}
		if d.TypeID != t.ID {
			continue
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil,
			"bank_doubt": "",
			"station":    station.Grade, "station_since": s.Now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "",
			"station": station.Design, "station_since": s.Now(), "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		if err := s.Log(tx, by, "design", kernel.About{Bank: b.ID}, "Design taken back: the module type %s was "+
			"changed", t.Name); err != nil {
			return err
		}
	}
	return nil
}
